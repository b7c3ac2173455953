package app_test

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
)

// crowd is how many want to listen and to edit at once, and how long.
const (
	crowdListens = 200
	crowdEdits   = 16
	crowdFor     = 20 * time.Second
)

// audience is one who listens as the browser does: it plays what has come in real time, and says how far it is.
type audience struct {
	conn     *websocket.Conn
	began    time.Time // when it sounded first
	received int64     // frames
	missed   time.Duration
	told     bool
}

// sounds is how much should have sounded by now, in frames.
func (a *audience) sounds() int64 {
	if a.began.IsZero() {
		return 0
	}
	return int64((time.Since(a.began) - a.missed).Seconds() * 48000)
}

// hear takes a message. Where nothing was left to play there was a gap, and it goes on from there.
func (a *audience) hear(kind websocket.MessageType, m []byte) {
	if kind == websocket.MessageText {
		a.told = a.told || strings.Contains(string(m), `"waits"`)
		return
	}
	if binary.LittleEndian.Uint32(m) != 1 {
		return
	}
	if late := a.sounds() - a.received; late > 0 && !a.began.IsZero() {
		a.missed += time.Duration(float64(late) / 48000 * float64(time.Second))
	}
	a.received += int64(len(m)-20) / 8
	if a.began.IsZero() && a.received >= 2048 {
		a.began = time.Now()
	}
}

// BenchmarkCrowd: 200 ask to listen, to a reel of 64 tracks and 5,000 clips or to one of three tracks, and 16 edit reels of their own. As
// many play as the machine can play for, without a gap; all others are told; and an edit is confirmed within 100 ms at the 95th
// percentile. Those who do not read what they asked for cost no memory.
func BenchmarkCrowd(b *testing.B) {
	b.Run("dense", func(b *testing.B) {
		s := apptest.Start(b)
		crowd(b, s, full(b, s), false)
	})
	b.Run("small", func(b *testing.B) {
		s := apptest.Start(b)
		s.Record("day1/12A.wav", 60, "Mix L", "Boom", "Ines lav", "Tobiah lav")
		production := s.Production()
		s.Bring(production, "day1/12A.wav")
		v := s.Reel(production, "Reel 1")
		s.OK("POST", "/reels/"+v.ID+"/lay", map[string]any{"revision": v.Revision, "takes": []string{s.Takes(production)["12A.wav"].ID}},
			&v)
		s.OK("POST", "/reels/"+v.ID+"/spec", api.SpecChoice{Revision: v.Revision, Spec: "eight-channel-mix"}, &v)
		crowd(b, s, v, false)
	})
	b.Run("deaf", func(b *testing.B) {
		s := apptest.Start(b)
		crowd(b, s, full(b, s), true)
	})
}

func crowd(b *testing.B, s *apptest.Server, v api.ReelView, deaf bool) {
	var reels []api.ReelView
	for i := range crowdEdits {
		reels = append(reels, s.Reel(v.Production, fmt.Sprint("Reel of editor ", i)))
	}
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	ctx, cancel := context.WithTimeout(b.Context(), crowdFor)
	defer cancel()
	var all sync.WaitGroup
	var mu sync.Mutex
	people := make([]*audience, crowdListens)
	for i := range people {
		conn := dial(b, s)
		conn.SetReadLimit(1 << 20)
		a := &audience{conn: conn}
		people[i] = a
		all.Go(func() {
			send(b, conn, map[string]any{"do": "play", "generation": 1, "reel": v.ID, "from": v.Clips[rand.IntN(len(v.Clips))].Start,
				"loop": map[string]any{"from": v.Clips[0].Start, "to": v.Clips[0].Start + 30*48000},
				"tap":  map[string]any{"kind": "stems", "id": ""}})
			said := time.Now()
			if !deaf { // as the page does, also while nothing comes
				all.Go(func() {
					for ctx.Err() == nil {
						time.Sleep(100 * time.Millisecond)
						mu.Lock()
						frames := min(a.sounds(), a.received)
						mu.Unlock()
						message, _ := json.Marshal(map[string]any{"do": "played", "generation": 1, "frames": frames})
						_ = conn.Write(ctx, websocket.MessageText, message)
					}
				})
			}
			for deaf {
				message, _ := json.Marshal(map[string]any{"do": "played", "generation": 1,
					"frames": int64(time.Since(said).Seconds() * 48000)})
				if conn.Write(ctx, websocket.MessageText, message) != nil || ctx.Err() != nil {
					return
				}
				time.Sleep(100 * time.Millisecond)
			}
			for {
				kind, m, err := conn.Read(ctx)
				if err != nil {
					return
				}
				mu.Lock()
				a.hear(kind, m)
				mu.Unlock()
			}
		})
	}
	var took []time.Duration
	for i := range reels {
		all.Go(func() {
			r := &reels[i]
			for n := 0; ctx.Err() == nil; n++ {
				time.Sleep(rand.N(time.Second))
				body := fmt.Sprintf(`{"revision":%d,"kind":"setMark","command":{"name":"mark %d","at":%d}}`, n, n, v.Head.Start+int64(n))
				began := time.Now()
				res, err := http.Post(fmt.Sprintf("%s%s/reels/%s/commands?since=%d", s.Base, api.Base, r.ID, n), "application/json",
					strings.NewReader(body))
				if err != nil {
					return
				}
				res.Body.Close()
				mu.Lock()
				took = append(took, time.Since(began))
				mu.Unlock()
			}
		})
	}
	all.Wait()
	runtime.ReadMemStats(&after)
	playing, told, gap, silent := 0, 0, time.Duration(0), 0
	for _, a := range people {
		switch {
		case !a.began.IsZero():
			playing++
			gap = max(gap, a.missed)
		case a.told:
			told++
		default:
			silent++
		}
	}
	if !deaf {
		require.Zero(b, silent, "nobody hears nothing without a word")
	}
	spread(b, took)
	b.ReportMetric(float64(playing), "play")
	b.ReportMetric(float64(told), "told")
	b.ReportMetric(float64(gap.Milliseconds()), "ms-gap")
	b.ReportMetric(float64(after.Sys-before.Sys)/(1<<20), "MiB")
}
