package delivery

import (
	"context"
	"math/rand"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/chain"
	"zestyloom/core/contract"
	"zestyloom/core/reel"
)

// prints gives the fingerprint of each part of a plan, by the part's name.
func (p production) prints(t testing.TB, plan Plan, r *reel.Reel) map[string]string {
	found := map[string]string{}
	for _, part := range plan.Parts() {
		one, err := plan.Fingerprint(part, r, func(take string) (string, error) { return "sound of " + take, nil })
		require.NoError(t, err)
		require.NotEmpty(t, one)
		found[part.Name] = one
	}
	return found
}

// stemsApart is the spec of four files: dialogue, music and effects, and their sum in 5.1 frames.
func stemsApart(t testing.TB) contract.Spec {
	s := spec(t, "six-channel-split")
	loud(&s)
	return s
}

// chained has a row go through one step.
func chained(row reel.Row, from string, step chain.Step) reel.Command {
	step.ID = "1"
	return reel.SetChain{Row: row, From: from, Steps: &[]chain.Step{step}}
}

// What is done to a reel changes the fingerprint of those files alone that it can be heard in.
func TestFingerprintTellsWhatHasChanged(t *testing.T) {
	p := ferry(t)
	s := stemsApart(t)
	plan, r, _, _ := p.all(t, s, Asked{Packaging: "per-group"})
	before := p.prints(t, plan, r)
	dx, fx, mx := plan.Files[0].Name, plan.Files[1].Name, plan.Files[2].Name
	boom, cue := p.reel.TrackList()[0], p.reel.TrackList()[1]
	clip := func(take string) string {
		for _, c := range p.reel.ClipList() {
			if c.Take == take {
				return c.ID
			}
		}
		return ""
	}
	for name, c := range map[string]struct {
		command reel.Command
		changed []string
	}{
		"a track's name":        {reel.SetTrack{Track: boom.ID, Name: ptr("Bow")}, nil},
		"a mark":                {reel.SetMark{Name: "Here", At: start + 5}, nil},
		"a stem's name":         {reel.SetStem{Stem: "MX", Name: ptr("Tunes")}, nil},
		"level of one track":    {reel.SetTrack{Track: cue.ID, GainDB: ptr(-1.0)}, []string{mx}},
		"level of one clip":     {reel.SetClip{Clip: clip("bell"), GainDB: ptr(1.0)}, []string{fx}},
		"a track that is muted": {reel.SetTrack{Track: boom.ID, Mute: ptr(true)}, []string{dx}},
		"another stem":          {reel.SetTrack{Track: cue.ID, Stem: ptr("FX")}, []string{fx, mx}},
		"a second stem":         {reel.SetTrack{Track: cue.ID, Second: ptr("FX")}, []string{fx}},
		"level of a stem":       {reel.SetBus{Row: reel.StemRow, From: "DX", GainDB: ptr(-2.0)}, []string{dx}},
		"a chain":               {chained(reel.TrackRow, cue.ID, chain.Step{Kind: chain.Bell}), []string{mx}},
		"a chain of a stem":     {chained(reel.StemRow, "DX", chain.Step{Kind: chain.Limiter}), []string{dx}},
		"a chain that is off":   {chained(reel.StemRow, "DX", chain.Step{Kind: chain.Limiter, Off: true}), nil},
		"a chain of a clip":     {reel.SetClipChain{Clips: []string{clip("bell")}, Steps: []chain.Step{{ID: "1", Kind: chain.Bell}}}, []string{fx}},
		"a clip's that is off":  {reel.SetClipChain{Clips: []string{clip("bell")}, Steps: []chain.Step{{ID: "1", Kind: chain.Bell, Off: true}}}, nil},
		"a channel's chain":     {reel.SetClipChain{Clips: []string{clip("bell")}, Channel: ptr(0), Steps: []chain.Step{{ID: "1", Kind: chain.Bell}}}, []string{fx}},
		"a channel's, off":      {reel.SetClipChain{Clips: []string{clip("bell")}, Channel: ptr(0), Steps: []chain.Step{{ID: "1", Kind: chain.Bell, Off: true}}}, nil},
		"the law of panning":    {reel.SetReel{PanLaw: ptr(4.5)}, []string{dx, fx, mx}},
		"a longer programme":    {reel.MoveClips{Clips: []string{clip("cue")}, By: 4800}, []string{dx, fx, mx}},
		"the end of the reel":   {reel.SetReel{Start: ptr(int64(start + 1920))}, []string{dx, fx, mx}},
	} {
		changed := production{p.takes, p.reel.Clone()}
		do(t, changed.reel, c.command)
		plan, r, err := NewPlan("The Lantern Ferry", changed.reel, s, Asked{Packaging: "per-group"})
		require.NoError(t, err)
		after := changed.prints(t, plan, r)
		for _, file := range []string{dx, fx, mx} {
			if assert.Contains(t, after, file) {
				assert.Equal(t, slices.Contains(c.changed, file), before[file] != after[file], "%s: %s", name, file)
			}
		}
	}
	t.Run("treatments", func(t *testing.T) {
		bell := p.reel.Clips[clip("bell")]
		for name, c := range map[string]struct {
			of        chain.Treatment
			untreated bool
			changed   bool
		}{
			"that are heard":                    {chain.Treatment{Channels: bell.Channels}, false, true},
			"that are off":                      {chain.Treatment{Channels: bell.Channels, Off: true}, false, false},
			"of a channel that is not used":     {chain.Treatment{Channels: []int{bell.Channels[0] + 1}}, false, false},
			"that its only clip has none of":    {chain.Treatment{Channels: bell.Channels}, true, false},
			"that are the same at another edit": {chain.Treatment{Channels: bell.Channels, Off: true, Revision: 9}, false, false},
		} {
			changed := production{p.takes, p.reel.Clone()}
			c.of.Steps = []chain.Step{{ID: "1", Kind: chain.Bell}}
			changed.reel.Treatments = map[string][]chain.Treatment{"bell": {c.of}}
			do(t, changed.reel, reel.SetClip{Clip: bell.ID, Untreated: &c.untreated})
			plan, r, err := NewPlan("The Lantern Ferry", changed.reel, s, Asked{Packaging: "per-group"})
			require.NoError(t, err)
			after := changed.prints(t, plan, r)
			assert.Equal(t, c.changed, before[fx] != after[fx], name)
			assert.Equal(t, before[dx], after[dx], name)
		}
	})
	t.Run("how it is written", func(t *testing.T) {
		for name, change := range map[string]func(f *contract.File){
			"depth": func(f *contract.File) { f.Depth = 16 }, "rate": func(f *contract.File) { f.Rate = 44100 },
			"no dither": func(f *contract.File) { f.Dither = ptr(false) },
		} {
			other := s
			each(&other, change)
			plan, r, err := NewPlan("The Lantern Ferry", p.reel, other, Asked{Packaging: "per-group"})
			require.NoError(t, err)
			assert.NotEqual(t, before[dx], p.prints(t, plan, r)[dx], name)
		}
	})
	t.Run("another sound", func(t *testing.T) {
		one, err := plan.Fingerprint(plan.Parts()[0], r, func(string) (string, error) { return "another", nil })
		require.NoError(t, err)
		assert.NotEqual(t, before[dx], one)
		one, err = plan.Fingerprint(plan.Parts()[0], r, func(string) (string, error) { return "", nil })
		require.NoError(t, err)
		assert.Empty(t, one, "a sound that is not known")
	})
}

// Edits at random: files with the same fingerprint are the same, bit for bit.
func TestTheSameFingerprintIsTheSameFile(t *testing.T) {
	same, others := 0, 0
	for seed := range int64(8) {
		rnd := rand.New(rand.NewSource(seed))
		p := crossing(t)
		s := stemsApart(t)
		each(&s, func(f *contract.File) { f.Depth = 16 }) // so that dither is in it
		was := folder{}
		plan, r, _ := p.print(t, s, "per-group", was)
		before := p.prints(t, plan, r)
		for range 10 {
			tracks, clips := p.reel.TrackList(), p.reel.ClipList()
			track, clip := tracks[rnd.Intn(len(tracks))].ID, clips[rnd.Intn(len(clips))]
			stem := []string{"DX", "NX", "MX", "FX"}[rnd.Intn(4)]
			by := rnd.Float64()*6 - 6
			command := []reel.Command{
				reel.SetTrack{Track: track, GainDB: &by}, reel.SetTrack{Track: track, Stem: &stem},
				reel.SetTrack{Track: track, Pan: ptr(rnd.Float64())},
				reel.SetTrack{Track: track, Name: ptr("Other")}, reel.SetBus{Row: reel.StemRow, From: stem, GainDB: &by},
				reel.SetClip{Clip: clip.ID, GainDB: &by},
				reel.CutClips{At: clip.Start + rnd.Int63n(clip.Length), Clips: []string{clip.ID}},
				reel.SetTrack{Track: track, Strand: ptr("Tobiah Renn")},
				reel.SetMix{Name: "M&E", Labels: []string{"L", "R"}, Rest: true, Terms: []reel.Term{{Row: reel.StrandRow,
					From: reel.StrandID(stem, "Tobiah Renn"), Out: true}}},
				reel.AddTrack{Name: "New", Labels: []string{"M"}, Stem: stem},
			}[rnd.Intn(10)]
			if change, _, err := command.Plan(p.reel, nil); err != nil || p.reel.Apply(change) != nil {
				continue
			}
			now := folder{}
			plan, r, _ := p.print(t, s, "per-group", now)
			after := p.prints(t, plan, r)
			for name := range before {
				if before[name] != after[name] {
					others++
					continue
				}
				same++
				require.Equal(t, was[name].b, now[name].b, "seed %d, %T: %s", seed, command, name)
			}
			before, was = after, now
		}
	}
	assert.Greater(t, same, 20)
	assert.Greater(t, others, 8)
}

// What is whole already is neither rendered nor written again, is held to the same checks, and must be what it was.
func TestWholePartsAreLinked(t *testing.T) {
	p := ferry(t)
	s := stemsApart(t)
	plan, r, was, report := p.all(t, s, Asked{Packaging: "per-group"})
	require.True(t, report.Pass, report.Findings)
	dx, fx := plan.Files[0].Name, plan.Files[1].Name
	do(t, p.reel, reel.SetTrack{Track: p.reel.TrackList()[1].ID, GainDB: ptr(-40.0)}) // the music
	plan, r, err := NewPlan("The Lantern Ferry", p.reel, s, Asked{Packaging: "per-group"})
	require.NoError(t, err)
	whole := map[string]Whole{}
	for i, name := range []string{dx, fx} {
		group := plan.Files[i].Groups[0]
		whole[name] = Whole{SHA256: report.Files[i].SHA256, When: "yesterday", Groups: map[string]Made{group: {Measurement: report.Groups[i].Measurement}}}
	}
	again := func(d folder) (Report, []string) {
		var written []string
		create := func(name string) (Output, error) {
			written = append(written, name)
			return d.create(name)
		}
		printed, err := Print(context.Background(), plan, r, Press{Open: p.open, Create: create, Stamp: Stamp{"2026-01-02", "03:04:05"},
			Whole: whole})
		require.NoError(t, err)
		report, err := Verify(context.Background(), plan, r, printed, d.open, func(float64) {})
		require.NoError(t, err)
		return report, written
	}
	d := folder{dx: was[dx], fx: was[fx]}
	second, written := again(d)
	assert.True(t, second.Pass, second.Findings)
	assert.Equal(t, []string{plan.Files[2].Name}, written)
	assert.Equal(t, []string{"yesterday", "yesterday", ""}, []string{second.Files[0].Linked, second.Files[1].Linked, second.Files[2].Linked})
	require.Len(t, second.Groups, 3)
	assert.Less(t, *second.Groups[2].IntegratedLUFS, *report.Groups[2].IntegratedLUFS-20, "the music was rendered anew")
	_, _, all, _ := p.all(t, s, Asked{Packaging: "per-group"})
	for name := range all {
		assert.Equal(t, all[name].b, d[name].b, name)
	}
	spoiled := folder{dx: &memory{append([]byte{}, was[dx].b...)}, fx: was[fx]}
	spoiled[dx].b[len(spoiled[dx].b)-9] ^= 1
	third, _ := again(spoiled)
	assert.False(t, third.Pass)
}

// What is done far from a range changes neither the fingerprint of its files nor a byte of them: dither is decided by what is heard
// in the range, as the fingerprint is. What is done in it changes both, or neither.
func TestWhatIsFarFromARangeDoesNotChangeIt(t *testing.T) {
	s := stemsApart(t)
	s.Programme.Start = ""
	asked := Asked{Packaging: "per-group", Range: []string{"10:00:01:00–10:00:02:00"}}
	make := func(p production) (map[string]string, folder) {
		plan, r, err := NewPlan("The Lantern Ferry", p.reel, s, asked)
		require.NoError(t, err)
		require.True(t, plan.Printable(), plan.Findings)
		d := folder{}
		_, err = Print(context.Background(), plan, r, Press{Open: p.open, Create: d.create, Stamp: Stamp{"2026-01-02", "03:04:05"}})
		require.NoError(t, err)
		return p.prints(t, plan, r), d
	}
	base := crossing(t) // all of it at unity, so that nothing is dithered
	dual := true
	for _, track := range base.reel.TrackList() {
		if len(track.Labels) == 1 {
			do(t, base.reel, reel.SetTrack{Track: track.ID, Dual: &dual})
		}
	}
	far := base.reel.ClipList()[0]
	far.ID, far.Tie, far.Start = "far", "", start+3600*48000
	base.reel.Clips["far"] = far
	before, was := make(base)
	for name, c := range map[string]reel.Command{
		"an hour later":          reel.SetClip{Clip: "far", GainDB: ptr(-3.0)},
		"a curve that is later":  reel.SetCurve{Of: reel.OfClip, ID: "far", What: reel.GainCurve, Points: []reel.Point{{At: far.Start, Value: -1}, {At: far.Start + 9000, Value: -6}}},
		"a fade at the far end":  reel.SetClip{Clip: "far", FadeOut: &reel.Fade{Length: 4800}},
		"a dip where it is":      reel.DipRange{Clip: base.reel.ClipList()[0].ID, Channel: 0, Span: reel.Span{From: start + 60000, To: start + 70000}, GainDB: -6, Ramp: 100},
		"a level of one channel": reel.SetLane{Clip: base.reel.ClipList()[0].ID, Channel: 0, GainDB: ptr(-1.0)},
	} {
		p := production{base.takes, base.reel.Clone()}
		do(t, p.reel, c)
		after, now := make(p)
		for file := range before {
			same := before[file] == after[file]
			require.Equal(t, same, string(was[file].b) == string(now[file].b), "%s: %s", name, file)
			if far := strings.Contains(name, "later") || strings.Contains(name, "far"); far {
				require.True(t, same, "%s: %s", name, file)
			}
		}
	}
}

// Through chains what lies before a range is heard in it, and is in its fingerprint; what else is printed in the same pass changes no bit.
func TestRangesThroughChains(t *testing.T) {
	s := stemsApart(t)
	s.Programme.Start = ""
	each(&s, func(f *contract.File) { f.Depth = 32 }) // in which every bit shows
	p := crossing(t)
	slow := map[string]float64{"threshold": -60, "ratio": 8, "release": 3000, "attack": 100}
	do(t, p.reel, chained(reel.StemRow, "DX", chain.Step{Kind: chain.Compressor, Values: slow}))
	do(t, p.reel, chained(reel.StemRow, "MX", chain.Step{Kind: chain.HighPass, Values: map[string]float64{"frequency": 20}}))
	clips := slices.DeleteFunc(p.reel.ClipList(), func(c reel.Clip) bool { return p.reel.Tracks[c.Track].Stem != "DX" })
	asked := Asked{Packaging: "per-group", Range: []string{"10:00:01:10–10:00:02:00"}}
	run := func(r *reel.Reel, but ...string) (Plan, *reel.Reel, folder) {
		plan, r, err := NewPlan("The Lantern Ferry", r, s, asked)
		require.NoError(t, err)
		require.True(t, plan.Printable(), plan.Findings)
		d, whole := folder{}, map[string]Whole{}
		for _, part := range plan.Parts() {
			if len(but) > 0 && !strings.Contains(part.Name, but[0]) {
				whole[part.Name] = Whole{}
			}
		}
		_, err = Print(context.Background(), plan, r, Press{Open: p.open, Create: d.create, Stamp: Stamp{"2026-01-02", "03:04:05"}, Whole: whole})
		require.NoError(t, err)
		return plan, r, d
	}
	plan, r, all := run(p.reel)
	before := p.prints(t, plan, r)
	_, _, alone := run(p.reel, "_MX")
	require.Len(t, alone, 1)
	for name, f := range alone {
		assert.Equal(t, string(all[name].b), string(f.b), "%s by itself, whatever else remembers longer", name)
	}
	changed := p.reel.Clone()
	early := clips[0]
	early.ID, early.Tie, early.Start = "early", "", early.Start-20*48000
	changed.Clips["early"] = early
	plan, r, _ = run(changed)
	after := p.prints(t, plan, r)
	for name := range before {
		assert.Equal(t, !strings.Contains(name, "_DX"), before[name] == after[name], "%s: a clip twenty seconds before", name)
	}
}
