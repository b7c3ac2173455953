package take

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

func TestDescribe(t *testing.T) {
	bext := &wave.Bext{Description: "zSPEED=025.000-NDF\r\nzTAKE=9\r\nzSCENE=99\r\nzTAPE=B-02\r\nTRK1=Mix L\r\nsTRK2=Lav Tobiah\r\nzTRK2=twice\r\nsNOTE=windy", TimeReference: 48000 * 3600}
	for name, c := range map[string]struct {
		file     string
		header   func(*wave.Header)
		scene    string
		take     string
		roll     string
		circled  bool
		timecode string
		names    []string
		uses     []Use
	}{
		"iXML": {"x.wav", func(h *wave.Header) { h.IXML = wavetest.IXML(nil) }, "12A", "3", "LF03", true,
			"10:01:12:00", []string{"MixL", "Boom"}, []Use{Mix, Iso}},
		"iXML before bext, which fills gaps": {"x.wav", func(h *wave.Header) {
			h.IXML, h.Bext = wavetest.IXML(func(x *wave.IXML) { x.Tape = "" }),
				bext
		}, "12A", "3", "B-02", true, "10:01:12:00", []string{"MixL", "Boom"}, []Use{Mix, Iso}},
		"bext": {"LF01_7_T1.wav", func(h *wave.Header) { h.Bext = bext }, "99", "9", "B-02", false, "01:00:00:00",
			[]string{"Mix L", "Lav Tobiah"}, []Use{Mix, Iso}},
		"file name": {"card/LF03_12B_T02.wav", nil, "12B", "2", "LF03", false, "", []string{"", ""},
			[]Use{Unknown, Unknown}},
		"nothing": {"Accordion cue.wav", nil, "", "", "", false, "", []string{"", ""}, []Use{Unknown, Unknown}},
		"pulled clock": {"x.wav", func(h *wave.Header) {
			h.IXML = wavetest.IXML(func(x *wave.IXML) { x.Speed.StampRate = "48048"; x.Speed.StampLow = "172972800" })
		}, "12A", "3", "LF03", true, "01:00:00:00", []string{"MixL", "Boom"}, []Use{Mix, Iso}},
		"stamp beyond a day": {"x.wav", func(h *wave.Header) { h.IXML = wavetest.IXML(func(x *wave.IXML) { x.Speed.StampHigh = "9" }) }, "12A",
			"3", "LF03", true, "", []string{"MixL", "Boom"}, []Use{Mix, Iso}},
		"no interleave index": {"x.wav", func(h *wave.Header) {
			h.IXML = wavetest.IXML(func(x *wave.IXML) { x.Tracks.Tracks = []wave.IXMLTrack{{ChannelIndex: "2", Name: "Plant\n"}} })
		}, "12A", "3", "LF03", true, "10:01:12:00", []string{"", "Plant"}, []Use{Unknown, Iso}},
	} {
		t.Run(name, func(t *testing.T) {
			d := Describe(wavetest.Stepped(t, 2, 10, c.header), c.file)
			assert.Equal(t, []string{c.scene, c.take, c.roll}, []string{d.Scene, d.Take, d.Roll})
			assert.Equal(t, c.circled, d.Circled)
			for i := range 2 {
				assert.Equal(t, c.names[i], d.Tracks[i].Name)
				assert.Equal(t, c.uses[i], d.Tracks[i].Use)
			}
			if c.timecode == "" {
				assert.Nil(t, d.StartTimecode)
			} else if assert.NotNil(t, d.StartTimecode) {
				assert.Equal(t, c.timecode, *d.StartTimecode)
			}
		})
	}
}

func TestPulledStampCountsAudioSamples(t *testing.T) {
	d := Describe(wavetest.Stepped(t, 2, 10, func(h *wave.Header) {
		h.IXML = wavetest.IXML(func(x *wave.IXML) { x.Speed.StampRate, x.Speed.StampLow = "48048", "172972800" })
	}), "x.wav")
	assert.EqualValues(t, 48000*3600, *d.StartSamples)
}

func TestWhatTheRecorderSaid(t *testing.T) {
	for name, c := range map[string]struct {
		change                   func(h *wave.Header)
		wild, noGood, falseStart bool
	}{
		"nothing":             {func(h *wave.Header) { h.IXML = wavetest.IXML(nil) }, false, false, false},
		"by flags":            {func(h *wave.Header) { h.IXML = &wave.IXML{WildTrack: "TRUE", NoGood: "false", False: "true"} }, true, false, true},
		"by the kind of it":   {func(h *wave.Header) { h.IXML = &wave.IXML{TakeType: "WILD_TRACK,NO_GOOD"} }, true, true, false},
		"of no kind":          {func(h *wave.Header) { h.IXML = &wave.IXML{TakeType: "DEFAULT"} }, false, false, false},
		"in bext's own words": {func(h *wave.Header) { h.Bext = &wave.Bext{Description: "sNO_GOOD=TRUE\r\nsWILD_TRACK=1"} }, true, true, false},
	} {
		d := Describe(wavetest.Stepped(t, 1, 10, c.change), "x.wav")
		assert.Equal(t, []bool{c.wild, c.noGood, c.falseStart}, []bool{d.Wild, d.NoGood, d.FalseStart}, name)
	}
	one := func(h *wave.Header) { h.Bext = &wave.Bext{Description: "sTRK5=Ines lav"} }
	assert.Equal(t, "Ines lav", Describe(wavetest.Stepped(t, 1, 10, one), "x.wav").Tracks[0].Name, "a mono of a set has its own line")
	two := func(h *wave.Header) { h.Bext = &wave.Bext{Description: "sTRK5=Ines lav\r\nsTRK6=Boom"} }
	assert.Empty(t, Describe(wavetest.Stepped(t, 1, 10, two), "x.wav").Tracks[0].Name, "which of two nobody can tell")
}

func TestFrameRatesOfBext(t *testing.T) {
	for line, want := range map[string]string{"sSPEED=023.976-ND": "23.976", "sSPEED=029.970-DF": "29.97", "sSPEED=025.000": "25",
		"SPEED=24": "24", "sSPEED=fast": "", "sSPEED=031.000-ND": ""} {
		d := Describe(wavetest.Stepped(t, 1, 10, func(h *wave.Header) { h.Bext = &wave.Bext{Description: line} }), "x.wav")
		if want == "" {
			assert.Nil(t, d.FrameRate, line)
			continue
		}
		require.NotNil(t, d.FrameRate, line)
		assert.Equal(t, want, *d.FrameRate)
	}
}

func TestUseByName(t *testing.T) {
	for name, want := range map[string]Use{"Mixdown": Mix, "ST MIX R": Mix, "Prod Mix": Mix, "Mixer desk": Iso, "Mix L": Mix, "MIXR": Mix,
		"mix": Mix, "L Mix": Mix, "Boom": Iso, "Matrix": Iso, "Remix hall": Iso, "": Unknown} {
		assert.Equal(t, want, UseOf(Track{Name: name}), name)
	}
}

func TestSuggestions(t *testing.T) {
	scene := Description{Scene: "12A"}
	for _, c := range []struct {
		d          Description
		path, name string
		kind       Kind
		stem       string
	}{
		{scene, "music/12A_T1.wav", "Boom", Recording, "DX"},
		{scene, "x.wav", "Wheelhouse plant", Recording, "AX"},
		{scene, "x.wav", "Narrator", Recording, "NX"},
		{scene, "x.wav", "Winch, close", Recording, "FX"},
		{Description{}, "library/River bed.wav", "River bed", Effect, "AX"},
		{Description{}, "music/Accordion cue.wav", "L", Music, "MX"},
		{Description{}, "effects/Winch.wav", "", Effect, "FX"},
		{Description{}, "music and more/effects/Squeak.wav", "", Effect, "FX"},
		{Description{Scene: "wild"}, "card/wild_T1 water.wav", "Boom", Effect, "FX"},
		{Description{}, "rescue.wav", "Chinchilla", Recording, "DX"},
	} {
		kind := KindOf(c.d, c.path)
		assert.Equal(t, c.kind, kind, c.path)
		assert.Equal(t, c.stem, func() string { stem, _ := Suggest(DefaultRules(), nil, kind, c.name, ""); return stem }(), c.name)
	}
}

func TestParts(t *testing.T) {
	d := Description{Channels: 4, Tracks: []Track{{Index: 1, Name: "Mix L"}, {Index: 2, Name: "Mix R"}, {Index: 3, Name: "Boom"}, {Index: 4}}}
	parts, err := Parts(d, []Set{Pair(1, 2)})
	require.NoError(t, err)
	assert.Equal(t, []Part{{"Mix", []int{0, 1}, []string{"L", "R"}, false}, {"Boom", []int{2}, []string{"M"}, false},
		{"Channel 4", []int{3}, []string{"M"}, false}}, parts)
	for _, bad := range [][]Set{
		{Pair(1, 5)}, {Pair(0, 1)}, {Pair(1, 2), Pair(2, 3)}, {Pair(3, 3)}, {{Bonded, []int{1}, []string{"L"}}},
		{{Bonded, []int{1, 2}, []string{"L", "Ls"}}},
		{{Bonded, []int{1, 2, 3}, []string{"L", "R"}}}, {{Field, []int{1, 2, 3, 4}, []string{"W", "Y", "X", "Z"}}},
		{{Sum, []int{1, 2}, []string{"L", "R"}}}, {{"stack", []int{1, 2}, []string{"L", "R"}}},
	} {
		_, err := Parts(d, bad)
		assert.Equal(t, fault.BadInput, fault.KindOf(err), bad)
	}
}

// C22. What a file says of its channels decides how it is measured; where it says nothing, that is said.
func TestLayoutOf(t *testing.T) {
	five1, seven1, film := []string{"L", "R", "C", "LFE", "Ls", "Rs"}, []string{"L", "R", "C", "LFE", "Lrs", "Rrs", "Lss", "Rss"},
		[]string{"L", "C", "R", "Ls", "Rs", "LFE"}
	named := func(names []string, prefix string, function bool) []Track {
		var tracks []Track
		for _, n := range names {
			tr := Track{Name: prefix + n}
			if function {
				tr = Track{Name: "Channel", Function: n}
			}
			tracks = append(tracks, tr)
		}
		return tracks
	}
	for name, c := range map[string]struct {
		channels int
		mask     uint32
		tracks   []Track
		want     []string
		layout   layout.Name
		by       string
	}{
		"5.1 by mask":             {6, 0x3f, nil, five1, layout.Five1, "mask"},
		"5.1 by side mask":        {6, 0x60f, nil, five1, layout.Five1, "mask"},
		"5.0 by mask":             {5, 0x37, nil, []string{"L", "R", "C", "Ls", "Rs"}, layout.Five0, "mask"},
		"7.1 by mask":             {8, 0x63f, nil, seven1, layout.Seven1, "mask"},
		"5.1.4 by mask":           {10, 0x2d03f, nil, append(five1[:6:6], "Ltf", "Rtf", "Ltr", "Rtr"), layout.Five14, "mask"},
		"7.1.4 by mask":           {12, 0x2d63f, nil, append(seven1[:8:8], "Ltf", "Rtf", "Ltr", "Rtr"), layout.Seven14, "mask"},
		"film order by functions": {6, 0, named(film, "", true), film, layout.Five1, "functions"},
		"film order by names":     {6, 0, named(film, "Full mix ", false), film, layout.Five1, "names"},
		"names before the mask":   {6, 0x3f, named(film, "", false), film, layout.Five1, "names"},
		"six microphones": {6, 0, named([]string{"Boom", "Ines", "Tobiah", "Radio", "Plant", "Spare"}, "", false),
			[]string{"1", "2", "3", "4", "5", "6"}, layout.Discrete, "assumed"},
		"a mask of another width": {6, 0x37, nil, []string{"1", "2", "3", "4", "5", "6"}, layout.Discrete, "assumed"},
		"two channels":            {2, 0, nil, []string{"L", "R"}, layout.Stereo, "assumed"},
		"one channel":             {1, 0, nil, []string{"M"}, layout.Mono, "one channel"},
	} {
		if c.tracks == nil {
			c.tracks = make([]Track, c.channels)
		}
		l, by := LayoutOf(&wave.File{Format: wave.Format{Channels: c.channels, Mask: c.mask}}, c.tracks)
		assert.Equal(t, c.want, l.Labels, name)
		assert.Equal(t, c.layout, l.Name, name)
		assert.Contains(t, by, c.by, name)
	}
}

func FuzzDescribe(f *testing.F) {
	f.Add("sSCENE=12A\r\nsSPEED=025.000-NDF", "<BWFXML><TRACK_LIST><TRACK><INTERLEAVE_INDEX>1</INTERLEAVE_INDEX></TRACK></TRACK_LIST></BWFXML>", "LF03_12A_T1.wav")
	f.Fuzz(func(t *testing.T, bext, xml, name string) {
		src := wavetest.Stepped(t, 1, 2, func(h *wave.Header) {
			h.Bext = &wave.Bext{Description: bext}
			h.Extra = []wave.RawChunk{{ID: "iXML", Body: []byte(xml)}}
		})
		d := Describe(src, name)
		if len(d.Tracks) != 1 || len([]rune(d.Scene)) > 500 {
			t.Fatalf("%+v", d)
		}
	})
}

func TestNamesLandOnTheirChannels(t *testing.T) {
	tracks := func(list ...string) (out []wave.IXMLTrack) { // input, interleave, name
		for i := 0; i < len(list); i += 3 {
			out = append(out, wave.IXMLTrack{ChannelIndex: list[i], InterleaveIndex: list[i+1], Name: list[i+2]})
		}
		return out
	}
	for name, c := range map[string]struct {
		tracks []wave.IXMLTrack
		want   []string
	}{
		"inputs 2 4 5 7":            {tracks("2", "", "a", "4", "", "b", "5", "", "c", "7", "", "d"), []string{"a", "b", "c", "d"}},
		"inputs out of order":       {tracks("7", "", "d", "2", "", "a", "5", "", "c", "4", "", "b"), []string{"a", "b", "c", "d"}},
		"interleave counts":         {tracks("2", "4", "d", "4", "3", "c", "5", "2", "b", "7", "1", "a"), []string{"a", "b", "c", "d"}},
		"some are not named":        {tracks("1", "", "a", "4", "", "d"), []string{"a", "", "", "d"}},
		"which of them, nobody can": {tracks("2", "", "a", "7", "", "d"), []string{"", "", "", ""}},
	} {
		src := wavetest.Stepped(t, 4, 10, func(h *wave.Header) { h.IXML = &wave.IXML{Tracks: &wave.IXMLTracks{Tracks: c.tracks}} })
		assert.Equal(t, c.want, Describe(src, "x.wav").Names(), name)
	}
	upper := wavetest.Stepped(t, 1, 10, func(h *wave.Header) { h.Bext = &wave.Bext{Description: "STRK1=Boom\r\nSSCENE=12A"} })
	assert.Equal(t, []string{"Boom", "12A"}, []string{Describe(upper, "x.wav").Tracks[0].Name, Describe(upper, "x.wav").Scene})
}
