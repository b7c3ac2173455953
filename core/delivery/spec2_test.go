package delivery

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/adm"
	"zestyloom/core/contract"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
	"zestyloom/core/weave"
)

// ferry is a reel with all that the shipped specs ask for: strands of dialogue, narration in two languages, wide stems, marks
// with a length, and a picture.
func ferry(t testing.TB) production {
	p := crossing(t)
	wide := []string{"L", "R", "C", "LFE", "Ls", "Rs"}
	boom := p.reel.TrackList()[0].ID
	do(t, p.reel, reel.SetTrack{Track: boom, Strand: ptr("Ines Calder")})
	for i, language := range []string{"English", "Portuguese"} {
		p.takes[language] = tone(t, 1, 3, 0.02*float64(i+1))
		do(t, p.reel, reel.AddTake{Take: language, Title: language, Start: start + 24000, Length: p.takes[language].Frames,
			Parts: []reel.PartPlan{{Name: "Narration " + language, Stem: "NX", Strand: language, Channels: []int{0}, Labels: []string{"M"}}}})
	}
	p.takes["deck"] = tone(t, 4, 4, 0.01)
	do(t, p.reel, reel.SetStem{Stem: "AX", Labels: &wide})
	do(t, p.reel, reel.AddTake{Take: "deck", Title: "Deck", Start: start, Length: p.takes["deck"].Frames,
		Parts: []reel.PartPlan{{Name: "Deck", Stem: "AX", Channels: []int{0, 1, 2, 3}, Labels: []string{"ACN0", "ACN1", "ACN2", "ACN3"}}}})
	do(t, p.reel, reel.SetMark{Name: "Act 1", At: start + 1920*10, Length: 1920 * 50})
	do(t, p.reel, reel.SetMark{Name: "Act 2", At: start + 1920*70, Length: 1920 * 25})
	do(t, p.reel, reel.SetReel{Picture: &reel.PictureChoice{Take: "cut", Start: new(int64(start))}})
	return p
}

// all prints a plan whole: with what is resampled, and checked.
func (p production) all(t testing.TB, s contract.Spec, asked Asked) (Plan, *reel.Reel, folder, Report) {
	plan, r, err := NewPlan("The Lantern Ferry", p.reel, s, asked)
	require.NoError(t, err)
	require.True(t, plan.Printable(), "%s: %+v", s.ID, plan.Findings)
	d := folder{}
	printed, err := Print(context.Background(), plan, r, Press{Open: p.open, Create: d.create, Stamp: Stamp{"2026-01-02", "03:04:05"}})
	require.NoError(t, err)
	require.NoError(t, Resample(context.Background(), plan, r, printed, d.open, d.create, Stamp{"2026-01-02", "03:04:05"}, func(float64) {}))
	report, err := Verify(context.Background(), plan, r, printed, d.open, func(float64) {})
	require.NoError(t, err)
	return plan, r, d, report
}

// Every shipped spec is printed in every way of packing: what comes out is what was planned, to the sample, and no rule of the
// files fails; what is measured may.
func TestEveryShippedSpecIsPrinted(t *testing.T) {
	specs, err := contract.Shipped()
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(specs), 12)
	measured := []string{"loudness", "true-peak", "ppm"}
	for _, s := range specs {
		for _, packaging := range append([]contract.Packaging{""}, s.Packaging...) {
			p := ferry(t)
			plan, r, d, report := p.all(t, s, Asked{Packaging: packaging, Date: "2026-01-02"})
			for _, f := range report.Findings {
				if !slices.Contains(measured, f.Rule) {
					assert.Equal(t, contract.OK, f.Severity, "%s: %+v", s.ID, f)
				}
			}
			for _, part := range plan.Parts() {
				f := plan.Files[part.File]
				w := wavetest.Read(t, d[part.Name].b)
				assert.Equal(t, []int64{f.Frames, int64(len(part.Channels)), int64(f.Rate), int64(f.Depth)}, []int64{w.Frames, int64(w.Channels),
					int64(w.SampleRate), int64(w.BitDepth)}, part.Name)
				assert.Equal(t, int64(f.Start), w.Bext.TimeReference, part.Name)
			}
			assert.NotEmpty(t, report.Groups, s.ID)
			again, _, err := NewPlan("The Lantern Ferry", r, s, Asked{Packaging: packaging, Date: "2026-01-02"})
			require.NoError(t, err)
			assert.Equal(t, plan.Files, again.Files, "what is laid out is planned as what is not: %s", s.ID)
		}
	}
}

// A file for each channel in film order, with leader, line-up tone and pops where they belong, to the sample.
func TestLeaderAndDiscreteMonos(t *testing.T) {
	p := ferry(t)
	plan, _, d, _ := p.all(t, spec(t, "film-order-monos"), Asked{})
	var names []string
	for _, f := range plan.Files {
		names = append(names, f.Name)
	}
	assert.Equal(t, []string{"The_Lantern_Ferry_Crossing_M51_1.L.wav", "The_Lantern_Ferry_Crossing_M51_2.C.wav",
		"The_Lantern_Ferry_Crossing_M51_3.R.wav", "The_Lantern_Ferry_Crossing_M51_4.Ls.wav",
		"The_Lantern_Ferry_Crossing_M51_5.Rs.wav", "The_Lantern_Ferry_Crossing_M51_6.LFE.wav", "The_Lantern_Ferry_Crossing_MST.wav"}, names)
	assert.Equal(t, "09:59:00:00", plan.StartTimecode)
	x, w := d.samples(t, names[5]) // the LFE, on which there is nothing else
	assert.EqualValues(t, start-60*48000, w.Bext.TimeReference)
	loud := func(from, to int64) (most float64) {
		for _, v := range x[0][from:to] {
			most = max(most, math.Abs(v))
		}
		return 20 * math.Log10(most+1e-12)
	}
	const second = 48000
	assert.InDelta(t, -18, loud(0, 20*second), 0.01)
	assert.Less(t, loud(20*second, 58*second), -130.0)
	assert.NotEqual(t, x[0][:48], x[0][48:96], "a tone is dithered, also where nothing else is: no two of its periods are the same")
	assert.InDelta(t, -20, loud(58*second, 58*second+1920), 0.1)
	assert.Zero(t, x[0][58*second], "a sine begins at 0")
	assert.Less(t, loud(58*second+1920, int64(len(x[0]))-2*second), -130.0)
	end := int64(len(x[0]))
	assert.InDelta(t, -20, loud(end-1920, end), 0.1, "the file ends with the pop two seconds after the programme")
	assert.EqualValues(t, 60*second+126*1920+2*second+1920, end)
}

func TestRanges(t *testing.T) {
	p := ferry(t)
	s := spec(t, "promo-kit")
	plan, _, d, _ := p.all(t, s, Asked{Range: []string{"marks"}, Version: 3})
	require.Len(t, plan.Files, 12)
	assert.Equal(t, "The_Lantern_Ferry_Crossing_MIX_v3_Act_1.wav", plan.Files[0].Name)
	assert.EqualValues(t, 1920*(50+20), plan.Files[0].Frames, "with ten frames of handles on each side")
	assert.EqualValues(t, start, plan.Files[0].Start, "which begin ten frames before the mark")
	// What is printed of a range is what is printed of all of it there.
	whole, _, dw, _ := p.all(t, s, Asked{Range: []string{"reel"}})
	a, _ := d.samples(t, plan.Files[6].Name)
	b, _ := dw.samples(t, whole.Files[0].Name)
	at := plan.Ranges[1].From - whole.Ranges[0].From
	for c := range a {
		for i, x := range a[c] {
			require.InDelta(t, b[c][at+int64(i)], x, 3.0/(1<<23))
		}
	}
	for words, says := range map[string]string{"mark Act 9": "no mark called", "10:00:02:00–10:00:01:00": "ends before it begins",
		"soon": "is no range", "10:00:00:00-10:00:01:00": "", "mark act 2": "", "10:00:01:00 - 10:00:02:10": ""} {
		plan, _, err := NewPlan("x", p.reel, s, Asked{Range: []string{words}})
		require.NoError(t, err)
		if says == "" {
			assert.True(t, plan.Printable(), words)
			continue
		}
		require.NotEmpty(t, plan.Findings, words)
		assert.Contains(t, plan.Findings[0].Message, says)
		assert.False(t, plan.Printable())
	}
}

// A start or a frame rate that differs is offered as a change.
func TestWhatDiffersIsOfferedAsAChange(t *testing.T) {
	p := ferry(t)
	do(t, p.reel, reel.SetReel{Start: ptr(int64(start - 30*48000))})
	s := spec(t, "six-channel-split")
	plan, _, err := NewPlan("x", p.reel, s, Asked{})
	require.NoError(t, err)
	require.False(t, plan.Printable())
	at := slices.IndexFunc(plan.Findings, func(f contract.Finding) bool { return f.Rule == "start" })
	offers := plan.Findings[at].Offers
	require.Len(t, offers, 2)
	assert.Equal(t, "Stamp the files from 10:00:00:00 on", offers[0].Name)
	stamped, _, d, _ := p.all(t, s, Asked{Restamp: offers[0].Restamp})
	_, w := d.samples(t, stamped.Files[0].Name)
	assert.EqualValues(t, start, w.Bext.TimeReference)
	assert.Equal(t, plan.Frames, w.Frames, "nothing is left out")
	assert.Equal(t, "Print from 10:00:00:00 on", offers[1].Name)
	from, _, d, _ := p.all(t, s, Asked{Range: offers[1].Range})
	_, w = d.samples(t, from.Files[0].Name)
	assert.EqualValues(t, start, w.Bext.TimeReference)
	assert.Equal(t, plan.Frames-30*48000, w.Frames)

	q := ferry(t)
	do(t, q.reel, reel.SetReel{FrameRate: &timecode.Rate{Num: 24, Den: 1}})
	plan, _, err = NewPlan("x", q.reel, s, Asked{})
	require.NoError(t, err)
	at = slices.IndexFunc(plan.Findings, func(f contract.Finding) bool { return f.Rule == "frame-rate" })
	command, err := plan.Findings[at].Offers[0].Command.Decode()
	require.NoError(t, err)
	do(t, q.reel, command)
	plan, _, err = NewPlan("x", q.reel, s, Asked{})
	require.NoError(t, err)
	assert.True(t, plan.Printable(), plan.Findings)
}

// At another rate than the reel a tone is still that tone, at its level and place.
func TestAnotherRateThanTheReel(t *testing.T) {
	p := ferry(t)
	plan, _, d, report := p.all(t, spec(t, "adm-master"), Asked{})
	name := plan.Files[1].Name
	assert.Equal(t, "The_Lantern_Ferry_Crossing_MST_16.wav", name)
	x, w := d.samples(t, name)
	assert.Equal(t, 44100, w.SampleRate)
	assert.EqualValues(t, 36000*44100, w.Bext.TimeReference)
	assert.EqualValues(t, math.Round(126*1920*441.0/480), w.Frames)
	// The bell is a sine of 300 Hz at 0.08 from 2 s on, in the middle of the pair's fold of 5.1.
	y, _ := d.samples(t, plan.Files[0].Name)
	for _, at := range []int{10000, 90000, 100000, 180000} { // the same moments, in samples at 44.1 kHz of a multiple of 147
		at -= at % 147
		assert.InDelta(t, y[6][at/147*160], x[0][at], 2e-4, "at %d", at)
	}
	assert.True(t, report.Pass, report.Findings)
}

// The description of a file is read back to the groups that are in it.
func TestTheDescriptionSaysWhatIsInTheFile(t *testing.T) {
	p := ferry(t)
	for _, id := range []string{"adm-master", "immersive"} {
		plan, _, d, _ := p.all(t, spec(t, id), Asked{})
		at := slices.IndexFunc(plan.Files, func(f PlannedFile) bool { return f.ADM != "" })
		f := plan.Files[at]
		w := wavetest.Read(t, d[f.Name].b)
		assert.Equal(t, wave.BW64, w.Container)
		chunk := func(id string) []byte {
			c, there := w.Raw(id)
			require.True(t, there, id)
			return c
		}
		doc, err := adm.Read(chunk("axml"), chunk("chna"))
		require.NoError(t, err)
		assert.Equal(t, "The Lantern Ferry, Crossing", doc.Programme)
		var tracks []int
		for _, o := range doc.Objects {
			for _, c := range o.Channels {
				tracks = append(tracks, c.Track)
				assert.Equal(t, f.Channels[c.Track-1].Label, c.Label)
			}
		}
		assert.Len(t, tracks, len(f.Channels))
		if id == "adm-master" { // the mix, its fold-down and the music have sources in common, and would be too loud together
			assert.Equal(t, []adm.Programme{{Name: "The Lantern Ferry, Crossing", Language: "eng", Objects: []int{0}},
				{Name: "The Lantern Ferry, Crossing: Full mix stereo", Language: "eng", Objects: []int{1}},
				{Name: "The Lantern Ferry, Crossing: Music", Objects: []int{2}}}, doc.Programmes)
		}
		if id == "immersive" { // which is heard over its sound field
			assert.Nil(t, doc.Programmes)
			assert.True(t, doc.Objects[0].Field())
			assert.Equal(t, adm.Channel{Track: 4, Label: "ACN3", Order: 1, Degree: 1, Norm: "SN3D"}, doc.Objects[0].Channels[3])
		}
	}
}

// What a reel has of its own for another spec's outputs is not in a print after this one, which is said.
func TestRoutesOfAnotherSpecAreMissed(t *testing.T) {
	p := ferry(t)
	lay, err := LayOut(spec(t, "eight-channel-mix"), p.reel)
	require.NoError(t, err)
	do(t, p.reel, lay)
	missed := func(id string) bool {
		plan, _, err := NewPlan("x", p.reel, spec(t, id), Asked{})
		require.NoError(t, err)
		return slices.ContainsFunc(plan.Findings, func(f contract.Finding) bool {
			return f.Rule == "laid-out" && strings.Contains(f.Message, "2 knots, levels and corrections")
		})
	}
	require.False(t, missed("promo-kit"), "the spec's own knots are made anew")
	do(t, p.reel, reel.SetBus{Row: reel.GroupRow, From: "music", GainDB: ptr(-2.0)})
	do(t, p.reel, reel.SetKnots{Knots: []reel.Crosspoint{{Row: reel.TrackRow, From: p.reel.TrackList()[0].ID, Output: "music/L"}}})
	assert.True(t, missed("promo-kit"))
	assert.False(t, missed("eight-channel-mix"), "there they are")
}

// A rule may be graver, or less, than it is by itself; one that is not looked at stops nothing.
func TestChecksAreGraded(t *testing.T) {
	p := ferry(t)
	do(t, p.reel, reel.SetTrack{Track: p.reel.TrackList()[0].ID, Mute: ptr(true)})
	s := spec(t, "six-channel-split")
	for as, printable := range map[contract.Severity]bool{"": true, contract.Warning: true, contract.OK: true, contract.Error: false} {
		if s.Checks = map[string]contract.Check{"muted": {As: as}}; as == "" {
			s.Checks = nil
		}
		plan, _, err := NewPlan("x", p.reel, s, Asked{})
		require.NoError(t, err)
		assert.Equal(t, printable, plan.Printable(), as)
		assert.Equal(t, as != contract.OK, slices.ContainsFunc(plan.Findings, func(f contract.Finding) bool { return f.Rule == "muted" }), as)
	}
}

// What a container has no words for is said in the plan.
func TestWhatAContainerCantSayIsSaid(t *testing.T) {
	p := ferry(t)
	plan, _, err := NewPlan("x", p.reel, spec(t, "dubbing"), Asked{})
	require.NoError(t, err)
	assert.Contains(t, strings.Join(plan.Files[0].Says, "; "), `mxf has no place for the title "Dialogue guide"`)
	assert.Contains(t, strings.Join(plan.Files[0].Says, "; "), "language eng")
	assert.Empty(t, plan.Files[1].Says)
	for _, f := range plan.Findings {
		assert.NotContains(t, f.Message, "Spare", "what is meant to be silent is not pointed out")
	}
	assert.True(t, plan.Files[1].Channels[7].Silent)
	s := spec(t, "film-order-monos")
	s.Files = []contract.File{{Name: "x", Container: contract.MOV, Of: []string{"film"}}}
	plan, _, err = NewPlan("x", p.reel, s, Asked{})
	require.NoError(t, err)
	assert.Contains(t, plan.Files[0].Says[0], "by number")
}

// The plan of a movie: its streams, its picture, and what ffmpeg is asked for.
func TestMuxing(t *testing.T) {
	p := ferry(t)
	plan, r, err := NewPlan("The Lantern Ferry", p.reel, spec(t, "mix-and-monos-in-a-movie"), Asked{})
	require.NoError(t, err)
	require.Len(t, plan.Files, 1)
	var widths []int
	for _, s := range plan.Files[0].Streams {
		widths = append(widths, len(s.Channels))
	}
	assert.Equal(t, []int{2, 1, 1, 2}, widths, "stereo, mono, mono, stereo")
	movie := Movie{Codec: "h264", Rate: timecode.Rate{Num: 25, Den: 1}, Seconds: 120}
	picture := plan.PictureOf(plan.Files[0], r.Head, movie)
	assert.Equal(t, Picture{Copy: true, Frames: 126, Codec: "h264"}, picture)
	m := plan.Muxing(0, r.Head, &picture)
	args := strings.Join(m.Args([]string{"1", "2", "3", "4"}, "cut.mov", "out.mov"), " ")
	for _, want := range []string{"-map 0:v:0 -map 1:a:0 -map 2:a:0 -map 3:a:0 -map 4:a:0", "-t 5.020000 -i file:cut.mov", "-c:v copy",
		"-c:a:3 pcm_s24le", "-metadata:s:a:1 handler_name=Dialogue", "-metadata:s:a:2 language=eng", "-disposition:a:0 default",
		"-disposition:a:1 0", "-timecode 10:00:00:00", "+bitexact", "-f mov -y file:out.mov"} {
		assert.Contains(t, args, want)
	}
	for name, c := range map[string]struct {
		asked Asked
		lead  []contract.Signal
		movie Movie
		file  contract.Container
		want  Picture
	}{
		"a range within it": {Asked{Range: []string{"mark Act 2"}}, nil, movie, contract.MOV,
			Picture{Why: "it begins within the movie, where a copy could not be cut to the frame", Skip: 70, Frames: 25, Codec: "h264"}},
		"shorter": {Asked{}, nil, Movie{"h264", movie.Rate, 4}, contract.MOV, Picture{Why: "there is black around it", After: 26,
			Frames: 126, Codec: "h264"}},
		"leader": {Asked{}, []contract.Signal{{At: "-00:00:02:00", Pop: 1000, Level: -20}}, movie, contract.MOV,
			Picture{Why: "there is black around it", Before: 50, Frames: 176, Codec: "h264"}},
		"another codec": {Asked{}, nil, Movie{"mpeg2video", movie.Rate, 120}, contract.MP4, Picture{Why: "mp4 does not take mpeg2video",
			Frames: 126, Codec: "h264"}},
	} {
		s := spec(t, "mix-and-monos-in-a-movie")
		s.Programme.Lead, s.Files[0].Container = c.lead, c.file
		plan, r, err := NewPlan("x", p.reel, s, c.asked)
		require.NoError(t, err)
		assert.Equal(t, c.want, plan.PictureOf(plan.Files[0], r.Head, c.movie), name)
	}
	// What another program finds is held against it.
	found := FoundFile{Pictures: 1, Frames: 126, Timecode: "10:00:00:00"}
	var decoded []Decoded
	for i, s := range m.File.Streams {
		found.Streams = append(found.Streams, FoundStream{"pcm_s24le", 48000, len(s.Channels), s.Layout, s.Title, s.Language, i == 0})
		decoded = append(decoded, Decoded{m.File.Frames, true})
	}
	wrong := func(f FoundFile, d []Decoded) (rules []string) {
		for _, x := range m.Check(f, d) {
			if x.Severity == contract.Error {
				rules = append(rules, x.Rule)
			}
		}
		return rules
	}
	assert.Empty(t, wrong(found, decoded))
	harmed := found
	harmed.Streams = slices.Clone(found.Streams)
	harmed.Streams[1].Title, harmed.Streams[2].Channels, harmed.Timecode, harmed.Frames = "Narration", 2, "10:00:00:01", 125
	assert.Equal(t, []string{"names", "channels", "picture", "start"}, wrong(harmed, decoded))
	assert.Equal(t, []string{"stream"}, wrong(FoundFile{Streams: found.Streams[:3]}, decoded))
	assert.Equal(t, []string{"length", "audio"}, wrong(found, append([]Decoded{{m.File.Frames - 1, false}}, decoded[1:]...)))
}

// A spec may grade every rule of the weave.
func TestRulesOfTheWeaveAreGraded(t *testing.T) {
	for _, rule := range weave.Rules {
		assert.Contains(t, contract.Graded, string(rule))
	}
}

// A group that the spec does not ask for, and that is in a file, is pointed out before the desk refuses it.
func TestGroupsThatNobodyAskedFor(t *testing.T) {
	p := crossing(t)
	s := spec(t, "six-channel-split")
	lay, err := LayOut(s, p.reel)
	require.NoError(t, err)
	do(t, p.reel, lay)
	found := func() bool {
		plan, _, err := NewPlan("x", p.reel, s, Asked{})
		require.NoError(t, err)
		return slices.ContainsFunc(plan.Findings, func(f contract.Finding) bool {
			return f.Rule == "groups" && strings.Contains(f.Message, "does not ask for Monitor; the desk will refuse the files that have it")
		})
	}
	assert.False(t, found())
	do(t, p.reel, reel.SetGroup{Name: "Monitor", Layout: "mono", Feed: &reel.Feeder{Row: reel.StemRow, From: "DX"}})
	assert.True(t, found())
}

// A reel over midnight is printed as any other: a range is where the clock says, on whichever side, and stamps are what a clock shows.
func TestAReelOverMidnightIsPrinted(t *testing.T) {
	day := timecode.Rate{Num: 25, Den: 1}.Day(48000)
	by := day - 2*48000 - start // it begins two seconds before
	p := crossing(t)
	for id, c := range p.reel.Clips {
		c.Start += by
		if c.Home != nil {
			c.Home = ptr(*c.Home + by)
		}
		p.reel.Clips[id] = c
	}
	p.reel.Head.Start += by
	p.reel.Marks["m"] = reel.Mark{ID: "m", Name: "Act 1", At: day - 48000, Length: 2 * 48000}
	s := spec(t, "six-channel-split")
	loud(&s)
	s.Programme.Start = ""
	early := start - p.reel.Head.Start + by // where the same sounds lie on a reel that does not
	same := crossing(t)
	for asked, c := range map[string]struct {
		at    int64 // seconds after the start
		stamp timecode.Reading
	}{
		"reel": {0, timecode.Reading(day - 2*48000)}, "mark Act 1": {1, timecode.Reading(day - 48000)},
		"23:59:59:00–00:00:02:00": {1, timecode.Reading(day - 48000)}, "00:00:01:00–00:00:03:00": {3, 48000},
		"00:00:00:00–00:00:02:00": {2, 0},
	} {
		t.Run(asked, func(t *testing.T) {
			plan, _, d, report := p.all(t, s, Asked{Packaging: contract.Interleaved, Range: []string{asked}})
			require.True(t, report.Pass, report.Findings)
			samples, f := d.samples(t, plan.Files[0].Name)
			require.Equal(t, int64(c.stamp), f.Bext.TimeReference)
			require.Less(t, f.Bext.TimeReference, day)
			require.Equal(t, fmt.Sprint(int64(c.stamp)), f.IXML.Speed.StampLow)
			plain, _, d2, _ := same.all(t, s, Asked{Packaging: contract.Interleaved})
			whole, _ := d2.samples(t, plain.Files[0].Name)
			for ch := range samples {
				for i := range 4800 {
					require.InDelta(t, whole[ch][early+c.at*48000+int64(i)], samples[ch][i], 4e-7, "channel %d at %d", ch, i)
				}
			}
		})
	}
	for _, asked := range []string{"00:00:01:00–23:59:59:00", "05:00:00:00–06:00:00:00", "10:00:00:00–10:01:00:00"} {
		plan, _, err := NewPlan("x", p.reel, s, Asked{Range: []string{asked}})
		require.NoError(t, err)
		require.False(t, plan.Printable(), asked)
	}
	lead := s // a leader that begins before midnight, on a reel that begins at it
	lead.Programme.Lead = []contract.Signal{{At: "-00:00:02:00", Tone: 1000, Level: -18, Lasts: 1}}
	plan, _, _, report := p.all(t, lead, Asked{Packaging: contract.Interleaved, Range: []string{"00:00:00:00–00:00:02:00"}})
	require.True(t, report.Pass, report.Findings)
	require.Equal(t, timecode.Reading(day-2*48000), plan.Files[0].Start)
	require.Equal(t, "23:59:58:00", plan.StartTimecode)
}

// A group for each strand, stem or track is as wide as that is: mono where nothing has sides, and then the source itself.
func TestEachInItsOwnWidth(t *testing.T) {
	p := ferry(t)
	for row, want := range map[string]string{"strand, stem: DX": "Ines Calder mono", "stem": "Ambience stereo, Dialogue mono, Effects mono, Music stereo, Narration mono",
		"track, stem: MX": "Cue stereo"} {
		s, err := contract.Parse([]byte("spec: 2\nid: own\ntitle: Own\ngroups:\n  - {id: g, name: G, tag: G, layout: own, from: {each: {row: " + row + "}}}\n" +
			"files:\n  - {each: group, name: \"{group}_{layout}\", container: wave, depth: 24}\n"))
		require.NoError(t, err)
		plan, _, d, report := p.all(t, s, Asked{})
		require.True(t, report.Pass, report.Findings)
		var got []string
		for _, f := range plan.Files {
			name, _, _ := strings.Cut(f.Name, ".")
			got = append(got, strings.ReplaceAll(name, "_", " "))
			samples, _ := d.samples(t, f.Name)
			require.Len(t, samples, map[bool]int{true: 1, false: 2}[strings.Contains(f.Name, "mono")])
			if strings.HasPrefix(f.Name, "Ines") {
				boom := wavetest.Samples(t, p.takes["boom"])[0]
				require.Equal(t, boom[100:40000], samples[0][48100:88000], "a voice by itself is the microphone, bit for bit")
			}
		}
		slices.Sort(got)
		assert.Equal(t, want, strings.Join(got, ", "))
	}
	for _, wrong := range []string{"from: {stem: DX}}\nfiles:\n  - {each: group, name: x, container: wave}\n",
		"from: {each: {row: stem}}}\nfiles:\n  - {name: x, container: wave}\n"} {
		_, err := contract.Parse([]byte("spec: 2\nid: own\ntitle: Own\ngroups:\n  - {id: g, name: G, tag: G, layout: own, " + wrong))
		assert.Error(t, err)
	}
}
