package listen

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"log/slog"
	"math"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/engine"
	"zestyloom/core/fault"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
	"zestyloom/core/wires"
	"zestyloom/internal/store"
)

// shelf is a production of one take of two channels on one reel.
type shelf struct {
	file *wave.File
	take store.Take
	reel *reel.Reel
	was  *reel.Reel // at revision 1
}

func (s shelf) Reel(_ context.Context, id string) (store.OpenReel, error) {
	if id != "reel" {
		return store.OpenReel{}, fault.New(fault.NotFound, "This reel is no longer there")
	}
	return store.OpenReel{Reel: s.reel.Clone()}, nil
}

func (s shelf) Take(_ context.Context, id string) (store.Take, error) {
	if id != "take" {
		return store.Take{}, fault.New(fault.NotFound, "This take is no longer there")
	}
	return s.take, nil
}

func (s shelf) ReelAt(_ context.Context, _ string, revision int64) (store.OpenReel, error) {
	if s.was == nil || revision != 1 {
		return store.OpenReel{}, fault.New(fault.NotFound, "It has never been so")
	}
	return store.OpenReel{Reel: s.was.Clone(), ReelInfo: store.ReelInfo{Revision: 1}}, nil
}

func (s shelf) Try(_ context.Context, _ string, c reel.Command) (*reel.Reel, error) {
	return reel.Try(s.reel, c, reel.Takes{"take": s.take.Info()})
}

func (s shelf) Open(id string) (*wave.File, error) {
	_, err := s.Take(context.Background(), id)
	return s.file, err
}

func (s shelf) Close() {}

func newShelf(t testing.TB) shelf {
	f := wavetest.Open(t, wave.Header{Format: wavetest.PCM24(2), Frames: 24000}, func(c,
		i int) float64 {
		return math.Sin(float64(i*(c+1))/30) / 2
	})
	s := shelf{file: f, reel: reel.New("Crossing", 48000, timecode.Rate{Num: 25, Den: 1}, 0, reel.DefaultStems())}
	s.take = store.Take{ID: "take", Description: take.Describe(f, "12A.wav")}
	for _, track := range s.take.Description.Tracks {
		s.take.Channels = append(s.take.Channels, store.Channel{Track: track})
	}
	add := reel.AddTake{Take: "take", Title: "12A/3", Length: 24000, Frames: 24000,
		Parts: []reel.PartPlan{{Name: "Boom", Stem: "DX", Channels: []int{0}, Labels: []string{"M"}}}}
	change, _, err := add.Plan(s.reel, nil)
	require.NoError(t, err)
	require.NoError(t, s.reel.Apply(change))
	return s
}

// ear takes what a connection sends.
type ear struct {
	mu      sync.Mutex
	blocks  int
	replies []reply
	sound   []byte // of all blocks
}

func (e *ear) Write(_ context.Context, kind websocket.MessageType, message []byte) error {
	e.mu.Lock()
	defer e.mu.Unlock()
	if kind == websocket.MessageBinary {
		e.blocks++
		from := 8 * binary.LittleEndian.Uint64(message[12:]) // it takes the place of what came from there on
		e.sound = append(e.sound[:from], message[headBytes:]...)
		return nil
	}
	var r reply
	if err := json.Unmarshal(message, &r); err != nil {
		return err
	}
	e.replies = append(e.replies, r)
	return nil
}

// listening is a connection to a shelf whose panics are in the text.
func listening(t testing.TB, s shelf) (c *connection, e *ear, log *bytes.Buffer) {
	e, log = &ear{}, &bytes.Buffer{}
	server := &Server{Known: s, Files: func(context.Context) Files { return s }, Log: slog.New(slog.NewTextHandler(log, nil))}
	c = &connection{server: server, conn: e, ctx: t.Context()}
	return c, e, log
}

// FuzzRequests sends messages as no browser would: each is answered or refused in words, and nothing breaks behind.
func FuzzRequests(f *testing.F) {
	for _, m := range []string{
		`{"do":"play","reel":"reel","from":0,"tap":{"kind":"stems"}}`,
		`{"do":"play","reel":"reel","from":100,"until":9000,"speed":0.5,"loop":{"from":0,"to":5000},"solo":["x"]}`,
		`{"do":"take","take":"take","channels":[0,1],"from":23990}`,
		`{"do":"match","take":"take","reference":"take","offset":-5,"sides":true,"from":-9,"channels":[1]}`,
		`{"do":"play","reel":"reel","aside":{"row":"clip","id":"c1","channel":9,"removed":true}}`, `{"do":"play","reel":"reel","watch":[{"row":"stem","id":"DX"},{"row":"x","id":"y"}]}`, `{"do":"play","reel":"reel","lane":{"clip":"x","channel":9}}`,
		`{"do":"play","reel":"reel","trial":{"kind":"setClip","command":{"clip":"x","gainDB":1}}}`,
		`{"do":"take","take":"take","channels":[-1]}`,
		`{"do":"play","reel":"reel","from":9000,"until":100,"speed":-1,"loop":{"from":0,"to":5000}}`,
		`{"do":"play","reel":"reel","from":50,"signal":{"names":true},"loop":{"from":0,"to":5000},"speed":0.5}`,
		`{"do":"play","reel":"reel","signal":{"outputs":["x"]},"tap":{"kind":"stems","check":"difference"}}`,
		`{"do":"change","tap":{"kind":"output","id":"x"}}`, `{"do":"played","frames":-1}`, `{"do":"stop"}`, `[]`, `{"from":1e99}`,
	} {
		f.Add([]byte(m))
	}
	s := newShelf(f)
	f.Fuzz(func(t *testing.T, message []byte) {
		r, err := parse(message)
		if err != nil {
			assert.NotEmpty(t, fault.Sentence(err))
			return
		}
		c, e, log := listening(t, s)
		c.handle(r)
		for wait := 0; wait < 20 && e.quiet(); wait++ {
			time.Sleep(time.Millisecond / 4)
		}
		c.handle(request{Do: "change", Generation: r.Generation, Tap: r.Tap, Loop: r.Loop})
		c.stop()
		if strings.Contains(log.String(), "panic") {
			t.Fatalf("%s\n%s", message, log)
		}
	})
}

func (e *ear) quiet() bool {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.blocks+len(e.replies) == 0
}

func TestAnUnknownCheckIsRefused(t *testing.T) {
	_, err := parse([]byte(`{"do":"play","reel":"reel","tap":{"kind":"stems","check":"loudly"}}`))
	assert.ErrorContains(t, err, "There is no check \"loudly\"")
}

func TestWhatCantBePlayedIsSaid(t *testing.T) {
	for message, want := range map[string]string{
		`{"do":"play","reel":"gone"}`:                                 "This reel is no longer there",
		`{"do":"take","take":"gone"}`:                                 "This take is no longer there",
		`{"do":"take","take":"take","channels":[7]}`:                  "The take has no channel 8",
		`{"do":"play","reel":"reel","signal":{"outputs":["gone/L"]}}`: "There is no such output to send a signal to",
		`{"do":"sing"}`: "There is nothing called sing to do here",
		`{"do":"play","reel":"reel","tap":{"kind":"output","id":"gone"}}`: "There is nothing to hear there: the output was removed",
	} {
		c, e, _ := listening(t, newShelf(t))
		r, err := parse([]byte(message))
		require.NoError(t, err)
		c.handle(r)
		require.Eventually(t, func() bool {
			e.mu.Lock()
			defer e.mu.Unlock()
			return len(e.replies) > 0 && strings.Contains(e.replies[0].Error, want)
		}, time.Minute, time.Millisecond, message)
		c.stop()
	}
	for _, message := range []string{`{"from":99999999999999}`, `{"loop":{"from":5,"to":1}}`, `{`, `{"aside":{"gainDB":400}}`} {
		_, err := parse([]byte(message))
		assert.Equal(t, fault.BadInput, fault.KindOf(err), message)
	}
}

// A correction is heard both ways: as it is, and without it at the same loudness. What is heard is measured along.
func TestBothWays(t *testing.T) {
	s := newShelf(t)
	do := func(c reel.Command) {
		change, _, err := c.Plan(s.reel, nil)
		require.NoError(t, err)
		require.NoError(t, s.reel.Apply(change))
	}
	do(reel.SetGroup{Name: "Full", Layout: "stereo", Feed: &reel.Feeder{Row: reel.StemRow, From: "DX"}})
	full := s.reel.GroupList()[0].ID
	heard := func(matched bool) (level float64, last *loudness.Reading) {
		c, e, _ := listening(t, s)
		c.handle(request{Do: "play", Generation: 1, Reel: "reel", From: 0, Until: 14000, Tap: engine.Tap{Kind: "group", ID: full},
			Matched: matched})
		require.Eventually(t, e.ended, 5*time.Second, time.Millisecond)
		c.stop()
		for _, r := range e.replies {
			if r.Loudness != nil {
				last = r.Loudness
			}
		}
		for i := 0; i+4 <= len(e.sound); i += 4 {
			level = max(level, math.Abs(float64(math.Float32frombits(binary.LittleEndian.Uint32(e.sound[i:])))))
		}
		return level, last
	}
	plain, reading := heard(false)
	require.NotNil(t, reading)
	require.NotNil(t, reading.TruePeak)
	assert.InDelta(t, 20*math.Log10(plain), *reading.TruePeak, 0.05)
	do(reel.SetCorrection{Of: full, GainDB: -12, MatchDB: -2, Limit: []reel.Point{{At: 0, Value: -3}, {At: 20000, Value: -3}}})
	corrected, _ := heard(false)
	assert.InDelta(t, -15, 20*math.Log10(corrected/plain), 0.01)
	was, _ := heard(true)
	assert.InDelta(t, -2, 20*math.Log10(was/plain), 0.01, "without it, as loud as with it")
}

// What is changed takes the place of what is on its way: it is heard from the block on that sounds now, and not after all that was sent.
func TestAChangeIsHeardAtOnce(t *testing.T) {
	s := newShelf(t)
	track := s.reel.TrackList()[0].ID
	recorded := wavetest.Samples(t, s.file)[0]
	for name, c := range map[string]struct {
		played  int64
		elapsed time.Duration // since the browser said so
		from    int
	}{
		"at the beginning":                   {0, 0, 0},
		"within a block":                     {2500, 0, 2048},
		"at the edge of one":                 {4096, 0, 4096},
		"some time after the last was heard": {2500, 100 * time.Millisecond, 7168}, // 4,800 frames
		"in the last block":                  {lead - 1, 0, lead - block},
	} {
		conn, e, _ := listening(t, s)
		pass := standStill(conn)
		ask := request{Do: "play", Generation: 1, Reel: "reel", Until: 20000, Tap: engine.Tap{Kind: "track", ID: track}}
		conn.handle(ask)
		require.Eventually(t, func() bool { return len(e.left()) >= lead }, time.Minute, time.Millisecond, name)
		conn.handle(request{Do: "played", Generation: 1, Frames: c.played})
		pass(c.elapsed)
		plain := e.left()
		ask.Do, ask.Trial = "change", sent(t, "setTrack", reel.SetTrack{Track: track, GainDB: new(-6.0)})
		conn.handle(ask)
		begins := func(x []float64) (from int) { // where the change is heard
			for from = len(x); from > 0 && math.Abs(x[from-1]-recorded[from-1]*math.Pow(10, -6.0/20)) < 1e-6; {
				from--
			}
			return from
		}
		require.Eventually(t, func() bool { x := e.left(); return len(x) >= lead && begins(x) < len(x) }, time.Minute, time.Millisecond, name)
		conn.stop()
		now := e.left()
		assert.InDelta(t, c.from, begins(now), 40, name) // samples near 0 are the same at any gain
		assert.Equal(t, plain[:c.from], now[:c.from], "%s: what has sounded stays", name)
	}
}

// standStill gives a connection a clock that stands until time is passed.
func standStill(c *connection) (pass func(time.Duration)) {
	clock := time.Unix(0, 0)
	var mu sync.Mutex
	c.server.Clock = func() time.Time {
		mu.Lock()
		defer mu.Unlock()
		return clock
	}
	return func(by time.Duration) {
		mu.Lock()
		defer mu.Unlock()
		clock = clock.Add(by)
	}
}

// sent is a command as a browser sends it.
func sent(t *testing.T, kind string, c reel.Command) *reel.Sent {
	b, err := json.Marshal(map[string]any{"kind": kind, "command": c})
	require.NoError(t, err)
	var s reel.Sent
	require.NoError(t, json.Unmarshal(b, &s))
	return &s
}

// Rows that are watched say what arrives at them, with the blocks that are heard.
func TestRowsAreWatched(t *testing.T) {
	s := newShelf(t)
	track := s.reel.TrackList()[0].ID
	change, _, err := reel.SetTrack{Track: track, GainDB: new(-6.0)}.Plan(s.reel, nil)
	require.NoError(t, err)
	require.NoError(t, s.reel.Apply(change))
	c, e, _ := listening(t, s)
	defer c.stop()
	c.handle(request{Do: "play", Generation: 1, Reel: "reel", Until: 24000, Tap: engine.Tap{Kind: "stems"},
		Watch: []watched{{reel.TrackRow, track}, {reel.StemRow, "DX"}, {reel.StemRow, "MX"}, {reel.MixRow, "gone"}}})
	rows := func() (list []reply) {
		e.mu.Lock()
		defer e.mu.Unlock()
		for _, r := range e.replies {
			if r.Rows != nil {
				list = append(list, r)
			}
		}
		return list
	}
	require.Eventually(t, func() bool { return len(rows()) > 5 }, time.Minute, time.Millisecond)
	r := rows()[5]
	require.Len(t, r.Rows, 4)
	require.Len(t, r.Shorts, 4)
	peak := 0.0
	for _, x := range wavetest.Samples(t, s.file)[0][:12000] {
		peak = max(peak, math.Abs(x))
	}
	peak = 20*math.Log10(peak) - 6
	assert.InDelta(t, peak, r.Rows[0], 0.1)
	assert.InDelta(t, peak-3.01, r.Rows[1], 0.1, "a mono in the middle of a pair")
	assert.InDelta(t, r.Shorts[0], r.Shorts[1], 0.1, "and as loud as it was")
	assert.Less(t, r.Shorts[0], 0.0)
	for i := 2; i < 4; i++ {
		assert.EqualValues(t, silent, r.Rows[i])
		assert.EqualValues(t, silent, r.Shorts[i])
	}
	_, err = parse(fmt.Appendf(nil, `{"watch":[%s{}]}`, strings.Repeat(`{"row":"stem","id":"DX"},`, maxWatched)))
	assert.ErrorContains(t, err, "At most 400 rows")
}

// The receiving deck says what each output carries: here a knot has dialogue where music belongs.
func TestTheDeckTellsAWrongWire(t *testing.T) {
	s := newShelf(t)
	do := func(c reel.Command) {
		change, _, err := c.Plan(s.reel, nil)
		require.NoError(t, err)
		require.NoError(t, s.reel.Apply(change))
	}
	do(reel.SetGroup{Name: "Dialogue", Layout: "stereo", Feed: &reel.Feeder{Row: reel.StemRow, From: "DX"}})
	do(reel.SetGroup{Name: "Music", Layout: "stereo", Feed: &reel.Feeder{Row: reel.StemRow, From: "MX"}})
	outputs := s.reel.OutputList()
	do(reel.SetKnots{Knots: []reel.Crosspoint{{Row: reel.StemRow, From: "DX", Channel: 1, Output: outputs[3].ID}}})
	c, e, _ := listening(t, s)
	defer c.stop()
	ask := request{Do: "play", Generation: 1, Reel: "reel", Until: 24000, Tap: engine.Tap{Kind: "stems"}, Wires: true}
	c.handle(ask)
	told := func() (list []wires.Arrival) {
		e.mu.Lock()
		defer e.mu.Unlock()
		for _, r := range e.replies {
			if r.Wires != nil {
				list = r.Wires
			}
		}
		return list
	}
	require.Eventually(t, func() bool { return told() != nil }, time.Minute, time.Millisecond)
	var says []wires.Verdict
	for _, a := range told() {
		says = append(says, a.Says)
	}
	assert.Equal(t, []wires.Verdict{wires.Right, wires.Right, wires.Quiet, wires.Wrong}, says)
	assert.Contains(t, []int{0, 1}, told()[3].On, "a mono in the middle is on both sides alike")
}

// What was replaced before it sounded has not been heard: loudness is of what sounds in its place.
func TestWhatWasReplacedDoesNotCount(t *testing.T) {
	s := newShelf(t)
	track := s.reel.TrackList()[0].ID
	peak := func(change bool) float64 {
		c, e, _ := listening(t, s)
		pass := standStill(c)
		ask := request{Do: "play", Generation: 1, Reel: "reel", Until: 20000, Tap: engine.Tap{Kind: "track", ID: track}}
		c.handle(ask)
		require.Eventually(t, func() bool { return len(e.left()) >= lead }, time.Minute, time.Millisecond)
		if change {
			ask.Do, ask.Trial = "change", sent(t, "setTrack", reel.SetTrack{Track: track, GainDB: new(-12.0)})
			before := e.told()
			c.handle(ask)
			require.Eventually(t, func() bool { return e.told() >= before+lead/block }, time.Minute, time.Millisecond)
		}
		pass(time.Minute)
		var last *loudness.Reading
		require.Eventually(t, func() bool {
			c.handle(request{Do: "played", Generation: 1, Frames: 20000})
			e.mu.Lock()
			defer e.mu.Unlock()
			r := e.replies[len(e.replies)-1]
			last = r.Loudness
			return r.Ended
		}, time.Minute, time.Millisecond)
		c.stop()
		require.NotNil(t, last)
		return *last.TruePeak
	}
	assert.InDelta(t, peak(false)-12, peak(true), 0.1)
}

// told is how many blocks have come.
func (e *ear) told() int {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.blocks
}

// For headphones the speakers of a pair stand around a head: the far ear hears the one side too, later.
func TestHeadphonesAreHeard(t *testing.T) {
	s := newShelf(t)
	change, _, err := reel.SetTrack{Track: s.reel.TrackList()[0].ID, Pan: new(-1.0)}.Plan(s.reel, nil)
	require.NoError(t, err)
	require.NoError(t, s.reel.Apply(change))
	right := func(check engine.Check) (level float64) {
		c, e, _ := listening(t, s)
		defer c.stop()
		c.handle(request{Do: "play", Generation: 1, Reel: "reel", Until: 9000, Tap: engine.Tap{Kind: "stem", ID: "DX", Check: check}})
		require.Eventually(t, func() bool { return len(e.left()) >= 9000 }, time.Minute, time.Millisecond)
		for at := 4; at+4 <= len(e.sound); at += 8 {
			level = max(level, math.Abs(float64(math.Float32frombits(binary.LittleEndian.Uint32(e.sound[at:])))))
		}
		return level
	}
	assert.Zero(t, right(engine.AsItIs))
	assert.Positive(t, right(engine.Headphones))
	assert.Positive(t, right(engine.Swapped), "all of it is on the right then")
}

// meddled is a shelf on which something happens while a trial is worked out.
type meddled struct {
	shelf
	during func()
}

func (m *meddled) Try(ctx context.Context, id string, c reel.Command) (*reel.Reel, error) {
	made, err := m.shelf.Try(ctx, id, c)
	if during := m.during; during != nil {
		m.during = nil
		during()
	}
	return made, err
}

// What is turned on while the turn before is worked out is heard too: the last place of a hand is what stays.
func TestTheLastTurnIsHeard(t *testing.T) {
	s := newShelf(t)
	track := s.reel.TrackList()[0].ID
	c, e, _ := listening(t, s)
	defer c.stop()
	m := &meddled{shelf: s}
	c.server.Known = m
	at := func(do string, dB float64) request {
		return request{Do: do, Generation: 1, Reel: "reel", Until: 20000, Tap: engine.Tap{Kind: "track", ID: track},
			Trial: sent(t, "setTrack", reel.SetTrack{Track: track, GainDB: &dB})}
	}
	p := newPlayer(c, at("play", -3))
	m.during = func() { p.change(at("change", -20)) }
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	go func() { _ = p.run(ctx) }()
	recorded := wavetest.Samples(t, s.file)[0]
	require.Eventually(t, func() bool {
		x := e.left()
		return len(x) > 4000 && math.Abs(x[3990]-recorded[3990]*0.1) < 1e-6
	}, time.Minute, time.Millisecond)
}
