package app_test

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"math"
	"strings"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
)

// heard is what came over a connection until the end, an error, or enough frames.
type heard struct {
	left, right []float32
	first       int64
	meters      [][]float64
	ended       bool
	problem     string
}

func dial(t testing.TB, s *apptest.Server) *websocket.Conn {
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	t.Cleanup(cancel)
	conn, _, err := websocket.Dial(ctx, strings.Replace(s.Base, "http", "ws", 1)+api.Base+"/listen", nil)
	require.NoError(t, err)
	conn.SetReadLimit(1 << 20)
	t.Cleanup(func() { _ = conn.CloseNow() })
	return conn
}

func send(t testing.TB, conn *websocket.Conn, m map[string]any) {
	b, err := json.Marshal(m)
	require.NoError(t, err)
	require.NoError(t, conn.Write(context.Background(), websocket.MessageText, b))
}

// listenTo reads like the browser does: it says what it has played, so that more comes.
func listenTo(t *testing.T, conn *websocket.Conn, generation uint32, frames int) heard {
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	h, base := heard{first: -1}, 0
	for len(h.left) < frames {
		kind, b, err := conn.Read(ctx)
		require.NoError(t, err)
		if kind == websocket.MessageText {
			var m struct {
				Generation uint32
				Meters     []float64
				Ended      bool
				Error      string
			}
			require.NoError(t, json.Unmarshal(b, &m))
			if m.Generation != generation {
				continue
			}
			if m.Meters != nil {
				h.meters = append(h.meters, m.Meters)
			}
			if h.ended, h.problem = m.Ended, m.Error; m.Ended || m.Error != "" {
				return h
			}
			continue
		}
		if binary.LittleEndian.Uint32(b) != generation {
			continue
		}
		position := int64(binary.LittleEndian.Uint64(b[4:]))
		frame := int(binary.LittleEndian.Uint64(b[12:])) // it takes the place of what was sent from there on
		if h.first < 0 || frame < base {
			h.first, base = position, frame
		}
		require.LessOrEqual(t, frame-base, len(h.left), "blocks follow each other without a hole")
		require.Equal(t, h.first+int64(frame-base), position)
		h.left, h.right = h.left[:frame-base], h.right[:frame-base]
		for at := 20; at < len(b); at += 8 {
			h.left = append(h.left, math.Float32frombits(binary.LittleEndian.Uint32(b[at:])))
			h.right = append(h.right, math.Float32frombits(binary.LittleEndian.Uint32(b[at+4:])))
		}
		send(t, conn, map[string]any{"do": "played", "generation": generation, "frames": base + len(h.left)})
	}
	return h
}

const floatSpec = "id: float-mix\ntitle: Float mix\ncontainer: wave\nsampleRate: 48000\nbitDepth: 32\npackaging: [interleaved]\nnaming: {interleaved: mix, per-group: \"{tag}\"}\ngroups: [{id: mix, name: Mix, tag: MIX, layout: stereo, stems: [DX, MX, FX]}]\n"

// What the WebSocket plays is, bit for bit, what is printed as float.
func TestWhatIsHeardIsWhatIsPrinted(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	s.Do(&v, "setTrack", map[string]any{"track": v.Tracks[0].ID, "gainDB": -4.5, "pan": 0.3})
	s.OK("POST", "/specs", floatSpec, nil)
	s.OK("POST", "/reels/"+v.ID+"/spec", api.SpecChoice{Revision: v.Revision, Spec: "float-mix"}, &v)
	p := printed(s, production, v, map[string]any{})
	require.NotNil(t, p.Report, p.Message)
	mix, _ := samples(t, s.File("/prints/"+p.ID+"/files/mix.wav"))

	conn := dial(t, s)
	from := v.Head.Start + 47_111 // from where no block of the print begins
	send(t, conn, map[string]any{"do": "play", "generation": 1, "reel": v.ID, "from": from,
		"tap": map[string]any{"kind": "group", "id": "mix"}})
	h := listenTo(t, conn, 1, 1<<30)
	require.True(t, h.ended, h.problem)
	require.Equal(t, from, h.first)
	require.Greater(t, len(h.left), 48000)
	loud := false
	for i := 47_111; i < len(mix[0]); i++ {
		require.Equal(t, float32(mix[0][i]), h.left[i-47_111], "frame %d", i)
		require.Equal(t, float32(mix[1][i]), h.right[i-47_111], "frame %d", i)
		loud = loud || mix[0][i] != 0
	}
	assert.True(t, loud)
	assert.Len(t, h.meters[5], 2)
	assert.Greater(t, h.meters[20][0], -60.0)
}

func TestTouchListening(t *testing.T) {
	s := apptest.Start(t)
	production, _ := crossing(t, s)
	take := s.Takes(production)["12A.wav"]
	conn := dial(t, s)
	send(t, conn, map[string]any{"do": "take", "generation": 7, "take": take.ID, "channels": []int{2}, "from": 5000})
	h := listenTo(t, conn, 7, 4000)
	assert.EqualValues(t, 5000, h.first)
	want, _ := samples(t, s.Copied("day1/12A.wav"))
	for i := range 4000 {
		require.Equal(t, float32(want[2][5000+i]), h.left[i])
		require.Equal(t, h.left[i], h.right[i])
	}
}

// Sets sound as they are read: a field decoded, a surround set folded down, any others added up.
func TestSetsAreHeardAsTheyAreRead(t *testing.T) {
	s := apptest.Start(t)
	s.Record("12A.wav", 1, "Boom", "Ines lav", "Tobiah lav", "Radio")
	production := s.Production()
	s.Bring(production, "12A.wav")
	take := s.Takes(production)["12A.wav"]
	x, _ := samples(t, s.Copied("12A.wav"))
	conn := dial(t, s)
	generation := uint32(0)
	hear := func(channels ...int) heard {
		generation++
		send(t, conn, map[string]any{"do": "take", "generation": generation, "take": take.ID, "channels": channels, "from": 300})
		return listenTo(t, conn, generation, 2000)
	}
	read := func(kind string, labels ...string) {
		s.OK("PATCH", "/takes/"+take.ID, map[string]any{"sets": []any{map[string]any{"kind": kind, "channels": []int{1, 2, 3, 4},
			"labels": labels}}}, nil)
	}
	sum := hear(0, 1, 3)
	pair := hear(3, 1)
	read("field", "ACN0", "ACN1", "ACN2", "ACN3")
	field := hear(0, 1, 2, 3)
	for i := range 2000 {
		at := 300 + i
		require.InDelta(t, (x[0][at]+x[1][at]+x[3][at])/3, sum.left[i], 1e-6)
		require.Equal(t, float32(x[3][at]), pair.left[i])
		require.Equal(t, float32(x[1][at]), pair.right[i])
		require.InDelta(t, (x[0][at]+x[1][at])/2, field.left[i], 1e-6)
		require.InDelta(t, (x[0][at]-x[1][at])/2, field.right[i], 1e-6)
	}
	send(t, conn, map[string]any{"do": "take", "generation": 99, "take": take.ID, "channels": []int{7}})
	assert.Contains(t, listenTo(t, conn, 99, 1<<20).problem, "no channel 8")
}

// A take sounds against its reference where it was found: both in the middle, or one on each side.
func TestMatchesAreHeard(t *testing.T) {
	s := apptest.Start(t)
	s.Record("ref.wav", 1, "Boom")
	s.Record("take.wav", 0.5, "Ines lav")
	production := s.Production()
	s.Bring(production, "ref.wav", "take.wav")
	takes := s.Takes(production)
	ref, _ := samples(t, s.Copied("ref.wav"))
	own, _ := samples(t, s.Copied("take.wav"))
	conn := dial(t, s)
	const offset, from = 1000, 900
	ask := map[string]any{"do": "match", "generation": 1, "take": takes["take.wav"].ID, "reference": takes["ref.wav"].ID, "offset": offset,
		"sides": true, "from": from}
	send(t, conn, ask)
	sides := listenTo(t, conn, 1, 2000)
	ask["generation"], ask["sides"] = 2, false
	send(t, conn, ask)
	both := listenTo(t, conn, 2, 2000)
	half := math.Sqrt2 / 2 // the pan law in the middle
	for i := range 2000 {
		x := 0.0
		if at := from + i - offset; at >= 0 {
			x = own[0][at]
		}
		require.Equal(t, float32(ref[0][from+i]), sides.left[i])
		require.Equal(t, float32(x), sides.right[i], "frame %d", i)
		require.InDelta(t, half*(ref[0][from+i]+x), both.left[i], 1e-6)
		require.Equal(t, both.left[i], both.right[i])
	}
	ask["generation"], ask["reference"] = 3, "nonsense"
	send(t, conn, ask)
	assert.Contains(t, listenTo(t, conn, 3, 1<<20).problem, "no such take")
}

func TestListeningChangesWhilePlaying(t *testing.T) {
	s := apptest.Start(t)
	_, v := crossing(t, s)
	conn := dial(t, s)
	send(t, conn, map[string]any{"do": "play", "generation": 1, "reel": v.ID, "from": v.Head.Start + 60000,
		"tap": map[string]any{"kind": "stem", "id": "FX"}})
	h := listenTo(t, conn, 1, 4096)
	assert.Zero(t, h.left[3000], "nothing is in the effects")
	send(t, conn, map[string]any{"do": "change", "generation": 1, "tap": map[string]any{"kind": "stems", "id": ""},
		"solo": []string{v.Tracks[0].ID}})
	more := listenTo(t, conn, 1, 40000)
	assert.NotZero(t, more.left[39000], "what was soloed is heard without starting again")
	send(t, conn, map[string]any{"do": "play", "generation": 2, "reel": v.ID, "from": v.Head.Start,
		"tap": map[string]any{"kind": "stem", "id": "ZZ"}})
	assert.Contains(t, listenTo(t, conn, 2, 1<<20).problem, "nothing to hear")
	send(t, conn, map[string]any{"do": "take", "generation": 3, "take": "nonsense", "channels": []int{0}})
	assert.Contains(t, listenTo(t, conn, 3, 1<<20).problem, "no such take")
	send(t, conn, map[string]any{"do": "dance", "generation": 4})
	_, b, err := conn.Read(context.Background())
	require.NoError(t, err)
	assert.Contains(t, string(b), "dance")
}

func TestASignalGoesToOneOutputAlone(t *testing.T) {
	s := apptest.Start(t)
	_, v := crossing(t, s)
	conn := dial(t, s)
	loud := func(x []float32) float64 {
		sum := 0.0
		for _, v := range x {
			sum += float64(v) * float64(v)
		}
		return 10 * math.Log10(sum/float64(len(x))+1e-20)
	}
	play := func(generation uint32, signal map[string]any, frames int) heard {
		send(t, conn, map[string]any{"do": "play", "generation": generation, "reel": v.ID, "from": v.Head.Start,
			"tap": map[string]any{"kind": "stems"}, "signal": signal})
		return listenTo(t, conn, generation, frames)
	}
	for i, o := range v.Outputs {
		h := play(uint32(i+1), map[string]any{"outputs": []string{o.ID}}, 24000)
		require.Empty(t, h.problem)
		for j, reading := range h.meters[len(h.meters)-1] {
			if j == i {
				assert.InDelta(t, -18, reading, 1, "a tone at %s %s", o.Group, o.Label)
			} else {
				assert.LessOrEqual(t, reading, -100.0, "and none at output %d", j+1)
			}
		}
		left, right := loud(h.left[4800:24000]), loud(h.right[4800:24000])
		if o.Label == "L" {
			left, right = right, left
		}
		assert.Less(t, left, -100.0)
		assert.InDelta(t, -21, right, 0.1)
	}
	// Names, one output after another, each for two seconds.
	h := play(99, map[string]any{"names": true, "outputs": []string{v.Outputs[1].ID, v.Outputs[0].ID}}, 4*48000)
	assert.Greater(t, loud(h.left[:48000]), -60.0, "the first that is named is the first on the reel")
	assert.Less(t, loud(h.right[:48000]), -100.0)
	assert.Greater(t, loud(h.right[96000:144000]), -60.0)
}
