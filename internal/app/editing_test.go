package app_test

import (
	"bufio"
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"math/rand"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
	"zestyloom/internal/store"
)

// clipsOn gives the clips of a track by its name.
func clipsOn(v api.ReelView, track string) (out []api.Clip) {
	for _, t := range v.Tracks {
		for _, c := range v.Clips {
			if t.Name == track && c.Track == t.ID {
				out = append(out, c)
			}
		}
	}
	return out
}

// edited brings two takes in, lays the first out and does every kind of edit to its boom.
func edited(t *testing.T, s *apptest.Server) (production string, v api.ReelView) {
	s.Record("day1/12A.wav", 3, "Mix L", "Boom", "Ines lav")
	s.Record("day1/12A second.wav", 3, "Mix L", "Boom", "Ines lav")
	production = s.Production()
	s.Bring(production, "day1/12A.wav", "day1/12A second.wav")
	takes := s.Takes(production)
	v = s.Reel(production, "Reel 1")
	s.OK("POST", "/reels/"+v.ID+"/lay", map[string]any{"revision": v.Revision, "takes": []string{takes["12A.wav"].ID}}, &v)
	boom := clipsOn(v, "Boom")[0]
	at := func(seconds float64) int64 { return boom.Start + int64(seconds*48000) }
	in := func(from, to float64, extra map[string]any) map[string]any {
		m := map[string]any{"clip": boom.ID, "channel": 0, "from": at(from), "to": at(to)}
		for k, x := range extra {
			m[k] = x
		}
		return m
	}
	fade := func(seconds float64, curve string) map[string]any {
		return map[string]any{"length": int64(seconds * 48000), "curve": curve}
	}
	s.Do(&v, "hush", in(0.2, 0.3, nil))
	s.Do(&v, "dip", in(0.4, 0.6, map[string]any{"gainDB": -7.3, "ramp": 1000}))
	s.Do(&v, "borrow", in(0.7, 0.9, map[string]any{"take": takes["12A second.wav"].ID, "takeChannel": 1, "offset": 12345,
		"fade": fade(0.02, "power")}))
	s.Do(&v, "setLane", map[string]any{"clip": boom.ID, "channel": 0, "gainDB": -1.5, "invert": true, "delay": 37})
	s.Do(&v, "setClip", map[string]any{"clip": boom.ID, "gainDB": 2.1, "fadeIn": fade(0.05, "s")})
	s.Do(&v, "setCurve", map[string]any{"of": "clip", "id": boom.ID, "what": "gain",
		"points": []any{map[string]any{"at": 48000, "value": 0}, map[string]any{"at": 60000, "value": -5}}})
	s.Do(&v, "cutClips", map[string]any{"at": at(2), "clips": []string{boom.ID}})
	both := clipsOn(v, "Boom")
	require.Len(t, both, 2)
	s.Do(&v, "crossfade", map[string]any{"left": both[0].ID, "right": both[1].ID, "length": 2400, "curve": "power"})
	s.Do(&v, "setTrack", map[string]any{"track": boom.Track, "gainDB": -4.5, "pan": 0.3})
	s.OK("POST", "/specs", floatSpec, nil)
	s.OK("POST", "/reels/"+v.ID+"/spec", api.SpecChoice{Revision: v.Revision, Spec: "float-mix"}, &v)
	return production, v
}

func mixOf(t *testing.T, s *apptest.Server, production string, v api.ReelView) [][]float64 {
	p := printed(s, production, v, map[string]any{})
	require.NotNil(t, p.Report, p.Message)
	mix, _ := samples(t, s.File("/prints/"+p.ID+"/files/mix.wav"))
	return mix
}

// What is heard of every kind of edit is what is printed, bit for bit; settling it changes nothing that can be heard,
// and the way back is whole.
func TestEditsAreHeardSettledAndPrintedAlike(t *testing.T) {
	s := apptest.Start(t)
	production, v := edited(t, s)
	mix := mixOf(t, s, production, v)
	conn := dial(t, s)
	send(t, conn, map[string]any{"do": "play", "generation": 1, "reel": v.ID, "from": v.Head.Start,
		"tap": map[string]any{"kind": "group", "id": "mix"}})
	h := listenTo(t, conn, 1, 1<<30)
	require.True(t, h.ended, h.problem)
	loudest := 0.0
	for i := range mix[0] {
		require.Equal(t, float32(mix[0][i]), h.left[i], "frame %d", i)
		require.Equal(t, float32(mix[1][i]), h.right[i], "frame %d", i)
		loudest = max(loudest, math.Abs(mix[0][i]))
	}
	assert.Greater(t, loudest, 0.01)

	before := clipsOn(v, "Boom")
	s.OK("POST", "/reels/"+v.ID+"/settle", map[string]any{"track": before[0].Track}, nil)
	for title, w := range s.Settled(production) {
		require.Equal(t, "done", w.State, "%s: %s", title, w.Message)
	}
	s.OK("GET", "/reels/"+v.ID, nil, &v)
	settled := clipsOn(v, "Boom")
	require.Len(t, settled, 1)
	assert.Len(t, settled[0].Settled, 2, "the way back")
	again := mixOf(t, s, production, v)
	for i := range mix[0] {
		require.InDelta(t, mix[0][i], again[0][i], 2e-7, "frame %d: settled in 32-bit float", i)
	}
	s.Do(&v, "unsettle", map[string]any{"clip": settled[0].ID})
	assert.ElementsMatch(t, before, clipsOn(v, "Boom"))
	assert.Equal(t, mix, mixOf(t, s, production, v))
}

// A command can be heard without being made; a channel of a clip alone; a range again and again; at half the pace.
func TestWaysOfListening(t *testing.T) {
	s := apptest.Start(t)
	_, v := crossing(t, s)
	boom := clipsOn(v, "Boom")[0]
	own, _ := samples(t, s.Copied("day1/12A.wav"))
	conn := dial(t, s)
	generation := uint32(0)
	hear := func(frames int, ask map[string]any) heard {
		generation++
		m := map[string]any{"do": "play", "generation": generation, "reel": v.ID, "from": boom.Start,
			"tap": map[string]any{"kind": "track", "id": boom.Track}}
		for k, x := range ask {
			m[k] = x
		}
		send(t, conn, m)
		return listenTo(t, conn, generation, frames)
	}
	plain := hear(8000, nil)
	trial := hear(8000, map[string]any{"trial": map[string]any{"kind": "hush", "command": map[string]any{"clip": boom.ID, "channel": 0,
		"from": boom.Start + 3000, "to": boom.Start + 6000}}})
	assert.Equal(t, plain.left[:3000], trial.left[:3000])
	assert.Equal(t, make([]float32, 1000), trial.left[4000:5000], "hushed")
	// C19. A trial knows of takes what the command itself would.
	other := hear(2000, map[string]any{"trial": map[string]any{"kind": "readChannels",
		"command": map[string]any{"clip": boom.ID, "channels": []int{2}}}, "from": boom.Start + 500})
	for i := range 2000 {
		require.InDelta(t, own[2][500+i], other.left[i], 1e-7)
	}
	var now api.ReelView
	s.OK("GET", "/reels/"+v.ID, nil, &now)
	assert.Equal(t, v.Revision, now.Revision, "nothing was made")

	lane := hear(2000, map[string]any{"lane": map[string]any{"clip": boom.ID, "channel": 0}, "from": boom.Start + 500})
	for i := range 2000 {
		require.InDelta(t, own[1][500+i], lane.left[i], 1e-7)
	}

	until := hear(1<<20, map[string]any{"until": boom.Start + 5000})
	assert.True(t, until.ended)
	assert.Len(t, until.left, 5000)

	generation++
	send(t, conn, map[string]any{"do": "play", "generation": generation, "reel": v.ID, "from": boom.Start + 1000,
		"tap": map[string]any{"kind": "track", "id": boom.Track}, "loop": map[string]any{"from": boom.Start + 1000,
			"to": boom.Start + 6000}})
	positions := blocksOf(t, conn, generation, 24)
	assert.Contains(t, positions[1:], boom.Start+1000, "it begins again")
	for _, at := range positions {
		assert.True(t, at >= boom.Start+1000 && at < boom.Start+6000, "%d", at-boom.Start)
	}

	// At half the pace the same sound takes twice as long.
	generation++
	send(t, conn, map[string]any{"do": "play", "generation": generation, "reel": v.ID, "from": boom.Start, "speed": 0.5,
		"tap": map[string]any{"kind": "track", "id": boom.Track}})
	positions = blocksOf(t, conn, generation, 6)
	for i, at := range positions {
		assert.Equal(t, boom.Start+int64(i)*512, at, "1024 frames are sent for 512 of the reel")
	}
}

// blocksOf gives the positions of so many blocks, of which each is played at once.
func blocksOf(t *testing.T, conn *websocket.Conn, generation uint32, n int) (positions []int64) {
	frames := 0
	for len(positions) < n {
		kind, b, err := conn.Read(t.Context())
		require.NoError(t, err)
		if kind == websocket.MessageBinary && binary.LittleEndian.Uint32(b) == generation {
			positions = append(positions, int64(binary.LittleEndian.Uint64(b[4:])))
			frames += (len(b) - 20) / 8
			send(t, conn, map[string]any{"do": "played", "generation": generation, "frames": frames})
		}
	}
	return positions
}

// A range is borrowed from where the same words are in another take, though they lie elsewhere in it.
func TestLenders(t *testing.T) {
	s := apptest.Start(t)
	const frames, line, here, there = 5 * 48000, 48000, 60000, 101234
	rnd := rand.New(rand.NewSource(7))
	words := make([]float64, line)
	for i := range words { // noise in syllables
		words[i] = (rnd.Float64() - 0.5) * 0.6 * math.Abs(math.Sin(float64(i)/4000))
	}
	record := func(name, take string, at int, labels ...string) {
		list := &wave.IXMLTracks{}
		for i, label := range labels {
			list.Tracks = append(list.Tracks, wave.IXMLTrack{InterleaveIndex: fmt.Sprint(i + 1), Name: label})
		}
		h := wave.Header{Format: wavetest.PCM24(len(labels)), Frames: frames, Bext: &wave.Bext{TimeReference: 36001 * 48000},
			IXML: &wave.IXML{Scene: "12A", Take: take, Tape: "LF03", Tracks: list}}
		room := rand.New(rand.NewSource(int64(at)))
		s.Put(name, wavetest.Bytes(t, h, func(c, i int) float64 {
			x := (room.Float64() - 0.5) * 0.004
			if i >= at && i < at+line {
				x += words[i-at]
			}
			return x
		}))
	}
	record("a.wav", "1", here, "Boom", "Ines lav")
	record("b.wav", "2", there, "Ines lav", "Boom")
	record("c.wav", "3", 0, "Radio")
	production := s.Production()
	s.Bring(production, "a.wav", "b.wav", "c.wav")
	v := s.Reel(production, "Reel 1")
	s.OK("POST", "/reels/"+v.ID+"/lay", map[string]any{"revision": v.Revision, "takes": []string{s.Takes(production)["a.wav"].ID}}, &v)
	lav := clipsOn(v, "Ines lav")[0]
	ask := api.LenderRequest{Clip: lav.ID, Channel: 0, From: lav.Start + here, To: lav.Start + here + line}
	var lenders []api.Lender
	s.OK("POST", "/reels/"+v.ID+"/lenders", ask, &lenders)
	require.Len(t, lenders, 1, "the take without such a channel can't lend")
	l := lenders[0]
	assert.Equal(t, "12A/2", l.Title)
	assert.Equal(t, 0, l.Channel)
	assert.True(t, l.Aligned, "%+v", l)
	assert.EqualValues(t, there, l.Offset)
	ask.Channel = 4
	assert.Contains(t, s.Refused(http.StatusNotFound, "POST", "/reels/"+v.ID+"/lenders", ask), "no longer on the reel")
}

// Whoever watches a reel is told of another's edit, and fetches only what it changed.
func TestEditsReachOthers(t *testing.T) {
	s := apptest.Start(t)
	_, v := crossing(t, s)
	ctx, cancel := context.WithTimeout(context.Background(), 2*time.Minute)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, s.Base+api.Base+"/events", nil)
	require.NoError(t, err)
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	events := bufio.NewScanner(res.Body)
	next := func() (e store.Event) {
		for events.Scan() {
			if data, ok := strings.CutPrefix(events.Text(), "data:"); ok {
				require.NoError(t, json.Unmarshal([]byte(data), &e))
				return e
			}
		}
		return store.Event{Kind: "none"}
	}
	require.Equal(t, store.Event{}, next(), "to begin with anything may have changed")
	mine := v
	s.Do(&mine, "setTrack", map[string]any{"track": v.Tracks[1].ID, "gainDB": -2})
	told := next()
	for told.Kind != "reel" || told.Revision < mine.Revision { // what was done before may only be told now
		require.NotEqual(t, "none", told.Kind)
		told = next()
	}
	require.Equal(t, store.Event{Kind: "reel", ID: v.ID, Revision: mine.Revision}, told)
	var part api.ReelView
	s.OK("GET", fmt.Sprintf("/reels/%s?since=%d", v.ID, v.Revision), nil, &part)
	require.NotNil(t, part.Since)
	require.Len(t, part.Tracks, 1)
	assert.Equal(t, v.Tracks[1].ID, part.Tracks[0].ID)
	assert.Empty(t, part.Clips)
	// An edit of an older state of the reel is merged where it meets nobody's, and refused with a reason where it does.
	other := v
	s.Do(&other, "setTrack", map[string]any{"track": v.Tracks[2].ID, "mute": true})
	stale := map[string]any{"revision": v.Revision, "kind": "setTrack", "command": map[string]any{"track": v.Tracks[1].ID, "gainDB": -9}}
	assert.Contains(t, s.Refused(http.StatusConflict, "POST", "/reels/"+v.ID+"/commands", stale), "has changed")
}
