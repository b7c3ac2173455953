package app_test

import (
	"math"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
)

// A cut at a zero crossing is found on the printed bytes: up to it they are the recording's, behind it where the rest was taken away there is silence,
// and the sound passes through zero between the two. Tied clips are cut where all of them are as soft as they get together.
func TestACutAtAZeroCrossingIsPrintedSo(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	boom := clipsOn(v, "Boom")[0]
	s.Do(&v, "setTrack", map[string]any{"track": boom.Track, "dual": true})
	s.Do(&v, "setTrack", map[string]any{"track": clipsOn(v, "Ines lav")[0].Track, "mute": true})
	source, err := os.ReadFile(filepath.Join(s.Card, "day1/12A.wav"))
	require.NoError(t, err)
	recorded, _ := samples(t, source)

	asked := func(at int64, alone bool) int64 {
		var found struct{ At int64 }
		s.OK("POST", "/reels/"+v.ID+"/crossing", map[string]any{"at": at, "clips": []string{boom.ID}, "alone": alone}, &found)
		return found.At
	}
	for _, at := range []int64{10007, 77777, 123456} {
		both := asked(boom.Start+at, false) - boom.Start
		step := math.Max(math.Abs(recorded[1][both]), math.Abs(recorded[2][both]))
		for n := at - 100; n < at+100; n++ {
			if n < both-1 || n > both+1 {
				assert.GreaterOrEqual(t, math.Max(math.Abs(recorded[1][n]), math.Abs(recorded[2][n]))+0.002, step, "nowhere near is softer")
			}
		}
	}

	at := asked(boom.Start+77777, true)
	require.InDelta(t, boom.Start+77777, at, 480)
	s.Do(&v, "cutClips", map[string]any{"at": at, "clips": []string{boom.ID}, "alone": true})
	pieces := clipsOn(v, "Boom")
	require.Len(t, pieces, 2)
	s.Do(&v, "removeClips", map[string]any{"clips": []string{pieces[1].ID}})
	p := printed(s, production, v, map[string]any{"packaging": "per-group"})
	require.NotNil(t, p.Report, p.Message)
	dx, _ := samples(t, s.File("/prints/"+p.ID+"/files/"+p.Plan.Files[0].Name))
	n := at - boom.Start
	for side := range 2 {
		got := dx[side][48000:]
		assert.Equal(t, recorded[1][:n], got[:n], "up to the cut it is the recording")
		assert.Zero(t, got[n])
		assert.LessOrEqual(t, recorded[1][n-1]*recorded[1][n], 0.0, "where the sound passes through zero")
		assert.Less(t, math.Abs(got[n-1]), 0.0021, "so that nothing steps")
	}
	var none struct{ At int64 }
	s.OK("POST", "/reels/"+v.ID+"/crossing", map[string]any{"at": boom.Start + 9_000_000}, &none)
	assert.EqualValues(t, boom.Start+9_000_000, none.At, "where nothing lies it is the place itself")
	s.Refused(404, "POST", "/reels/"+v.ID+"/crossing", api.CrossingRequest{At: at, Clips: &[]string{"none"}})
}
