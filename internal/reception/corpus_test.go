package reception

import (
	"context"
	"fmt"
	"maps"
	"math"
	"math/rand"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/contract"
	printer "zestyloom/core/delivery"
	"zestyloom/core/desk"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/sums"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

// ferry is a reel with what the shipped specs ask for, and the sound of its takes: noise that is never silent, so that whatever is
// done to it can be heard.
func ferry(t testing.TB) (*reel.Reel, map[string]*wave.File) {
	const start, length = 36000 * second, 4 * second
	r, takes := reel.New("Crossing", second, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems()), map[string]*wave.File{}
	do := func(c reel.Command) {
		change, _, err := c.Plan(r, nil)
		require.NoError(t, err)
		require.NoError(t, r.Apply(change))
	}
	wide := []string{"L", "R", "C", "LFE", "Ls", "Rs"}
	for i, p := range []reel.PartPlan{{Name: "Boom", Stem: "DX", Strand: "Ines Calder", Labels: []string{"M"}},
		{Name: "Lav", Stem: "DX", Strand: "Tobiah Renn", Labels: []string{"M"}}, {Name: "English", Stem: "NX", Strand: "English", Labels: []string{"M"}},
		{Name: "Portuguese", Stem: "NX", Strand: "Portuguese", Labels: []string{"M"}}, {Name: "Cue", Stem: "MX", Labels: []string{"L", "R"}},
		{Name: "Bell", Stem: "FX", Labels: []string{"L", "R"}}, {Name: "Bank", Stem: "AX", Labels: wide}} {
		rnd, low, deep := rand.New(rand.NewSource(int64(i))), make([]float64, len(p.Labels)), 0.0
		takes[p.Name] = wavetest.Open(t, wave.Header{Format: wavetest.PCM24(len(p.Labels)), Frames: length}, func(c, n int) float64 {
			if p.Labels[c] == "LFE" {
				low[c] += 0.01 * (rnd.Float64() - 0.5 - low[c])
				deep += 0.01 * (low[c] - deep)
				return deep
			}
			low[c] += 0.2 * (rnd.Float64() - 0.5 - low[c])
			return 0.15 * low[c] * (1.2 + math.Sin(float64(n*(i+2))/9000))
		})
		for c := range p.Labels {
			p.Channels = append(p.Channels, c)
		}
		if p.Stem == "AX" {
			do(reel.SetStem{Stem: "AX", Labels: &wide, Yes: true})
		}
		do(reel.SetReel{Picture: &reel.PictureChoice{Take: "picture", Start: new(int64(start))}})
		do(reel.AddTake{Take: p.Name, Title: p.Name, Start: start, Length: length, Parts: []reel.PartPlan{p}})
	}
	return r, takes
}

// onDisk is a file that is printed to.
type onDisk struct{ *os.File }

// deliver prints a spec in one way of packing to a folder, with the paper of what adds up or without.
func deliver(t testing.TB, spec contract.Spec, packaging contract.Packaging, dir string, told bool) {
	r, takes := ferry(t)
	spec.Limits = nil // which the sound of the test is not made for
	plan, laid, err := printer.NewPlan("The Lantern Ferry", r, spec, printer.Asked{Packaging: packaging})
	require.NoError(t, err)
	require.True(t, plan.Printable(), "%s: %+v", spec.ID, plan.Findings)
	create := func(name string) (printer.Output, error) {
		f, err := os.Create(filepath.Join(dir, name))
		if err == nil {
			t.Cleanup(func() { f.Close() })
		}
		return onDisk{f}, err
	}
	open := func(take string) (*wave.File, error) { return takes[take], nil }
	printed, err := printer.Print(context.Background(), plan, laid, printer.Press{Open: open, Create: create, Stamp: printer.Stamp{Date: "2026-01-02", Time: "03:04:05"}})
	require.NoError(t, err)
	require.NoError(t, printer.Resample(context.Background(), plan, laid, printed, func(name string) (printer.Opened, error) {
		f, err := os.Open(filepath.Join(dir, name))
		if err != nil {
			return printer.Opened{}, err
		}
		t.Cleanup(func() { f.Close() })
		info, err := f.Stat()
		return printer.Opened{ReaderAt: f, Size: info.Size()}, err
	}, create, printer.Stamp{Date: "2026-01-02", Time: "03:04:05"}, func(float64) {}))
	raw, err := filepath.Glob(filepath.Join(dir, "*.raw.wav"))
	require.NoError(t, err)
	for _, at := range raw {
		require.NoError(t, os.Remove(at))
	}
	muxed(t, plan, laid, dir)
	if told {
		text, err := sums.Write(plan.Sums)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(dir, sums.Paper), text, 0o600))
	}
}

// harmed is a WAVE file whose samples and header are changed in place.
type harmed struct {
	b     []byte
	f     *wave.File
	names []string
}

func (h *harmed) get(c, i int) int {
	at := int(h.f.DataOffset) + i*h.f.FrameBytes() + c*h.f.Bytes
	v := 0
	for b := range h.f.Bytes {
		v |= int(h.b[at+b]) << (8 * b)
	}
	if bits := 8 * h.f.Bytes; v >= 1<<(bits-1) {
		v -= 1 << bits
	}
	return v
}

func (h *harmed) set(c, i, v int) {
	at := int(h.f.DataOffset) + i*h.f.FrameBytes() + c*h.f.Bytes
	most := 1<<(8*h.f.Bytes-1) - 1
	v = max(-most-1, min(most, v))
	for b := range h.f.Bytes {
		h.b[at+b] = byte(v >> (8 * b))
	}
}

// each changes the samples of the channels of a group, whose name the names of its channels begin with.
func (h *harmed) each(group string, change func(c, i int) int) {
	for c, name := range h.names {
		if !strings.HasPrefix(name, group) {
			continue
		}
		x := make([]int, h.f.Frames)
		for i := range x {
			x[i] = change(c, i)
		}
		for i, v := range x {
			h.set(c, i, v)
		}
	}
}

func (h *harmed) with(gain float64) func(c, i int) int {
	return func(c, i int) int { return int(math.Round(gain * float64(h.get(c, i)))) }
}

// within is a place in the programme, whatever stands around it.
func (h *harmed) within() int {
	if most := 8 * int64(h.f.SampleRate); h.f.Frames > most {
		return int(h.f.Frames - 9*int64(h.f.SampleRate)/2)
	}
	return int(h.f.Frames / 3)
}

// harms are ways in which the sound or the header of a file is other than was printed. group is that of its first channel.
var harms = map[string]func(h *harmed, group string){
	"polarity turned": func(h *harmed, g string) { h.each(g, h.with(-1)) },
	"1 dB down":       func(h *harmed, g string) { h.each(g, h.with(0.891)) },
	"0.2 dB up":       func(h *harmed, g string) { h.each(g, h.with(1.0233)) },
	"10 ms late": func(h *harmed, g string) {
		h.each(g, func(c, i int) int {
			if i < 480 {
				return 0
			}
			return h.get(c, i-480)
		})
	},
	"a sample late": func(h *harmed, g string) { h.each(g, func(c, i int) int { return h.get(c, max(0, i-1)) }) },
	"cut off": func(h *harmed, g string) {
		h.each(g, func(c, i int) int {
			if int64(i) > h.f.Frames/2 {
				return 0
			}
			return h.get(c, i)
		})
	},
	"a hole of 10 ms": func(h *harmed, g string) {
		h.each(g, func(c, i int) int {
			if n := h.within(); i >= n && i < n+480 {
				return 0
			}
			return h.get(c, i)
		})
	},
	"a held value": func(h *harmed, g string) {
		h.each(g, func(c, i int) int {
			if n := h.within(); i >= n && i < n+480 {
				return h.get(c, n)
			}
			return h.get(c, i)
		})
	},
	"a click": func(h *harmed, g string) {
		h.each(g, func(c, i int) int {
			if i == h.within() {
				return h.get(c, i) + 1<<(8*h.f.Bytes-2)
			}
			return h.get(c, i)
		})
	},
	"noise": func(h *harmed, g string) {
		rnd := rand.New(rand.NewSource(1))
		h.each(g, func(c, i int) int { return h.get(c, i) + rnd.Intn(1<<(8*h.f.Bytes-9)) })
	},
	"hum": func(h *harmed, g string) {
		h.each(g, func(c, i int) int {
			w := float64(i) * 2 * math.Pi * 50 / float64(h.f.SampleRate)
			return h.get(c, i) + int(float64(int(1)<<(8*h.f.Bytes-7))*(math.Sin(w)+0.6*math.Sin(2*w)+0.3*math.Sin(3*w)))
		})
	},
	"an LFE with everything": func(h *harmed, _ string) {
		rnd := rand.New(rand.NewSource(2))
		for c, name := range h.names {
			if strings.HasSuffix(name, " LFE") {
				for i := range int(h.f.Frames) {
					h.set(c, i, rnd.Intn(1<<(8*h.f.Bytes-6)))
				}
			}
		}
	},
	"silence": func(h *harmed, g string) { h.each(g, func(int, int) int { return 0 }) },
	"sides swapped": func(h *harmed, _ string) {
		for c := 0; c+1 < h.f.Channels; c++ {
			a, isL := strings.CutSuffix(h.names[c], " L")
			if b, isR := strings.CutSuffix(h.names[c+1], " R"); isL && isR && a == b {
				apart := 0
				for i := range int(h.f.Frames) {
					x, y := h.get(c, i), h.get(c+1, i)
					if apart = max(apart, x-y); apart > 99 {
						break
					}
				}
				if apart <= 99 {
					continue // a voice in the middle is the same on both sides, but for the dither
				}
				for i := range int(h.f.Frames) {
					x, y := h.get(c, i), h.get(c+1, i)
					h.set(c, i, y)
					h.set(c+1, i, x)
				}
				return
			}
		}
	},
	"a stamp a frame late":  func(h *harmed, _ string) { h.stamp(1920) },
	"a stamp a sample late": func(h *harmed, _ string) { h.stamp(1) },
	"names changed over": func(h *harmed, _ string) {
		if len(h.names) > 1 {
			h.text(h.names[0], strings.Repeat("~", len(h.names[0])))
			h.text(h.names[1], h.names[0])
		}
	},
	"another name":       func(h *harmed, _ string) { h.text(h.names[0], "Song"+h.names[0][min(4, len(h.names[0])):]) },
	"counted in 24":      func(h *harmed, _ string) { h.text("25/1", "24/1") },
	"the end cut off":    func(h *harmed, _ string) { h.b = h.b[:len(h.b)-len(h.b)/5] },
	"a rate in its head": func(h *harmed, _ string) { h.rate(44100) },
}

func (h *harmed) stamp(by int) {
	at := strings.Index(string(h.b), "bext") + 8 + 338
	h.b[at] += byte(by)
	h.b[at+1] += byte(by >> 8)
}

func (h *harmed) text(old, now string) {
	h.b = []byte(strings.Replace(string(h.b), old, now, 1))
}

func (h *harmed) rate(hz int) {
	at := strings.Index(string(h.b), "fmt ") + 12
	for b := range 4 {
		h.b[at+b] = byte(hz >> (8 * b))
	}
}

// harm changes one file of a delivery; it tells whether anything was.
func harm(t testing.TB, at string, change func(h *harmed, group string)) bool {
	b, err := os.ReadFile(at)
	require.NoError(t, err)
	f := wavetest.Read(t, slices.Clone(b))
	h := &harmed{b: slices.Clone(b), f: f}
	if f.IXML != nil && f.IXML.Tracks != nil {
		for _, track := range f.IXML.Tracks.Tracks {
			h.names = append(h.names, track.Name)
		}
	} else {
		for _, label := range labels(f.Channels) {
			h.names = append(h.names, "Stream "+label)
		}
	}
	change(h, groupOf(h.names[0]))
	require.NoError(t, os.WriteFile(at, h.b, 0o600))
	return string(h.b) != string(b)
}

// groupOf gives the name of a group by that of its first channel.
func groupOf(name string) string {
	for _, label := range []string{" L", " M", " ACN0"} {
		name = strings.TrimSuffix(name, label)
	}
	return name
}

// heads are those that change the head of a WAVE.
var heads = []string{"a stamp a frame late", "a stamp a sample late", "names changed over", "another name", "counted in 24", "the end cut off",
	"a rate in its head"}

// examine has the desk look at a delivery.
func examine(t testing.TB, at string, spec contract.Spec, packaging contract.Packaging) desk.Receipt {
	d, err := Open(context.Background(), at, t.TempDir())
	if fault.KindOf(err) == fault.NotFound {
		require.NoError(t, d.Close())
		return desk.Receipt{} // there is nothing to look at
	}
	require.NoError(t, err)
	defer d.Close()
	spec.Limits = nil
	r, err := desk.Check(context.Background(), d.Files, d.Sums, spec, packaging, func(float64) {})
	require.NoError(t, err)
	return r
}

// alone are what shows only where something else in the delivery tells of it: what is wrong with the sound of a group that nothing adds
// up to, and that is no longer what it was all the same.
var alone = []string{"sound: polarity turned", "sound: 1 dB down", "sound: 0.2 dB up", "sound: 10 ms late", "sound: a sample late",
	"sound: cut off", "sound: noise", "sound: sides swapped", "sound: silence"}

// corpus counts what became of deliveries, by row of a table, and which ways of breaking them were not found.
type corpus struct {
	*testing.T
	all bool // all are tried, or some in turn
	sync.Mutex
	tried, refused, missed map[string]int
}

func (c *corpus) count(row string, r desk.Receipt) {
	c.Lock()
	defer c.Unlock()
	if c.tried[row]++; !r.Pass {
		c.refused[row]++
	}
}

// Every shipped spec in every way of packing, movies too, with the paper of what adds up and without: printed well it is accepted, and
// so it is with every difference that nobody minds; each way of breaking it is found wherever anything tells of it. What nothing tells
// of is counted, by kind. All of it is tried by hand and in the benchmarks, with ZESTYLOOM_TEST_ROUNDS; else some in turn.
func TestWhatIsHarmedIsRefused(t *testing.T) {
	specs, err := contract.Shipped()
	require.NoError(t, err)
	c := &corpus{T: t, all: os.Getenv("ZESTYLOOM_TEST_ROUNDS") != "", tried: map[string]int{}, refused: map[string]int{}, missed: map[string]int{}}
	require.GreaterOrEqual(t, len(waysToBreak()), 60)
	t.Run("of", func(t *testing.T) {
		turn := 0
		for _, s := range specs {
			for _, packaging := range append([]contract.Packaging{""}, s.Packaging...) {
				if packaging == "" && len(s.Packaging) > 0 {
					continue
				}
				for _, told := range []bool{true, false}[:map[bool]int{true: 2, false: 1}[c.all]] {
					turn++
					t.Run(fmt.Sprintf("%s %s told %v", s.ID, packaging, told), func(t *testing.T) {
						t.Parallel()
						c.try(t, s, packaging, told, turn)
					})
				}
			}
		}
	})
	for _, row := range slices.Sorted(maps.Keys(c.tried)) {
		t.Logf("table: %-50s %4d tried %4d refused  %.2f", row, c.tried[row], c.refused[row], float64(c.refused[row])/float64(c.tried[row]))
	}
	t.Logf("table: not found, by way: %v", c.missed)
}

// try tries a spec in one way of packing.
func (c *corpus) try(t *testing.T, s contract.Spec, packaging contract.Packaging, told bool, turn int) {
	whole, broken := t.TempDir(), waysToBreak()
	deliver(t, s, packaging, whole, told)
	nothing := examine(t, whole, s, packaging)
	require.True(t, nothing.Pass, "%+v", faults(nothing))
	row := strings.TrimSpace(fmt.Sprintf("%s %s", s.ID, packaging))
	copied := func(n int) *consignment {
		dir := t.TempDir()
		require.NoError(t, os.CopyFS(dir, os.DirFS(whole)))
		return consigned(t, dir, s, n)
	}
	for n, name := range slices.Sorted(maps.Keys(harmless)) {
		if !c.all && (n+turn)%14 != 0 || !told && !strings.Contains(name, "again") && !strings.Contains(name, "once more") {
			continue // the others have nothing to do with the paper
		}
		if d := copied(n); harmless[name](d) {
			r := examine(t, d.at, s, packaging)
			c.count("good: "+row, r)
			assert.True(t, r.Pass, "%s: %+v", name, faults(r))
		}
	}
	for n, name := range slices.Sorted(maps.Keys(broken)) {
		if !c.all && (n+turn)%25 != 0 || !told && !strings.HasPrefix(name, "sound:") {
			continue
		}
		d := copied(n)
		if !broken[name](d) {
			continue
		}
		r := examine(t, d.at, s, packaging)
		c.count("broken: "+row, r)
		if r.Pass {
			c.Lock()
			c.missed[name]++
			c.Unlock()
			t.Logf("accepted: %s of %s", name, filepath.Base(d.file()))
			assert.Contains(t, alone, name, filepath.Base(d.file()))
		}
		require.NoError(t, os.RemoveAll(d.at))
	}
}

// faults are what a delivery is refused for.
func faults(r desk.Receipt) (list []contract.Finding) {
	return slices.DeleteFunc(slices.Clone(r.Findings), func(f contract.Finding) bool { return f.Severity != contract.Error })
}
