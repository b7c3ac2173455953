package sums_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/sums"
)

// pair is a stereo set of sources.
func pair(id string, of ...string) sums.Set {
	s := sums.Set{ID: id}
	for _, side := range []string{"L", "R"} {
		v := sums.Vector{}
		for _, source := range of {
			v[source+side] = 1
		}
		s.Channels = append(s.Channels, v)
	}
	return s
}

func Example() {
	for _, s := range sums.Find([]sums.Set{pair("mix", "voice", "song", "bell"), pair("dialogue", "voice"), pair("music", "song"),
		pair("effects", "bell"), pair("without music", "voice", "bell")}) {
		fmt.Println(strings.Join(s.Sets()[1:], " + "), "=", s.Whole)
	}
	// Output:
	// music + without music = mix
	// dialogue + effects = without music
}

func said(sets ...sums.Set) (list []string) {
	for _, s := range sums.Find(sets) {
		list = append(list, strings.Join(s.Sets()[1:], "+")+"="+s.Whole)
	}
	return list
}

// Few sums are found, and none of the sets that are in any is left out; sums that taking one group after the other would miss too.
func TestFind(t *testing.T) {
	mono := sums.Set{ID: "mono", Channels: []sums.Vector{{"aL": 0.5, "aR": 0.5, "bL": 0.5, "bR": 0.5}}}
	for name, c := range map[string]struct {
		sets []sums.Set
		want []string
	}{
		"nothing":           {[]sums.Set{pair("a", "a"), pair("b", "b")}, nil},
		"the same twice":    {[]sums.Set{pair("a", "a"), pair("b", "a")}, []string{"a=b"}},
		"a fold":            {[]sums.Set{pair("a", "a", "b"), mono}, []string{"a=mono"}},
		"a cover":           {[]sums.Set{pair("mix", "a", "b", "c", "d"), pair("ab", "a", "b"), pair("bc", "b", "c"), pair("cd", "c", "d")}, []string{"ab+cd=mix"}},
		"what comes first":  {[]sums.Set{pair("mix", "a", "b", "c"), pair("ab", "a", "b"), pair("a", "a"), pair("b", "b"), pair("c", "c")}, []string{"ab+c=mix", "a+b=ab"}},
		"only by less":      {[]sums.Set{pair("ab", "a", "b"), pair("bc", "b", "c"), pair("abc", "a", "b", "c"), pair("b", "b")}, []string{"ab+bc+abc=b"}},
		"what is silent":    {[]sums.Set{pair("a", "a"), pair("empty"), pair("b", "a")}, []string{"a=b"}},
		"none without one":  {[]sums.Set{pair("mix", "a", "b", "c"), pair("a", "a"), pair("b", "b")}, nil},
		"seven parts of it": {[]sums.Set{pair("mix", "a", "b", "c", "d", "e", "f", "g"), pair("a", "a"), pair("b", "b"), pair("c", "c"), pair("d", "d"), pair("e", "e"), pair("f", "f"), pair("g", "g")}, []string{"a+b+c+d+e+f+g=mix"}},
	} {
		assert.ElementsMatch(t, c.want, said(c.sets...), name)
	}
}

// What is left is told with its place and size, in whatever blocks; a channel that was not compared does not pass.
func TestNull(t *testing.T) {
	list := sums.Find([]sums.Set{pair("mix", "a", "b"), pair("a", "a"), pair("b", "b")})
	require.Len(t, list, 1)
	x := map[string][]float64{}
	for i, id := range []string{"a0", "a1", "b0", "b1"} {
		x[id] = make([]float64, 1000)
		for n := range x[id] {
			x[id][n] = 0.1 * math.Sin(float64(n*(i+3))/20)
		}
	}
	for c := range 2 {
		m := make([]float64, 1000)
		for n := range m {
			m[n] = x[fmt.Sprint("a", c)][n] + x[fmt.Sprint("b", c)][n]
		}
		x[fmt.Sprint("mix", c)] = m
	}
	prove := func(blocks ...int) *sums.Null {
		at := 0
		n := sums.NewNull(list[0], func(set string, channel int) []float64 { return x[fmt.Sprint(set, channel)][at:] },
			func(_ int, gains []float64) (peak, rms float64) { return 1e-6 * float64(len(gains)), 1e-6 })
		assert.False(t, n.OK(), "nothing was compared yet")
		for i := 0; at < 1000; i++ {
			by := min(blocks[i%len(blocks)], 1000-at)
			n.Write(0, by)
			at += by
		}
		return n
	}
	assert.True(t, prove(1000).OK())
	x["mix1"][700] += 0.01
	for _, blocks := range [][]int{{1000}, {7, 300}, {1}} {
		n := prove(blocks...)
		assert.False(t, n.OK())
		assert.True(t, n.Lost())
		assert.True(t, n.Rows[0].OK())
		assert.InDelta(t, 0.01, n.Rows[1].Peak, 1e-12)
		assert.Equal(t, []int64{700, 700, 1000}, []int64{n.Rows[1].PeakAt, n.Rows[1].OverAt, n.Rows[1].Frames})
	}
}

// Whatever is read as a paper of sums can be proven, and is written as it was read.
func FuzzRead(f *testing.F) {
	text, err := sums.Write(sums.Find([]sums.Set{pair("mix", "a", "b"), pair("a", "a"), pair("b", "b")}))
	require.NoError(f, err)
	f.Add(text)
	f.Add([]byte(`{"version":1,"sums":[{"whole":"a","parts":[{"id":"b","gains":[[1,0],[0,1]],"turned":[[1],[2]]}]}]}`))
	f.Add([]byte(`{"version":1,"sums":[{"whole":"a","parts":[{"id":"b","gains":[[1e300]]}]}]}`))
	f.Add([]byte(`{"version":1,"sums":[{"whole":"a","parts":[]}]}`))
	f.Fuzz(func(t *testing.T, text []byte) {
		list, err := sums.Read(text)
		if err != nil {
			require.Equal(t, fault.Damaged, fault.KindOf(err))
			return
		}
		silence := make([]float64, 10)
		for _, s := range list {
			n := sums.NewNull(s, func(string, int) []float64 { return silence }, func(int, []float64) (float64, float64) { return 1, 1 })
			n.Write(0, 10)
		}
		again, err := sums.Write(list)
		require.NoError(t, err)
		same, err := sums.Read(again)
		require.NoError(t, err)
		require.Len(t, same, len(list))
	})
}

// Ours says each sum once, of sets that are in it once; a paper that says one again and again costs whoever proves it.
func TestReadRefusesWhatIsSaidTwice(t *testing.T) {
	one := sums.Sum{Whole: "mix", Parts: []sums.Part{{ID: "a", Gains: [][]float64{{1}}}, {ID: "b", Gains: [][]float64{{1}}}}}
	for name, list := range map[string][]sums.Sum{
		"a sum":  {one, one},
		"a part": {{Whole: "mix", Parts: append(one.Parts[:2:2], one.Parts[0])}},
		"whole":  {{Whole: "a", Parts: one.Parts}},
	} {
		text, err := sums.Write(list)
		require.NoError(t, err)
		_, err = sums.Read(text)
		assert.Equal(t, fault.Damaged, fault.KindOf(err), name)
	}
}

// A set that adds up only by taking away what it has nothing in common with is in a sum as well.
func TestNoSetIsLeftThatAddsUp(t *testing.T) {
	mono := func(id string, gains ...float64) sums.Set {
		v := sums.Vector{}
		for i, g := range gains {
			if g != 0 {
				v[fmt.Sprint(i)] = g
			}
		}
		return sums.Set{ID: id, Channels: []sums.Vector{v}}
	}
	list := sums.Find([]sums.Set{mono("a", 1, 0, 0, 0), mono("b", 1, 0.3, 0.4, 0), mono("c", 0, 0.3, 0.4, 0.9), mono("d", 0, 0, 0, 0.9),
		mono("e", 0, 1, 0, 0)})
	require.Len(t, list, 1)
	assert.ElementsMatch(t, []string{"a", "b", "c", "d"}, list[0].Sets())
}
