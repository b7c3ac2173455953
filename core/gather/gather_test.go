package gather

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/layout"
	"zestyloom/core/take"
)

// arrived makes a mono file of scene 18C, take 1, at 18:00:00:00, changed.
func arrived(path string, change func(*take.Description)) Arrival {
	start := int64(18 * 3600 * 48000)
	code := "18:00:00:00"
	d := take.Description{SampleRate: 48000, BitDepth: 24, Encoding: "pcm", Channels: 1, Frames: 1000, StartSamples: &start,
		StartTimecode: &code, Scene: "18C", Take: "1", Tracks: []take.Track{{Index: 1}}}
	if change != nil {
		change(&d)
	}
	return Arrival{ID: path, Path: path, Description: d}
}

func inSet(family string, index, total int, more ...func(*take.Description)) func(*take.Description) {
	return func(d *take.Description) {
		d.Set = &take.FileSet{Family: family, Index: index, Total: total}
		for _, m := range more {
			m(d)
		}
	}
}

func later(frames int64) func(*take.Description) {
	return func(d *take.Description) { n := *d.StartSamples + frames; d.StartSamples = &n }
}

func longer(frames int64) func(*take.Description) {
	return func(d *take.Description) { d.Frames += frames }
}

func slate(scene, number string) func(*take.Description) {
	return func(d *take.Description) { d.Scene, d.Take = scene, number }
}

func unstamped(d *take.Description) { d.StartSamples, d.StartTimecode = nil, nil }

// form writes families as text: lanes with commas, parts with >, and a ? where something speaks against it.
func familyText(families []Family) string {
	var all []string
	for _, f := range families {
		var lanes []string
		for _, l := range f.Lanes {
			lanes = append(lanes, strings.Join(l, ">"))
		}
		mark := ""
		if !f.Sure() {
			mark = "?"
		}
		all = append(all, fmt.Sprintf("%s%s %s", f.Kind, mark, strings.Join(lanes, ",")))
	}
	return strings.Join(all, "; ")
}

func TestWhatIsMissingOfASetIsSaid(t *testing.T) {
	said := func(names ...string) []string {
		var files []Arrival
		for _, name := range names {
			files = append(files, arrived(name, nil))
		}
		return Families(files)[0].Against
	}
	assert.Equal(t, []string{"Of 5.1 there is no R, Rs"}, said("bed C.wav", "bed L.wav", "bed LFE.wav", "bed Ls.wav"))
	assert.Equal(t, []string{"Of lcr there is no R"}, said("bed C.wav", "bed L.wav"))
	assert.Empty(t, said("bed R.wav", "bed L.wav"))
}

func TestGather(t *testing.T) {
	for name, c := range map[string]struct {
		files  []Arrival
		want   string
		layout layout.Name
	}{
		"a file set, out of order": {[]Arrival{arrived("c", inSet("x", 3, 3)), arrived("a", inSet("x", 1, 3)),
			arrived("b", inSet("x", 2, 3))}, "isos a,b,c", ""},
		"a file is missing": {[]Arrival{arrived("a", inSet("x", 1, 3)), arrived("b", inSet("x", 2, 3))}, "isos? a,b", ""},
		"two takes under one set": {[]Arrival{arrived("a", inSet("x", 1, 2)), arrived("b", inSet("x", 2, 2, slate("18C", "2")))}, "",
			""},
		"a set whose lengths differ": {[]Arrival{arrived("a", inSet("x", 1, 2)), arrived("b", inSet("x", 2, 2, longer(5)))}, "isos? a,b",
			""},
		"numbers and stamps": {[]Arrival{arrived("18C_T1_2.wav", nil), arrived("18C_T1_1.wav", nil)},
			"isos 18C_T1_1.wav,18C_T1_2.wav", ""},
		"numbers, other stamps": {[]Arrival{arrived("18C_1.wav", slate("18C", "1")),
			arrived("18C_2.wav", func(d *take.Description) { slate("18C", "2")(d); later(5000)(d) })}, "", ""},
		"numbers, other takes at one stamp": {[]Arrival{arrived("18C_1.wav", slate("18C", "1")), arrived("18C_2.wav", slate("18C", "2"))},
			"isos? 18C_1.wav,18C_2.wav", ""},
		"another folder": {[]Arrival{arrived("x/18C_T1_2.wav", nil), arrived("y/18C_T1_1.wav", nil)}, "", ""},
		"six monos": {[]Arrival{arrived("bed Left.wav", unstamped), arrived("bed LFE.wav", unstamped), arrived("bed Right.wav", unstamped),
			arrived("bed_Rs.wav", unstamped), arrived("bed.Ls.wav", unstamped), arrived("bed-Centre.wav", unstamped)},
			"bonded bed Left.wav,bed Right.wav,bed-Centre.wav,bed LFE.wav,bed.Ls.wav,bed_Rs.wav", layout.Five1},
		"four of six": {[]Arrival{arrived("bed C.wav", nil), arrived("bed L.wav", nil), arrived("bed LFE.wav", nil), arrived("bed Ls.wav", nil)},
			"isos? bed C.wav,bed L.wav,bed LFE.wav,bed Ls.wav", ""},
		"a stereo pair": {[]Arrival{arrived("cue.R.wav", unstamped), arrived("cue.L.wav", unstamped)},
			"bonded cue.L.wav,cue.R.wav", layout.Stereo},
		"a pair of which one is longer": {[]Arrival{arrived("cue.R.wav", unstamped),
			arrived("cue.L.wav", func(d *take.Description) { unstamped(d); longer(1)(d) })}, "bonded? cue.L.wav,cue.R.wav", layout.Stereo},
		"one side stamped": {[]Arrival{arrived("cue.R.wav", unstamped), arrived("cue.L.wav", nil)}, "bonded? cue.L.wav,cue.R.wav",
			layout.Stereo},
		"other rates": {[]Arrival{arrived("cue.R.wav", nil), arrived("cue.L.wav",
			func(d *take.Description) { d.SampleRate = 44100 })}, "bonded? cue.L.wav,cue.R.wav", layout.Stereo},
		"a split take": {[]Arrival{arrived("18C_T1_2.wav", later(1000)), arrived("18C_T1_1.wav", nil),
			arrived("18C_T1_3.wav", later(2000))}, "split 18C_T1_1.wav>18C_T1_2.wav>18C_T1_3.wav", ""},
		"a gap of a sample": {[]Arrival{arrived("18C_T1_2.wav", later(1001)), arrived("18C_T1_1.wav", nil)}, "", ""},
		"a split set of two": {[]Arrival{arrived("a1", inSet("x", 1, 4)), arrived("a2", inSet("x", 2, 4)),
			arrived("b1", inSet("x", 3, 4, later(1000))), arrived("b2", inSet("x", 4, 4, later(1000)))},
			"isos a1>b1,a2>b2", ""},
		"takes that touch": {[]Arrival{arrived("a.wav", slate("18C", "1")), arrived("b.wav",
			func(d *take.Description) { slate("18C", "2")(d); later(1000)(d) })}, "", ""},
		"nothing": {nil, "", ""},
	} {
		t.Run(name, func(t *testing.T) {
			families := Families(c.files)
			assert.Equal(t, c.want, familyText(families))
			if c.layout != "" {
				require.NotEmpty(t, families)
				assert.Equal(t, c.layout, families[0].Layout)
			}
			for _, f := range families {
				assert.NotEmpty(t, f.Why)
			}
		})
	}
}

func TestAssess(t *testing.T) {
	strangers := Assess([]Arrival{arrived("a.wav", nil), arrived("b.wav", func(d *take.Description) {
		slate("18C",
			"2")(d)
		later(7)(d)
		longer(9)(d)
	})})
	assert.Equal(t, "isos? a.wav,b.wav", familyText([]Family{strangers}))
	assert.Len(t, strangers.Against, 3, "stamp, length and take: %v", strangers.Against)
	assert.Equal(t, "split a.wav>b.wav", familyText([]Family{Assess([]Arrival{arrived("b.wav", later(1000)), arrived("a.wav", nil)})}))
	assert.False(t, Assess([]Arrival{arrived("a.wav", nil)}).Sure())
}

func TestATakeThatGoesOnOverMidnight(t *testing.T) {
	at := func(start int64) func(*take.Description) {
		return func(d *take.Description) { d.StartSamples = &start }
	}
	const day = 24 * 3600 * 48000
	a, b, c := arrived("18C_T1_1.wav", at(day-1500)), arrived("18C_T1_2.wav", at(day-500)), arrived("18C_T1_3.wav", at(500))
	for _, files := range [][]Arrival{{a, b, c}, {c, b, a}, {b, c, a}} {
		assert.Equal(t, "split 18C_T1_1.wav>18C_T1_2.wav>18C_T1_3.wav", familyText(Families(files)))
		assert.Equal(t, "split 18C_T1_1.wav>18C_T1_2.wav>18C_T1_3.wav", familyText([]Family{Assess(files)}))
	}
}

func TestWhole(t *testing.T) {
	named := arrived("18C_1.wav", func(d *take.Description) {
		d.Tracks[0].Name = "Boom"
		d.Recovered = true
		d.Warnings = []take.Warning{{Code: "x", Message: "cut", Offset: 9}}
	})
	d := Whole([][]take.Description{{named.Description, arrived("", nil).Description},
		{arrived("", nil).Description, arrived("", nil).Description}}, [][]string{{"18C_1.wav", "18C_2.wav"}, {"bed Left.wav", "x"}})
	assert.Equal(t, 2, d.Channels)
	assert.EqualValues(t, 2000, d.Frames)
	assert.Equal(t, []string{"Boom", "L"}, d.Names())
	assert.True(t, d.Recovered)
	assert.Equal(t, []take.Warning{{Code: "x", Message: "18C_1.wav: cut", Offset: -1}}, d.Warnings)
}

// Whatever files are called, each is in at most one family, and no family holds a file that never arrived.
func FuzzFamilies(f *testing.F) {
	f.Add("18C_T1_1.wav\n18C_T1_2.wav\nbed L.wav\nbed.R.wav", int64(0), int64(1000))
	f.Add("a-Left Surround\na-LFE\n/\n..", int64(-5), int64(0))
	f.Fuzz(func(t *testing.T, names string, start, frames int64) {
		var files []Arrival
		for i, name := range strings.Split(names, "\n") {
			files = append(files, arrived(name, func(d *take.Description) {
				n := start + int64(i%3)*frames
				d.StartSamples, d.Frames = &n, frames
			}))
			files[i].ID = fmt.Sprint(i)
			if i == 50 {
				break
			}
		}
		in := map[string]bool{}
		for _, family := range Families(files) {
			for _, id := range family.Files() {
				if in[id] {
					t.Fatalf("file %s is in two families", id)
				}
				in[id] = true
			}
		}
		Assess(files)
	})
}
