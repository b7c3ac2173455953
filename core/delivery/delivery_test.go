package delivery

import (
	"bytes"
	"context"
	"encoding/binary"
	"io"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/contract"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

const start = 36000 * 48000

// memory is a file in memory that can be written and read at any place.
type memory struct{ b []byte }

func (m *memory) Write(p []byte) (int, error) { m.b = append(m.b, p...); return len(p), nil }
func (m *memory) WriteAt(p []byte, at int64) (int, error) {
	return copy(m.b[at:], p), nil
}

// folder is where a print goes, in memory.
type folder map[string]*memory

func (d folder) create(name string) (Output, error) { d[name] = &memory{}; return d[name], nil }
func (d folder) open(name string) (Opened, error) {
	m, ok := d[name]
	if !ok {
		return Opened{}, fault.New(fault.NotFound, "It is gone")
	}
	return Opened{bytes.NewReader(m.b), int64(len(m.b))}, nil
}

// tone is a take of sines, one frequency a channel.
func tone(t testing.TB, channels int, seconds, level float64) *wave.File {
	return wavetest.Open(t, wave.Header{Format: wavetest.PCM24(channels), Frames: int64(seconds * 48000)}, func(c, i int) float64 {
		return level * math.Sin(2*math.Pi*float64(300*(c+1))*float64(i)/48000)
	})
}

type production struct {
	takes map[string]*wave.File
	reel  *reel.Reel
}

func (p production) open(take string) (*wave.File, error) { return p.takes[take], nil }

func do(t testing.TB, r *reel.Reel, c reel.Command) {
	change, _, err := c.Plan(r, nil)
	require.NoError(t, err)
	require.NoError(t, r.Apply(change))
}

func ptr[T any](x T) *T { return &x }

func crossing(t testing.TB) production {
	p := production{map[string]*wave.File{"boom": tone(t, 1, 4.01, 0.1), "cue": tone(t, 2, 5, 0.05), "bell": tone(t, 1, 1, 0.08)},
		reel.New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems())}
	do(t, p.reel, reel.AddTake{Take: "boom", Title: "12A/3", Start: start + 48000, Length: p.takes["boom"].Frames,
		Parts: []reel.PartPlan{{Name: "Boom", Stem: "DX", Channels: []int{0}, Labels: []string{"M"}}}})
	do(t, p.reel, reel.AddTake{Take: "cue", Title: "Accordion cue", Start: start, Length: p.takes["cue"].Frames,
		Parts: []reel.PartPlan{{Name: "Cue", Stem: "MX", Channels: []int{0, 1}, Labels: []string{"L", "R"}}}})
	do(t, p.reel, reel.AddTake{Take: "bell", Title: "Bell", Start: start + 96000, Length: 48000, Parts: []reel.PartPlan{{Name: "Bell",
		Stem: "FX", Channels: []int{0}, Labels: []string{"M"}}}})
	return p
}

func spec(t testing.TB, id string) contract.Spec {
	specs, err := contract.Shipped()
	require.NoError(t, err)
	for _, s := range specs {
		if s.ID == id {
			return s
		}
	}
	t.Fatalf("no spec %s", id)
	return contract.Spec{}
}

func (p production) print(t testing.TB, s contract.Spec, packaging contract.Packaging, d folder) (Plan, *reel.Reel, Printed) {
	plan, r, err := NewPlan("The Lantern Ferry", p.reel, s, Asked{Packaging: packaging})
	require.NoError(t, err)
	require.True(t, plan.Printable(), plan.Findings)
	printed, err := Print(context.Background(), plan, r, Press{Open: p.open, Create: d.create, Stamp: Stamp{"2026-01-02", "03:04:05"}})
	require.NoError(t, err)
	return plan, r, printed
}

func (d folder) samples(t testing.TB, name string) ([][]float64, *wave.File) {
	f := wavetest.Read(t, d[name].b)
	return wavetest.Samples(t, f), f
}

func TestShippedSpecs(t *testing.T) {
	specs, err := contract.Shipped()
	require.NoError(t, err)
	groups := laidOn(t, spec(t, "six-channel-split"))
	var columns []string
	for _, g := range groups {
		for _, l := range g.Labels {
			columns = append(columns, g.Tag+" "+l)
		}
	}
	assert.Equal(t, []string{"DX L", "DX R", "FX L", "FX R", "MX L", "MX R"}, columns)
	assert.Equal(t, []string{"DX", "NX", "MX", "FX", "AX"}, spec(t, "eight-channel-mix").Groups[3].From.Stems)
	assert.GreaterOrEqual(t, len(specs), 10)
}

// laidOn gives the groups that a spec lays out on an empty reel.
func laidOn(t testing.TB, s contract.Spec) []reel.Group {
	lay, err := LayOut(s, reel.New("x", 48000, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems()))
	require.NoError(t, err)
	return lay.Groups
}

// each changes all files of a spec.
func each(s *contract.Spec, change func(f *contract.File)) {
	s.Files = slices.Clone(s.Files)
	for i := range s.Files {
		change(&s.Files[i])
	}
}

// loud takes the limits off, but for those that are given.
func loud(s *contract.Spec, limits ...contract.Limit) { s.Limits = limits }

func TestPlan(t *testing.T) {
	p := crossing(t)
	plan, r, err := NewPlan("The Lantern Ferry", p.reel, spec(t, "eight-channel-mix"), Asked{})
	require.NoError(t, err)
	assert.Empty(t, p.reel.Groups, "planning another spec does not touch the reel")
	assert.Len(t, r.OutputList(), 8)
	require.Len(t, plan.Files, 1)
	assert.Equal(t, "The_Lantern_Ferry_Crossing_MIX.wav", plan.Files[0].Name)
	assert.Equal(t, PlannedChannel{7, "full-mix/L", "full-mix", "L", "Full mix L", Fed{Stems: []string{"AX", "DX", "FX", "MX", "NX"},
		Tracks: []string{"Boom", "Cue", "Bell"}}}, plan.Files[0].Channels[6])
	assert.EqualValues(t, 126*1920, plan.Frames, "5.01 s last up to the end of frame 126")
	assert.Equal(t, "00:00:05:01", plan.Duration)
	assert.Equal(t, "10:00:00:00", plan.StartTimecode)
	plan, _, err = NewPlan("The Lantern Ferry", p.reel, spec(t, "six-channel-split"), Asked{Packaging: contract.PerGroup})
	require.NoError(t, err)
	require.Len(t, plan.Files, 3)
	assert.Equal(t, "The_Lantern_Ferry_Crossing_FX_stereo.wav", plan.Files[1].Name)
	assert.Empty(t, plan.Findings)
}

func TestPlanFindings(t *testing.T) {
	for name, c := range map[string]struct {
		change func(p production, s *contract.Spec)
		rule   string
		sev    contract.Severity
	}{
		"nothing to print": {func(p production, s *contract.Spec) { clear(p.reel.Clips) }, "empty", contract.Error},
		"frames":           {func(p production, s *contract.Spec) { s.Programme.FrameRate = "24" }, "frame-rate", contract.Error},
		"start":            {func(p production, s *contract.Spec) { s.Programme.Start = "09:59:00:00" }, "start", contract.Error},
		"packaging": {func(p production, s *contract.Spec) { s.Packaging = []contract.Packaging{contract.Interleaved} }, "packaging",
			contract.Error},
		"names": {func(p production, s *contract.Spec) { each(s, func(f *contract.File) { f.Name = "{reel}" }) }, "naming", contract.Error},
		"stem":  {func(p production, s *contract.Spec) { s.Groups[0].From.Stems = []string{"ZZ"} }, "stem", contract.Error},
		"early": {func(p production, s *contract.Spec) { p.reel.Head.Start += 1920; s.Programme.Start = "" }, "before-start",
			contract.Warning},
		"all of it early": {func(p production, s *contract.Spec) { p.reel.Head.Start = p.reel.End() + 1920; s.Programme.Start = "" },
			"before-start", contract.Error},
		"unreached": {func(p production, s *contract.Spec) { s.Groups = s.Groups[1:] }, "unreached", contract.Warning},
		"unfed": {func(p production, s *contract.Spec) {
			do(t, p.reel, reel.RemoveTracks{Tracks: []string{p.reel.TrackList()[2].ID}})
		}, "unfed", contract.Warning},
	} {
		p, s := crossing(t), spec(t, "six-channel-split")
		c.change(p, &s)
		plan, _, err := NewPlan("The Lantern Ferry", p.reel, s, Asked{Packaging: contract.PerGroup})
		require.NoError(t, err)
		found := false
		for _, f := range plan.Findings {
			found = found || f.Rule == c.rule && f.Severity == c.sev
		}
		assert.True(t, found, "%s: %+v", name, plan.Findings)
		assert.Equal(t, c.sev == contract.Warning, plan.Printable(), name)
	}
}

func TestNamesStayInTheirFolder(t *testing.T) {
	p, s := crossing(t), spec(t, "six-channel-split")
	each(&s, func(f *contract.File) { f.Name = "../{production}/{reel}" })
	plan, _, err := NewPlan("../../etc", p.reel, s, Asked{Packaging: contract.Interleaved})
	require.NoError(t, err)
	assert.Equal(t, "etc_Crossing.wav", plan.Files[0].Name)
}

func TestPrintAndVerify(t *testing.T) {
	for _, packaging := range []contract.Packaging{contract.Interleaved, contract.PerGroup} {
		p, s := crossing(t), spec(t, "eight-channel-mix")
		loud(&s, contract.Limit{Of: []string{"full-mix"}, Integrated: ptr(-20.0), Tolerance: ptr(10.0)}, contract.Limit{TruePeak: ptr(-1.0)})
		d := folder{}
		plan, r, printed := p.print(t, s, packaging, d)
		report, err := Verify(context.Background(), plan, r, printed, d.open, func(float64) {})
		require.NoError(t, err)
		for _, f := range report.Findings {
			assert.Equal(t, contract.OK, f.Severity, "%+v", f)
		}
		assert.True(t, report.Pass)
		assert.Len(t, report.Groups, 4)
		assert.Len(t, report.Files, len(plan.Files))
		again := folder{}
		p.print(t, s, packaging, again)
		for name, m := range d {
			assert.True(t, bytes.Equal(m.b, again[name].b), "the same print gives the same bytes")
		}
	}
}

func TestStemsSumToMix(t *testing.T) {
	p, s := crossing(t), spec(t, "eight-channel-mix")
	d := folder{}
	plan, _, _ := p.print(t, s, contract.Interleaved, d)
	x, f := d.samples(t, plan.Files[0].Name)
	assert.EqualValues(t, start, f.Bext.TimeReference)
	assert.Equal(t, "Full mix R", f.IXML.Tracks.Tracks[7].Name)
	var residual float64
	for i := range x[0] {
		for side := range 2 {
			residual = max(residual, math.Abs(x[6+side][i]-x[side][i]-x[2+side][i]-x[4+side][i]))
		}
	}
	assert.Less(t, 20*math.Log10(residual), -120.0)
	assert.Greater(t, residual, 0.0, "dither leaves a trace, so this compares something")
}

func TestUnityPrintIsBitIdentical(t *testing.T) {
	p, s := crossing(t), spec(t, "six-channel-split")
	do(t, p.reel, reel.SetTrack{Track: p.reel.TrackList()[0].ID, Dual: ptr(true)})
	d := folder{}
	plan, _, _ := p.print(t, s, contract.PerGroup, d)
	x, f := d.samples(t, plan.Files[0].Name)
	src := p.takes["boom"]
	want := wavetest.Samples(t, src)[0]
	for side := range 2 {
		assert.Equal(t, want, x[side][48000:48000+src.Frames])
		for _, v := range x[side][:48000] {
			require.Zero(t, v, "silence stays silent")
		}
	}
	assert.NotNil(t, f.Bext.IntegratedLUFS, "a file of one group says how loud it is")
}

func TestFloatPrint(t *testing.T) {
	p, s := crossing(t), spec(t, "six-channel-split")
	each(&s, func(f *contract.File) { f.Depth = 32 })
	d := folder{}
	plan, _, _ := p.print(t, s, contract.Interleaved, d)
	x, f := d.samples(t, plan.Files[0].Name)
	assert.Equal(t, wave.Float, f.Encoding)
	assert.Zero(t, x[0][100])
}

func TestVerifyFindsWhatIsWrong(t *testing.T) {
	for name, c := range map[string]struct {
		harm func(d folder, name string)
		rule string
	}{
		"gone":      {func(d folder, name string) { delete(d, name) }, "file"},
		"not audio": {func(d folder, name string) { d[name].b = []byte("no longer a recording") }, "file"},
		"cut short": {func(d folder, name string) { d[name].b = d[name].b[:len(d[name].b)-1000] }, "length"},
		"one bit":   {func(d folder, name string) { d[name].b[len(d[name].b)-5] ^= 1 }, "audio"},
		"louder": {func(d folder, name string) {
			for i := len(d[name].b) - 600000; i < len(d[name].b); i++ {
				d[name].b[i] ^= 0x15
			}
		}, "loudness-as-printed"},
	} {
		p, s := crossing(t), spec(t, "six-channel-split")
		d := folder{}
		plan, r, printed := p.print(t, s, contract.PerGroup, d)
		c.harm(d, plan.Files[0].Name)
		report, err := Verify(context.Background(), plan, r, printed, d.open, func(float64) {})
		require.NoError(t, err, name)
		assert.False(t, report.Pass, name)
		found := false
		for _, f := range report.Findings {
			found = found || f.Rule == c.rule && f.Severity == contract.Error
		}
		assert.True(t, found, "%s: %+v", name, report.Findings)
	}
}

func TestLimits(t *testing.T) {
	p, s := crossing(t), spec(t, "eight-channel-mix")
	do(t, p.reel, reel.SetTrack{Track: p.reel.TrackList()[0].ID, GainDB: ptr(24.0), Dual: ptr(true)})
	d := folder{}
	plan, r, printed := p.print(t, s, contract.Interleaved, d)
	report, err := Verify(context.Background(), plan, r, printed, d.open, func(float64) {})
	require.NoError(t, err)
	failed := map[string]bool{}
	for _, f := range report.Findings {
		if f.Severity == contract.Error {
			failed[f.Rule] = true
		}
	}
	assert.Equal(t, map[string]bool{"clipped": true, "true-peak": true, "ppm": true, "loudness": true, "stems-sum-to-mix": true}, failed)
}

// C21. A correct delivery at any depth passes its own null test, and a real difference fails it.
func TestTheNullTestKnowsWhatDitherLeaves(t *testing.T) {
	for _, bits := range []int{16, 24, 32} {
		p, s := crossing(t), spec(t, "eight-channel-mix")
		each(&s, func(f *contract.File) { f.Depth = bits })
		loud(&s)
		d := folder{}
		plan, r, printed := p.print(t, s, contract.Interleaved, d)
		null := func() contract.Finding {
			report, err := Verify(context.Background(), plan, r, printed, d.open, func(float64) {})
			require.NoError(t, err)
			for _, f := range report.Findings {
				if f.Rule == "stems-sum-to-mix" {
					return f
				}
			}
			t.Fatal("there was no null test")
			return contract.Finding{}
		}
		f := null()
		assert.Equal(t, contract.OK, f.Severity, "%d bits: %+v", bits, f)
		// A whistle at −72 dBFS in the mix alone.
		name := plan.Files[0].Name
		x, w := d.samples(t, name)
		for i := range x[6] {
			x[6][i] += 0.00025 * math.Sin(float64(i)*0.1)
		}
		raw := d[name].b[w.DataOffset:]
		w.Encode(raw, x[6], 6)
		f = null()
		assert.Equal(t, contract.Error, f.Severity, "%d bits: %+v", bits, f)
	}
}

// C20. A file whose samples are no numbers is never found right.
func TestAFileThatCantBeMeasuredNeverPasses(t *testing.T) {
	p, s := crossing(t), spec(t, "eight-channel-mix")
	each(&s, func(f *contract.File) { f.Depth = 32 })
	loud(&s)
	d := folder{}
	plan, r, printed := p.print(t, s, contract.Interleaved, d)
	name := plan.Files[0].Name
	_, w := d.samples(t, name)
	binary.LittleEndian.PutUint32(d[name].b[w.DataOffset:], math.Float32bits(float32(math.NaN())))
	report, err := Verify(context.Background(), plan, r, printed, d.open, func(float64) {})
	require.NoError(t, err)
	assert.False(t, report.Pass)
	assert.True(t, slices.ContainsFunc(report.Findings, func(f contract.Finding) bool {
		return f.Rule == "measurable" &&
			f.Severity == contract.Error
	}))
}

// C29. A time stamp one sample off is found, figures show what decides, and long names keep what tells files apart.
func TestProofIsExact(t *testing.T) {
	p, s := crossing(t), spec(t, "six-channel-split")
	p.reel.Head.Name = strings.Repeat("The night of the lantern ferry ", 3)
	d := folder{}
	plan, r, printed := p.print(t, s, contract.PerGroup, d)
	for _, f := range plan.Files {
		assert.Regexp(t, `_(DX|MX|FX)[_.]`, f.Name)
	}
	at := bytes.Index(d[plan.Files[0].Name].b, []byte("bext")) + 8 + 338
	b := d[plan.Files[0].Name].b
	binary.LittleEndian.PutUint64(b[at:], binary.LittleEndian.Uint64(b[at:])+1)
	report, err := Verify(context.Background(), plan, r, printed, d.open, func(float64) {})
	require.NoError(t, err)
	assert.True(t, slices.ContainsFunc(report.Findings, func(f contract.Finding) bool {
		return f.Rule == "start" &&
			f.Severity == contract.Error
	}))
	assert.Equal(t, "−0.96 dBTP", figure(ptr(-0.96), "dBTP"))
}

// A8. What would be longer than a day is not printed.
func TestAPrintIsNoLongerThanADay(t *testing.T) {
	p, s := crossing(t), spec(t, "six-channel-split")
	for id, c := range p.reel.Clips {
		c.Start += 30 * 3600 * 48000
		p.reel.Clips[id] = c
		break
	}
	plan, _, err := NewPlan("x", p.reel, s, Asked{})
	require.NoError(t, err)
	assert.False(t, plan.Printable())
	assert.Contains(t, plan.Findings[0].Message, "longer than 24 hours")
}

func TestPrintStops(t *testing.T) {
	p, s := crossing(t), spec(t, "six-channel-split")
	plan, r, err := NewPlan("x", p.reel, s, Asked{})
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = Print(ctx, plan, r, Press{Open: p.open, Create: folder{}.create})
	assert.Equal(t, fault.Cancelled, fault.KindOf(err))
	full := func(string) (Output, error) { return fullDisk{}, nil }
	_, err = Print(context.Background(), plan, r, Press{Open: p.open, Create: full})
	assert.ErrorIs(t, err, io.ErrShortWrite)
}

// fullDisk takes nothing.
type fullDisk struct{}

func (fullDisk) Write([]byte) (int, error)          { return 0, io.ErrShortWrite }
func (fullDisk) WriteAt([]byte, int64) (int, error) { return 0, io.ErrShortWrite }

// A fold-down that goes over says by how much: left, centre and left surround at full scale make 1 + 2·√½ = 2.414 on the left,
// which is 7.66 dB too much.
func TestAFoldDownThatClipsSaysByHowMuch(t *testing.T) {
	wide := []string{"L", "R", "C", "LFE", "Ls", "Rs"}
	loud := wavetest.Open(t, wave.Header{Format: wavetest.PCM24(6), Frames: 48000}, func(c, i int) float64 {
		return float64(1-2*(i/24%2)) * []float64{0.9999999, 0, 0.9999999, 0, 0.9999999, 0}[c]
	})
	p := production{map[string]*wave.File{"loud": loud}, reel.New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, start,
		reel.DefaultStems())}
	do(t, p.reel, reel.SetStem{Stem: "FX", Labels: &wide})
	do(t, p.reel, reel.AddTake{Take: "loud", Title: "loud", Start: start, Length: 48000, Parts: []reel.PartPlan{{Name: "Loud", Stem: "FX",
		Channels: []int{0, 1, 2, 3, 4, 5}, Labels: wide}}})
	do(t, p.reel, reel.SetGroup{Name: "Room", Tag: "RM", Layout: "5.1", Feed: &reel.Feeder{Row: reel.StemRow, From: "FX"}})
	room := p.reel.GroupList()[0].ID
	do(t, p.reel, reel.SetGroup{Name: "Folded", Tag: "ST", Layout: "stereo", Feed: &reel.Feeder{Row: reel.GroupRow, From: room}})
	s := spec(t, "eight-channel-mix")
	p.reel.Head.Spec = s.ID // the groups are laid by hand
	plan, r, err := NewPlan("x", p.reel, s, Asked{Packaging: contract.PerGroup})
	require.NoError(t, err)
	plan.Findings = nil
	printed, err := Print(context.Background(), plan, r, Press{Open: p.open, Create: folder{}.create})
	require.NoError(t, err)
	folded := r.GroupList()[1].ID
	assert.Zero(t, printed.Groups[0][room].Clipped)
	assert.Positive(t, printed.Groups[0][folded].Clipped)
	assert.InDelta(t, 2.41421, printed.Groups[0][folded].Peak, 1e-4)
	assert.Equal(t, 7.7, overBy(printed.Groups[0][folded].Peak))
	assert.Contains(t, toTrim(r.Groups[folded]), "trim")
	assert.Empty(t, toTrim(r.Groups[room]))
}
