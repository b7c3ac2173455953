package desk

import (
	"context"
	"fmt"
	"io"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/contract"
	"zestyloom/core/timecode"
)

func file(name string, streams ...Stream) File { return File{Name: name, Streams: streams} }

func wide(channels int) Stream {
	return Stream{Codec: "pcm", Rate: 48000, Depth: 24, Channels: channels, Frames: 48000}
}

// What files are is read off their names, off the names of their channels, off what they say, and else off how many channels
// there are, which is said.
func TestIdentify(t *testing.T) {
	named := wide(4)
	named.Names = []string{"Dialogue L", "Dialogue R", "Music L", "Music R"}
	said := wide(6)
	said.Layout, said.Title, said.Language = "5.1", "English 5.1", "eng"
	odd := wide(7)
	for name, c := range map[string]struct {
		files []File
		want  string
	}{
		"six monos in film order": {[]File{file("Ferry_1.L.wav", wide(1)), file("Ferry_2.C.wav", wide(1)), file("Ferry_3.R.wav", wide(1)),
			file("Ferry_4.Ls.wav", wide(1)),
			file("Ferry_5.Rs.wav", wide(1)), file("Ferry_6.LFE.wav", wide(1))}, "Ferry: 5.1 [L C R Ls Rs LFE], 6 files, by the names of the files"},
		"two pairs of monos": {[]File{file("MX_L.wav", wide(1)), file("FX_L.wav", wide(1)), file("MX_R.wav", wide(1)), file("FX_R.wav",
			wide(1))}, "MX: stereo [L R], 2 files, by the names of the files; FX: stereo [L R], 2 files, by the names of the files"},
		"a movie of eight and two": {[]File{file("x.mov", wide(8), wide(2))},
			"x: discrete [1 2 3 4 5 6 7 8], 1 files, 8 channels; nothing in the file tells what they are; x: stereo [L R], 1 files, by the number of its channels; nothing in the file tells"},
		"channels with names": {[]File{file("x.wav", named)},
			"Dialogue: stereo [L R], 1 files, by the names of its channels; Music: stereo [L R], 1 files, by the names of its channels"},
		"a stream that says": {[]File{file("x.mkv", said)}, "English 5.1: 5.1 [L R C LFE Ls Rs], 1 files, by what the file says"},
		"a mono whose name ends so": {[]File{file("Control.wav", wide(1))},
			"Control: mono [M], 1 files, by the number of its channels; nothing in the file tells"},
		"seven": {[]File{file("x.wav", odd)}, "x: discrete [1 2 3 4 5 6 7], 1 files, 7 channels; nothing in the file tells what they are"},
	} {
		var got []string
		for _, s := range Identify(c.files) {
			if s.Layout == "" {
				s.Layout = "discrete"
			}
			got = append(got, fmt.Sprintf("%s: %s %v, %d files, %s", s.Name, s.Layout, s.Labels, len(s.Files), s.Why))
		}
		assert.Equal(t, c.want, strings.Join(got, "; "), name)
	}
	r := Look([]File{file("Ferry_1.L.wav", wide(1)), file("Ferry_2.R.wav", wide(1)), file("x.wav", named)})
	assert.Len(t, r.Places, 6)
	assert.Equal(t, Place{"Ferry_2.R.wav", 0, 0, "set3", "Ferry", "R"}, r.Places[5])
	assert.Equal(t, Place{"x.wav", 0, 2, "set2", "Music", "L"}, r.Places[2])
}

// Files find their slots by their names, in the way of packing that fits best; what is left finds it by its form, where only one
// can be meant.
func TestFilesFindTheirSlots(t *testing.T) {
	spec := func(id string) contract.Spec {
		text, there := contract.ShippedText(id)
		require.True(t, there, id)
		s, err := contract.Parse(text)
		require.NoError(t, err)
		return s
	}
	said := func(id string, files ...File) string {
		m := match(files, spec(id), "")
		var out []string
		for _, one := range m.matched {
			how := "is"
			if !one.named {
				how = "may be"
			}
			out = append(out, fmt.Sprintf("%s %s %s%s", one.file.Name, how, one.slot.words(), strings.Join([]string{"", one.found["range"],
				one.found["group"]}, " ")))
		}
		for _, s := range m.missing {
			out = append(out, "no "+s.words())
		}
		for _, f := range m.extra {
			out = append(out, f.Name+" is extra")
		}
		return strings.TrimSpace(string(m.packaging) + ": " + strings.Join(out, "; "))
	}
	assert.Equal(t, "interleaved: A_B_SPLIT.wav is Dialogue, Effects, Music", strings.TrimSpace(said("six-channel-split",
		file("A_B_SPLIT.wav", wide(6)))))
	assert.Contains(t, said("six-channel-split", file("A_B_DX_stereo.wav", wide(2)), file("A_B_MX_stereo.wav", wide(2))),
		"per-group: A_B_DX_stereo.wav is Dialogue")
	assert.Contains(t, said("six-channel-split", file("A_B_DX_stereo.wav", wide(2)), file("A_B_MX_stereo.wav", wide(2))), "no Effects")
	assert.Contains(t, said("six-channel-split", file("something.wav", wide(6))), "something.wav may be Dialogue, Effects, Music")
	assert.Contains(t, said("six-channel-split", file("something.wav", wide(5))), "something.wav is extra")
	kit := said("promo-kit", file("A_B_MIX_v12_Act_1.wav", wide(2)), file("A_B_MIX_v12_Act_2.wav", wide(2)))
	assert.Contains(t, kit, "A_B_MIX_v12_Act_1.wav is Full mix Act_1")
	assert.Contains(t, kit, "A_B_MIX_v12_Act_2.wav is Full mix Act_2", "a file for each range")
	strands := said("dialogue-strands", file("A_B_DX_Ines_Calder.wav", wide(1)), file("A_B_DX_Tobiah_Renn.wav", wide(1)))
	assert.Contains(t, strands, "A_B_DX_Ines_Calder.wav is Voice  Ines_Calder")
	assert.Contains(t, strands, "A_B_DX_Tobiah_Renn.wav is Voice  Tobiah_Renn")
	assert.NotContains(t, strands, "no Music", "what is optional may be missing")
}

// Every pattern of every shipped spec is one that can be looked for.
func TestNamesOfShippedSpecsAreLookedFor(t *testing.T) {
	specs, err := contract.Shipped()
	require.NoError(t, err)
	for _, s := range specs {
		for _, way := range append([]contract.Packaging{""}, s.Packaging...) {
			for _, one := range slotsOf(s, way) {
				assert.NotEmpty(t, one.called(), s.ID)
				assert.NotNil(t, one.pattern)
			}
		}
	}
}

// samples are a sound of one channel.
type samples struct {
	x  []float64
	at int
}

func (s *samples) Read(block [][]float64) (int, error) {
	n := copy(block[0], s.x[s.at:])
	if s.at += n; n == 0 {
		return 0, io.EOF
	}
	return n, nil
}

func (*samples) Close() error { return nil }

// What is no number is not like anything, not even like itself; a time stamp that one of two has not differs.
func TestCompareWhatIsNoNumber(t *testing.T) {
	of := func(sum string, x ...float64) File {
		s := wide(1)
		s.Open = func(context.Context) (Sound, error) { return &samples{x: x}, nil }
		return File{Name: "x.wav", SHA256: sum, Streams: []Stream{s}}
	}
	compare := func(a, b File) Comparison {
		c, err := Compare(context.Background(), []File{a}, []File{b}, func(float64) {})
		require.NoError(t, err)
		return c
	}
	assert.True(t, compare(of("a", 0, 0.5), of("b", 0, 0.5)).Equal)
	odd := compare(of("a", 0, math.NaN()), of("b", 0, math.NaN()))
	require.Len(t, odd.Differences, 1)
	assert.Equal(t, 1, odd.Differences[0].Channel)
	late := of("b", 0, 0.5)
	at := timecode.Reading(48000)
	late.Start = &at
	found := compare(of("a", 0, 0.5), late)
	require.Len(t, found.Differences, 1)
	assert.Contains(t, found.Differences[0].Message, "begins at no time that it says, and the other at 48000")
}
