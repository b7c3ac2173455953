package app_test

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"math/rand"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
)

const manyTracks, manyClips = 64, 5000

// full makes a reel of 64 tracks and 5,000 clips, an hour long, of two takes, each clip with fades and every fourth with
// something done inside.
func full(b *testing.B, s *apptest.Server) api.ReelView {
	s.Record("12A.wav", 60, "Boom", "Ines lav")
	production := s.Production()
	s.Bring(production, "12A.wav")
	take := s.Takes(production)["12A.wav"]
	v := s.Reel(production, "Reel 1")
	var tracks, clips []map[string]any
	for i := range manyTracks {
		tracks = append(tracks, map[string]any{"id": fmt.Sprintf("n%d", i), "name": fmt.Sprintf("Track %d", i+1), "labels": []string{"M"},
			"stem": []string{"DX", "FX", "MX", "AX"}[i%4], "suggested": false, "feed": map[string]any{"dual": false, "pan": 0}, "gainDB": 0,
			"mute": false, "order": i + 1})
	}
	each := int64(3600*48000) / (manyClips/manyTracks + 1)
	for i := range manyClips {
		c := map[string]any{"id": fmt.Sprint(i), "track": fmt.Sprintf("n%d", i%manyTracks), "take": take.ID, "name": fmt.Sprintf("Clip %d", i),
			"channels": []int{i % 2}, "start": v.Head.Start + int64(i/manyTracks)*each, "offset": (i * 7919) % 96000, "length": 48000 * 30,
			"frames": 60 * 48000, "gainDB": -20, "tie": "",
			"fadeIn": map[string]any{"length": 480}, "fadeOut": map[string]any{"length": 960, "curve": "power"}}
		if i%4 == 0 {
			c["lanes"] = []any{map[string]any{"gainDB": -1, "hushes": []any{map[string]any{"from": 200000, "to": 210000}},
				"dips": []any{map[string]any{"from": 300000, "to": 340000, "gainDB": -6, "ramp": 1000}}}}
		}
		clips = append(clips, c)
	}
	s.Do(&v, "pasteClips", map[string]any{"clips": clips, "tracks": tracks})
	s.OK("POST", "/reels/"+v.ID+"/spec", api.SpecChoice{Revision: v.Revision, Spec: "eight-channel-mix"}, &v)
	require.Len(b, v.Clips, manyClips)
	return v
}

// spread reports the median and the 95th percentile of durations.
func spread(b *testing.B, took []time.Duration) {
	slices.Sort(took)
	ms := func(share float64) float64 {
		return float64(took[int(share*float64(len(took)-1))].Microseconds()) / 1000
	}
	b.ReportMetric(ms(0.5), "ms-median")
	b.ReportMetric(ms(0.95), "ms-p95")
}

// BenchmarkEdit is from sending an edit as the browser does to having its confirmed result.
func BenchmarkEdit(b *testing.B) {
	s := apptest.Start(b)
	v := full(b, s)
	rnd := rand.New(rand.NewSource(1))
	revision := v.Revision
	var took []time.Duration
	for i := range max(200, b.N) {
		clip := v.Clips[rnd.Intn(len(v.Clips))]
		kind, command := "setClip", map[string]any{"clip": clip.ID, "gainDB": float64(-rnd.Intn(20))}
		switch i % 4 {
		case 0:
			kind, command = "moveClips", map[string]any{"clips": []string{clip.ID}, "by": rnd.Intn(9600) - 4800, "untie": true}
		case 1:
			kind, command = "hush", map[string]any{"clip": clip.ID, "channel": 0, "from": clip.Start + 48000, "to": clip.Start + 52000}
		case 2:
			kind, command = "setTrack", map[string]any{"track": clip.Track, "gainDB": float64(-rnd.Intn(9))}
		}
		body, err := json.Marshal(map[string]any{"revision": revision, "kind": kind, "command": command})
		require.NoError(b, err)
		began := time.Now() // without the tests' check of the contract
		res, err := http.Post(fmt.Sprintf("%s%s/reels/%s/commands?since=%d", s.Base, api.Base, v.ID, revision), "application/json",
			bytes.NewReader(body))
		require.NoError(b, err)
		answer, err := io.ReadAll(res.Body)
		require.NoError(b, err)
		took = append(took, time.Since(began))
		res.Body.Close()
		require.Equal(b, http.StatusOK, res.StatusCode, "%s", answer)
		var now api.ReelView
		require.NoError(b, json.Unmarshal(answer, &now))
		revision = now.Revision
	}
	spread(b, took)
}

// BenchmarkOpen is from asking for the reel to having all of it.
func BenchmarkOpen(b *testing.B) {
	s := apptest.Start(b)
	v := full(b, s)
	var took []time.Duration
	for range max(10, b.N) {
		began := time.Now()
		s.File("/reels/" + v.ID)
		took = append(took, time.Since(began))
	}
	spread(b, took)
}

// BenchmarkFirstSound is from sending play to having the two blocks that the browser waits for before it sounds.
func BenchmarkFirstSound(b *testing.B) {
	s := apptest.Start(b)
	v := full(b, s)
	conn := dial(b, s)
	rnd := rand.New(rand.NewSource(1))
	var took []time.Duration
	for generation := range uint32(max(30, b.N)) {
		began := time.Now()
		send(b, conn, map[string]any{"do": "play", "generation": generation, "reel": v.ID, "from": v.Head.Start + rnd.Int63n(3000*48000),
			"tap": map[string]any{"kind": "stems", "id": ""}})
		for blocks := 0; blocks < 2; {
			kind, m, err := conn.Read(b.Context())
			require.NoError(b, err)
			if kind == websocket.MessageBinary && binary.LittleEndian.Uint32(m) == generation {
				blocks++
			}
		}
		took = append(took, time.Since(began))
	}
	spread(b, took)
}

// benchSpec is eight stereo groups, as WAVE and as streams of a movie.
const benchSpec = `spec: 2
id: bench
title: Sixteen channels
groups: [%s]
packaging: [wave, mov]
files:
  - {packaging: wave, name: "{reel}", container: wave, depth: 24}
  - {packaging: mov, name: "{reel}", container: mov, depth: 24}
`

// sixteen is a reel of three minutes, and a spec of sixteen channels.
func sixteen(b *testing.B) (s *apptest.Server, production string, v api.ReelView) {
	s = apptest.Start(b)
	s.Record("day1/long.wav", 180, "Mix L", "Boom", "Ines lav")
	production = s.Production()
	s.Bring(production, "day1/long.wav")
	v = s.Reel(production, "Reel 1")
	s.OK("POST", "/reels/"+v.ID+"/lay", map[string]any{"revision": v.Revision, "takes": []string{s.Takes(production)["long.wav"].ID}}, &v)
	var groups []string
	for i := range 8 {
		groups = append(groups, fmt.Sprintf("{id: g%d, name: Group %d, tag: G%d, layout: stereo, from: {stems: [DX]}}", i, i, i))
	}
	s.OK("POST", "/specs", fmt.Sprintf(benchSpec, strings.Join(groups, ", ")), nil)
	return s, production, v
}

// BenchmarkLinkedMovie is that delivery again, when nothing has changed; the figure to look at is how many times as long it takes as
// the first time.
func BenchmarkLinkedMovie(b *testing.B) {
	s, production, v := sixteen(b)
	ask := func() time.Duration {
		began := time.Now()
		p := printed(s, production, v, map[string]any{"spec": "bench", "packaging": "mov"})
		require.NotNil(b, p.Report, p.Message)
		require.True(b, p.Report.Pass)
		return time.Since(began)
	}
	first, again := ask(), time.Duration(0)
	for range max(1, b.N) {
		again += ask()
	}
	b.ReportMetric(float64(again)/float64(max(1, b.N))/float64(first), "x-first")
}

// BenchmarkMovie is a delivery of 16 channels and three minutes as a movie, from asking for it to its report; the figure to look
// at is how many times as long it takes as the same delivery in WAVE.
func BenchmarkMovie(b *testing.B) {
	s, production, v := sixteen(b)
	took := map[string]time.Duration{}
	for range max(1, b.N) {
		for _, packaging := range []string{"wave", "mov"} {
			began := time.Now()
			p := printed(s, production, v, map[string]any{"spec": "bench", "packaging": packaging})
			took[packaging] += time.Since(began)
			require.NotNil(b, p.Report, p.Message)
			require.True(b, p.Report.Pass)
		}
	}
	b.ReportMetric(float64(took["mov"])/float64(took["wave"]), "x-wave")
}

// BenchmarkTurned is from turning a parameter of a chain while the reel plays, to having the block that
// sounds then as it is turned; a fifth of 40 tracks have one. What a browser adds is its own way to the loudspeaker.
func BenchmarkTurned(b *testing.B) {
	s := apptest.Start(b)
	v := full(b, s)
	step := func(id, kind string, values map[string]any) map[string]any {
		return map[string]any{"id": id, "kind": kind, "values": values}
	}
	chain := func(gain float64) []any {
		return []any{step("1", "high-pass", map[string]any{"frequency": 80}), step("2", "bell", map[string]any{"frequency": 320, "gain": gain}),
			step("3", "compressor", map[string]any{"threshold": -24})}
	}
	for _, t := range v.Tracks[:8] {
		s.Do(&v, "setChain", map[string]any{"row": "track", "from": t.ID, "steps": chain(-4)})
	}
	conn := dial(b, s)
	tap := map[string]any{"kind": "stems", "id": ""}
	send(b, conn, map[string]any{"do": "play", "generation": 1, "reel": v.ID, "from": v.Head.Start + 100*48000, "tap": tap})
	sent := int64(0)
	ctx, cancel := context.WithTimeout(b.Context(), time.Minute)
	defer cancel()
	_, _, err := conn.Read(ctx)
	require.NoError(b, err)
	began := time.Now()
	go func() { // who plays says how much has sounded, as often as a browser does
		for ctx.Err() == nil {
			time.Sleep(20 * time.Millisecond)
			_ = conn.Write(ctx, websocket.MessageText, fmt.Appendf(nil, `{"do":"played","generation":1,"frames":%d}`,
				int64(time.Since(began).Seconds()*48000)))
		}
	}()
	read := func() (frame int64) { // a block, as who plays it takes it
		for {
			kind, m, err := conn.Read(ctx)
			require.NoError(b, err)
			if kind == websocket.MessageBinary {
				sent = int64(binary.LittleEndian.Uint64(m[12:])) + int64(len(m)-20)/8
				return int64(binary.LittleEndian.Uint64(m[12:]))
			}
		}
	}
	var took []time.Duration
	for i := range max(30, b.N) {
		for until := time.Now().Add(150 * time.Millisecond); time.Now().Before(until); {
			read()
		}
		next := sent
		turned := time.Now()
		send(b, conn, map[string]any{"do": "change", "generation": 1, "tap": tap, "trial": map[string]any{"kind": "setChain",
			"command": map[string]any{"row": "track", "from": v.Tracks[i%8].ID, "steps": chain(float64(i%12) - 6)}}})
		for read() >= next { // those that were on their way
			require.Less(b, time.Since(turned), 5*time.Second)
			next = sent
		}
		took = append(took, time.Since(turned))
	}
	spread(b, took)
}
