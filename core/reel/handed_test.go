package reel_test

import (
	"bytes"
	"encoding/json"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/cutlist"
	"zestyloom/core/handover"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

// long is how long every take of the random reels is here; what they know of takes says more, which they never reach.
const long = 1 << 34

type takes struct{}

func (takes) Take(id string) (reel.TakeInfo, error) {
	return reel.TakeInfo{Title: id, Channels: 64, Frames: 1 << 40, SampleRate: 48000}, nil
}

// randomReel is a reel after so many random commands.
func randomReel(seed int64, commands int) *reel.Reel {
	rnd := rand.New(rand.NewSource(seed))
	r := reel.New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, 36000*48000, reel.DefaultStems())
	for range commands {
		_, c := reel.RandomCommand(rnd, r)
		if change, _, err := c.Plan(r, takes{}); err == nil {
			_ = r.Apply(change) // what breaks a rule is not done
		}
	}
	return r
}

// packed is the reel with a file beside it for each stretch that it uses.
func packed(r *reel.Reel, handle int64) handover.Package {
	p := handover.Package{Reel: r}
	for _, id := range r.TakesReferred() {
		p.Takes = append(p.Takes, handover.Take{ID: id, Title: id, File: id + ".wav", SHA256: "sum of " + id, Frames: long, SampleRate: 48000, Channels: 64})
	}
	for take, spans := range handover.Stretches(r, func(string) int64 { return long }, handle) {
		for i, s := range spans {
			name := take + string(rune('a'+i%26)) + ".wav"
			p.Files = append(p.Files, handover.File{Name: name, SHA256: "sum of " + name, Take: take, First: s.From, Frames: s.To - s.From})
		}
	}
	return p
}

func written(t *testing.T, p handover.Package) []byte {
	l := cutlist.Of(p.Reel, func(c reel.Clip) (cutlist.Audio, bool) {
		f, _ := p.FileOf(c)
		return cutlist.Audio{File: f.Name, From: 777, First: f.First, Frames: f.Frames}, true
	})
	var out bytes.Buffer
	require.NoError(t, handover.WriteOTIO(&out, p, l, handover.Colours{"DX": "#c08010"}))
	return out.Bytes()
}

func text(t *testing.T, v any) string {
	b, err := json.Marshal(v)
	require.NoError(t, err)
	return string(b)
}

// handed reads a package into a new reel, by the rules that a command keeps.
func handed(t *testing.T, r *reel.Reel) *reel.Reel {
	fresh := reel.New(r.Head.Name, 48000, timecode.Rate{Num: 24, Den: 1}, 0, reel.DefaultStems())
	change, _, err := reel.Handed{Reel: r}.Plan(fresh, takes{})
	require.NoError(t, err)
	require.NoError(t, fresh.Apply(change))
	return fresh
}

// Any reel that is handed over is read again as an equal one: on the takes that it was made of, and on the takes of another
// production that are the same files.
func TestAnyReelIsHandedOver(t *testing.T) {
	clips := 0
	for seed := range int64(60) {
		r := randomReel(seed, 100)
		clips += len(r.Clips)
		p := packed(r, 24000)
		b := written(t, p)
		read, notes, err := handover.Read(b, 48000)
		require.NoError(t, err)
		require.Empty(t, notes, "seed %d", seed)
		require.JSONEq(t, text(t, r), text(t, read.Reel), "seed %d", seed)

		same, notes, missing := read.Onto(p.Takes, func(string) bool { return true })
		require.Empty(t, missing)
		require.Empty(t, notes)
		require.JSONEq(t, text(t, r), text(t, handed(t, same)), "seed %d", seed)

		elsewhere := make([]handover.Take, len(p.Takes))
		for i, take := range p.Takes {
			elsewhere[i] = take
			elsewhere[i].ID = "there " + take.ID
		}
		there, _, missing := read.Onto(elsewhere, func(string) bool { return true })
		require.Empty(t, missing)
		for id, c := range handed(t, there).Clips {
			require.Equal(t, "there "+r.Clips[id].Take, c.Take)
			require.Equal(t, []int64{r.Clips[id].Start, r.Clips[id].Offset, r.Clips[id].Length}, []int64{c.Start, c.Offset, c.Length})
		}
	}
	assert.Greater(t, clips, 300)
}

// On the files that were cut to handles every clip plays the same frames of the same sound, with all that is done to it.
func TestHandedOverOnWhatWasCut(t *testing.T) {
	for seed := range int64(40) {
		r := randomReel(seed, 100)
		p := packed(r, 4800)
		var files []handover.Take
		first := map[string]int64{}
		for _, f := range p.Files {
			files = append(files, handover.Take{ID: f.Name, File: f.Name, SHA256: f.SHA256, Frames: f.Frames, SampleRate: 48000, Channels: 64})
			first[f.Name] = f.First
		}
		read, _, err := handover.Read(written(t, p), 48000)
		require.NoError(t, err)
		cut, _, missing := read.Onto(files, func(string) bool { return true })
		require.Empty(t, missing, "seed %d", seed)
		for id, c := range handed(t, cut).Clips {
			was := r.Clips[id]
			require.Equal(t, was.Offset, c.Offset+first[c.Take], "seed %d", seed)
			require.Equal(t, was.Start, c.Start)
			if was.Home != nil {
				require.Equal(t, was.Slip(), c.Slip(), "what is in sync is in sync")
			}
			for i, p := range was.Gain {
				require.Equal(t, p.At, c.Gain[i].At+first[c.Take], "a curve lies on the same sound")
			}
			for i, l := range was.Lanes {
				for j, h := range l.Hushes {
					require.Equal(t, h.From, c.Lanes[i].Hushes[j].From+first[c.Take], "and so does a hush")
				}
			}
			back := c.Onto(was.Take, -first[c.Take], was.Frames)
			back.Settled = was.Settled
			for i, l := range back.Lanes {
				for j := range l.Borrowed {
					b := &back.Lanes[i].Borrowed[j]
					b.Offset += first[b.Take]
					b.Take = was.Lanes[i].Borrowed[j].Take
				}
			}
			require.JSONEq(t, text(t, was), text(t, back), "seed %d: every curve, hush and word lies on the same sound", seed)
		}
	}
}

// What another program did to the list is followed; what it laid itself is said.
func TestWhatAnotherProgramDid(t *testing.T) {
	r := reel.New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, 36000*48000, reel.DefaultStems())
	for i, title := range []string{"one", "two", "three"} {
		change, _, err := reel.AddTake{Take: title, Title: title, Reuse: true, Start: (36001 + int64(i)*2) * 48000, Length: 48000,
			Parts: []reel.PartPlan{{Name: "Boom", Stem: "DX", Channels: []int{0}, Labels: []string{"M"}}}}.Plan(r, takes{})
		require.NoError(t, err)
		require.NoError(t, r.Apply(change))
	}
	b := written(t, packed(r, 0))
	var list map[string]any
	require.NoError(t, json.Unmarshal(b, &list))
	track := list["tracks"].(map[string]any)["children"].([]any)[0].(map[string]any)
	children := track["children"].([]any)
	clip := func(name string) map[string]any {
		for _, c := range children {
			if c := c.(map[string]any); c["name"] == name {
				return c
			}
		}
		t.Fatalf("no clip %s", name)
		return nil
	}
	value := func(clip map[string]any, part string, by float64) {
		at := clip["source_range"].(map[string]any)[part].(map[string]any)
		at["value"] = at["value"].(float64) + by
	}
	clips := r.ClipList()
	value(clip(clips[0].Name), "start_time", 4800) // a tenth is cut off its head, and what follows comes earlier
	value(clip(clips[0].Name), "duration", -4800)
	clip(clips[1].Name)["enabled"] = false
	foreign := map[string]any{"OTIO_SCHEMA": "Clip.1", "name": "Gull", "source_range": clip(clips[2].Name)["source_range"], "metadata": map[string]any{}}
	track["children"] = append(children, foreign)
	read, notes, err := handover.Read([]byte(text(t, list)), 48000)
	require.NoError(t, err)
	assert.Equal(t, []string{"3 clips lie otherwise than they were handed over",
		"1 clips were laid by another program and are left out: read the file as a cut list to lay them"}, notes)
	now := read.Reel.ClipList()
	require.Len(t, now, 3)
	assert.Equal(t, []int64{clips[0].Start, 4800, 43200}, []int64{now[0].Start, now[0].Offset, now[0].Length})
	assert.Equal(t, clips[1].Start-4800, now[1].Start)
	assert.True(t, now[1].Mute)
	assert.False(t, now[2].Mute)

	_, _, missing := read.Onto(nil, func(string) bool { return false })
	assert.Len(t, missing, 3, "nothing is made without its sound, and what lacks is named")
	for _, broken := range []string{"", "{}", `{"OTIO_SCHEMA":"Timeline.1","metadata":{"zesty_loom":{"version":9,"reel":{}}}}`, string(b[:len(b)/2])} {
		_, _, err := handover.Read([]byte(broken), 48000)
		assert.Error(t, err, broken[:min(len(broken), 60)])
	}
	_, _, err = handover.Read(b, 44100)
	assert.ErrorContains(t, err, "at 48000 Hz and the production at 44100 Hz")
}

// Whatever comes in under our name is refused or read, and what was read is a reel by all rules, or refused by them.
func FuzzHandedOver(f *testing.F) {
	t := &testing.T{}
	for seed := range int64(3) {
		f.Add(written(t, packed(randomReel(seed, 8), 100)))
	}
	f.Fuzz(func(_ *testing.T, b []byte) {
		p, _, err := handover.Read(b, 48000)
		if err != nil {
			return
		}
		r, _, _ := p.Onto(p.Takes, func(string) bool { return false })
		fresh := reel.New("Crossing", 48000, timecode.Rate{Num: 24, Den: 1}, 0, reel.DefaultStems())
		change, _, err := reel.Handed{Reel: r}.Plan(fresh, takes{})
		if err == nil {
			_ = fresh.Apply(change)
		}
	})
}

// A split leaves no empty track, unless something is routed from it.
func TestSplitLeavesNoEmptyTrack(t *testing.T) {
	for _, routed := range []bool{false, true} {
		r := reel.New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, 36000*48000, reel.DefaultStems())
		do := func(c reel.Command) {
			change, _, err := c.Plan(r, takes{})
			require.NoError(t, err)
			require.NoError(t, r.Apply(change))
		}
		do(reel.AddTake{Take: "wide", Title: "wide", Start: 36001 * 48000, Length: 48000, Parts: []reel.PartPlan{
			{Name: "Deck", Stem: "DX", Channels: []int{0, 1}, Labels: []string{"L", "R"}}}})
		if routed {
			do(reel.OutputEach{Tracks: []string{r.TrackList()[0].ID}})
		}
		do(reel.SplitClip{Clip: r.ClipList()[0].ID, Names: []string{"Boom", "Lav"}})
		var names []string
		for _, track := range r.TrackList() {
			names = append(names, track.Name)
		}
		want := []string{"Boom", "Lav"}
		if routed {
			want = append([]string{"Deck"}, want...)
		}
		assert.Equal(t, want, names)
	}
}
