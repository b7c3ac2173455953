package listen

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"math"
	"net/http"
	"sync"
	"time"

	"github.com/coder/websocket"

	"zestyloom/core/engine"
	"zestyloom/core/fault"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/wave"
	"zestyloom/core/wires"
	"zestyloom/internal/store"
)

// Known is where reels and takes are looked up.
type Known interface {
	Reel(ctx context.Context, id string) (store.OpenReel, error)
	// ReelAt gives a reel as it was at a revision.
	ReelAt(ctx context.Context, id string, revision int64) (store.OpenReel, error)
	Take(ctx context.Context, id string) (store.Take, error)
	// Try gives a reel as a command would make it.
	Try(ctx context.Context, id string, c reel.Command) (*reel.Reel, error)
}

// Files holds the files open that an engine reads.
type Files interface {
	Open(take string) (*wave.File, error)
	Close()
}

// Server answers WebSocket connections until it is closed.
type Server struct {
	Known Known
	Files func(ctx context.Context) Files
	Log   *slog.Logger
	// Heard is told of each listener that comes (1) and goes (-1); it may be nil.
	Heard func(listeners int)

	// Tape begins a recording of the outputs of a reel; where it is nil nothing can be recorded.
	Tape func(reel string) Tape

	// Processors is how much of them all who play may take together; 0 for the usual part of the machine's.
	Processors float64

	// Clock is by which it is known what has sounded; nil for the usual.
	Clock func() time.Time

	admission admission

	once  sync.Once
	ctx   context.Context
	end   context.CancelFunc
	conns sync.WaitGroup
}

func (s *Server) begin() {
	s.once.Do(func() {
		s.ctx, s.end = context.WithCancel(context.Background())
		s.admission.budget = s.Processors
		if s.Clock == nil {
			s.Clock = time.Now
		}
	})
}

// Close ends all connections and waits for what plays on them.
func (s *Server) Close() {
	s.begin()
	s.end()
	s.conns.Wait()
}

// request is a message of the browser's.
type request struct {
	Do         string        `json:"do"` // play, take, match, change, played or stop
	Generation uint32        `json:"generation"`
	Reel       string        `json:"reel"`
	Take       string        `json:"take"`
	Channels   []int         `json:"channels"`  // of the take, from 0
	Reference  string        `json:"reference"` // match: the take that it lies against
	Offset     int64         `json:"offset"`    // match: samples from the reference's start to the take's
	Sides      bool          `json:"sides"`     // match: the reference left and the take right, not both in the middle
	From       int64         `json:"from"`      // play: samples since midnight; take: frames from its start; match: from the reference's
	Tap        engine.Tap    `json:"tap"`
	Solo       []string      `json:"solo"`
	Frames     int64         `json:"frames"` // played: how many frames of this generation have sounded
	Until      int64         `json:"until"`  // where to end; 0 for the end of all
	Speed      float64       `json:"speed"`  // 0.5 for half, −1 for backwards; anything else is the usual
	Loop       *reel.Span    `json:"loop"`   // play and change: what is played again and again
	Trial      *reel.Sent    `json:"trial"`  // play and change: a command that is heard without being made
	Lane       *lane         `json:"lane"`   // play: one channel of one clip, alone and in its place
	Signal     *signal       `json:"signal"` // play: what is sent to outputs in place of the reel
	Aside      *engine.Aside `json:"aside"`  // play and change: a chain of which something else is heard than what comes out
	// Speakers is, in any play, what each loudspeaker is for; none for a pair.
	Speakers []string  `json:"speakers"`
	Other    *other    `json:"other"`   // play and change: what the reel is compared with
	Treat    *treat    `json:"treat"`   // take and change: a treatment of it that is tried
	Watch    []watched `json:"watch"`   // play and change: rows whose level is told
	Wires    bool      `json:"wires"`   // play and change: whether each output carries what belongs on it is told
	Record   bool      `json:"record"`  // play and change: what leaves on the outputs is recorded
	Matched  bool      `json:"matched"` // play and change: without its corrections, as loud as with them
}

type lane struct {
	Clip    string `json:"clip"`
	Channel int    `json:"channel"` // of the clip, from 0; −1 for all
}

// farthest is the largest position that a message may name, in samples: more than two days at any rate.
const farthest = 1 << 36

// parse reads a message. What lies beyond any reel is refused here, so that nothing behind has to reckon with it.
func parse(message []byte) (r request, err error) {
	if err := json.Unmarshal(message, &r); err != nil {
		return r, fault.Wrap(fault.BadInput, err, "The message can't be read")
	}
	if err := checkWatched(r.Watch); err != nil {
		return r, err
	}
	if err := checkSpeakers(r.Speakers); err != nil {
		return r, err
	}
	places := []int64{r.Offset, r.From, r.Until}
	if r.Loop != nil {
		places = append(places, r.Loop.From, r.Loop.To)
		if r.Loop.To < r.Loop.From {
			return r, fault.New(fault.BadInput, "The loop ends before it begins")
		}
	}
	if r.Aside != nil && !(math.Abs(r.Aside.GainDB) <= reel.MaxGainDB) {
		return r, fault.New(fault.BadInput, "The gain is at most %d dB", reel.MaxGainDB)
	}
	if !r.Tap.Check.Known() {
		return r, fault.New(fault.BadInput, "There is no check %q", r.Tap.Check)
	}
	for _, at := range places {
		if at > farthest || at < -farthest {
			return r, fault.New(fault.BadInput, "The message names a place that no reel reaches to")
		}
	}
	return r, nil
}

// reply is a text message to the browser.
type reply struct {
	Generation uint32    `json:"generation"`
	Position   int64     `json:"position"`
	Meters     []float64 `json:"meters,omitempty"` // quasi-peak of each output in dBFS, −200 in silence
	// Rows and Shorts are of the rows that are watched, in their order: the peak since the last that was told, in dBFS, and the loudness of the
	// last 3 s, in LUFS; −200 in silence.
	Rows   []float64 `json:"rows,omitempty"`
	Shorts []float64 `json:"shorts,omitempty"`
	// Wires is what each output carries.
	Wires []wires.Arrival `json:"wires,omitempty"`
	// Recorded is how many frames have been recorded, and Tape what became of a recording that has ended.
	Recorded int64  `json:"recorded,omitempty"`
	Tape     *taped `json:"tape,omitempty"`
	// Louder is by how many dB the other that it is compared with is turned up to be as loud.
	Louder *float64 `json:"louder,omitempty"`
	// Loudness is that of what is listened to, since playing began or the tap was changed.
	Loudness *loudness.Reading `json:"loudness,omitempty"`
	Ended    bool              `json:"ended,omitempty"`
	// Waits says why nothing is heard yet: others play, and there is no room for more.
	Waits string `json:"waits,omitempty"`
	Error string `json:"error,omitempty"`
}

// maxMessage bounds what a browser may send at once, in bytes: a ride of many rows that is tried has the points of all of them.
const maxMessage = 1 << 20

// writeTimeout is how long a message may take to leave before the connection counts as lost.
const writeTimeout = 10 * time.Second

// ServeHTTP holds one connection until the browser goes. The caller has checked the request's origin.
func (s *Server) ServeHTTP(w http.ResponseWriter, req *http.Request) {
	conn, err := websocket.Accept(w, req, &websocket.AcceptOptions{CompressionMode: websocket.CompressionDisabled})
	if err != nil {
		return // Accept has answered
	}
	defer conn.CloseNow()
	conn.SetReadLimit(maxMessage)
	s.begin()
	s.conns.Add(1)
	defer s.conns.Done()
	if s.Heard != nil {
		s.Heard(1)
		defer s.Heard(-1)
	}
	ctx, cancel := context.WithCancel(req.Context())
	defer cancel()
	defer context.AfterFunc(s.ctx, cancel)()
	c := &connection{server: s, conn: conn, ctx: ctx}
	defer c.stop()
	for {
		_, message, err := conn.Read(ctx)
		if err != nil {
			return
		}
		r, err := parse(message)
		if err != nil {
			c.send(reply{Generation: r.Generation, Error: fault.Sentence(err)})
			continue
		}
		c.handle(r)
	}
}

// connection plays one thing at a time.
type connection struct {
	server *Server
	conn   interface {
		Write(ctx context.Context, kind websocket.MessageType, message []byte) error
	}
	// ctx is the connection's. Writes use it and not that of what plays, because a write that is cancelled half-way
	// leaves nothing but to close the connection.
	ctx context.Context

	mu        sync.Mutex
	levels    map[string]*float64 // by how many dB the second of two that are compared is turned up
	measuring bool                // it is being found out
	playing   *player
	end       context.CancelFunc
	ended     chan struct{}
}

func (c *connection) handle(r request) {
	switch r.Do {
	case "play", "take", "match":
		c.stop()
		playCtx, cancel := context.WithCancel(c.ctx)
		p := newPlayer(c, r)
		done := make(chan struct{})
		c.mu.Lock()
		c.playing, c.end, c.ended = p, cancel, done
		c.mu.Unlock()
		go func() {
			defer close(done)
			if err := p.safely(playCtx); err != nil && playCtx.Err() == nil {
				sentence := fault.Sentence(err)
				if fault.KindOf(err) == "" {
					c.server.Log.Error("playing", "error", err)
					sentence = "Playing stopped: something went wrong on the server"
				}
				c.send(reply{Generation: r.Generation, Position: r.From, Error: sentence})
			}
		}()
	case "change":
		if p := c.current(r.Generation); p != nil {
			p.change(r)
		}
	case "played":
		if p := c.current(r.Generation); p != nil {
			p.played(r.Frames)
		}
	case "stop":
		c.stop()
	default:
		c.send(reply{Error: "There is nothing called " + r.Do + " to do here"})
	}
}

func (c *connection) current(generation uint32) *player {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.playing == nil || c.playing.generation != generation {
		return nil
	}
	return c.playing
}

// stop ends what plays and waits for it.
func (c *connection) stop() {
	c.mu.Lock()
	end, ended := c.end, c.ended
	c.playing, c.end, c.ended = nil, nil, nil
	c.mu.Unlock()
	if end != nil {
		end()
		<-ended
	}
}

func (c *connection) send(r reply) {
	b, err := json.Marshal(r)
	if err != nil {
		c.server.Log.Error("encoding a reply", "error", err)
		return
	}
	if err := c.write(websocket.MessageText, b); err != nil && !errors.Is(err, context.Canceled) {
		c.server.Log.Debug("the browser is gone", "error", err)
	}
}

func (c *connection) write(kind websocket.MessageType, b []byte) error {
	ctx, cancel := context.WithTimeout(c.ctx, writeTimeout)
	defer cancel()
	return c.conn.Write(ctx, kind, b)
}
