package placing

import (
	"fmt"
	"math/rand"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/timecode"
)

const rate = 48000

var (
	frames25 = timecode.Rate{Num: 25, Den: 1}
	hour     = int64(3600 * rate)
)

func stamped(id string, at int64) File {
	return File{ID: id, Title: id, Rate: rate, Frames: 10 * rate, Stamp: new(timecode.Reading(at))}
}

func tied(id string, to File, offset int64) File {
	return File{ID: id, Title: id, Rate: rate, Frames: rate, Tie: &Tie{To: to, Offset: offset, Sure: 0.8, Words: "by its sound"}}
}

func empty(start int64) Reel { return Reel{Rate: rate, Frame: frames25, Start: start, End: start} }

func TestEvidence(t *testing.T) {
	camera := stamped("camera", 10*hour)
	word := stamped("a", 10*hour)
	word.Word = new(9 * hour)
	wild := stamped("wild", 10*hour)
	wild.Wild = true
	slow := File{ID: "slow", Rate: 44100, Frames: 44100, Stamp: new(timecode.Reading(10 * 3600 * 44100))}
	both := tied("both", camera, rate)
	both.Stamp = new(timecode.Reading(11 * hour))
	stream := File{ID: "second", Of: "movie", Rate: rate, Frames: rate}
	withPicture := empty(10 * hour)
	withPicture.Picture = &Laid{ID: "picture", Of: "movie", At: 10*hour + 7}
	for name, c := range map[string]struct {
		file  File
		reel  Reel
		kind  Kind
		at    int64
		other []Kind
	}{
		"the user's word":                {word, empty(9 * hour), Word, 9 * hour, []Kind{Stamp}},
		"a stamp":                        {camera, empty(9 * hour), Stamp, 10 * hour, nil},
		"at another rate":                {slow, empty(9 * hour), Stamp, 10 * hour, nil},
		"nothing":                        {File{ID: "x", Rate: rate, Frames: 1}, empty(9 * hour), Nothing, 9 * hour, nil},
		"a wild track":                   {wild, empty(9 * hour), Nothing, 9 * hour, nil},
		"a tie":                          {tied("b", camera, -rate), empty(9 * hour), Tied, 10*hour - rate, nil},
		"a tie before a stamp":           {both, empty(9 * hour), Tied, 10*hour + rate, []Kind{Stamp}},
		"a tie of a tie":                 {tied("c", tied("b", camera, rate), rate), empty(9 * hour), Tied, 10*hour + 2*rate, nil},
		"a tie to what has no place":     {tied("b", File{ID: "x", Rate: rate}, 5), empty(9 * hour), Nothing, 9 * hour, nil},
		"a stream of the picture":        {stream, withPicture, Picture, 10*hour + 7, nil},
		"the picture's take":             {File{ID: "picture", Rate: rate}, withPicture, Picture, 10*hour + 7, nil},
		"tied to the picture":            {tied("b", File{ID: "picture", Rate: rate}, 5), withPicture, Tied, 10*hour + 12, nil},
		"tied to a stream of it":         {tied("b", stream, 5), withPicture, Tied, 10*hour + 12, nil},
		"over midnight, before the reel": {stamped("n", hour/2), empty(23 * hour), Stamp, 24*hour + hour/2, nil},
		"no rate":                        {File{ID: "x", Stamp: new(timecode.Reading(5))}, empty(0), Nothing, 0, nil},
	} {
		list, start := Propose([]File{c.file}, c.reel)
		p := list[0]
		assert.Equal(t, c.kind, p.By.Kind, name)
		assert.Equal(t, c.at, p.At, name)
		assert.Equal(t, c.reel.Start, start, name)
		var others []Kind
		for _, e := range p.Others {
			others = append(others, e.Kind)
		}
		assert.Equal(t, c.other, others, name)
	}
}

// A circle of ties ends, and gives no place.
func TestACircleOfTies(t *testing.T) {
	a := File{ID: "a", Rate: rate}
	a.Tie = &Tie{Offset: 1}
	b := tied("b", a, 1)
	a.Tie.To = b
	for range 100 {
		b.Tie = &Tie{To: a, Offset: 1}
		a.Tie = &Tie{To: b, Offset: 1}
	}
	list, _ := Propose([]File{a}, empty(7))
	assert.Equal(t, Nothing, list[0].By.Kind)
}

func TestWhatSpeaksAgainst(t *testing.T) {
	off := tied("off", stamped("camera", 10*hour), 0)
	off.Stamp = new(timecode.Reading(10*hour + 3*rate))
	near := tied("near", stamped("camera", 10*hour), 0)
	near.Stamp = new(timecode.Reading(10*hour + rate))
	first, second := stamped("12A/1", 10*hour), stamped("12A/2", 10*hour+5*rate)
	first.Roll, second.Roll = "LF03", "LF03"
	iso := stamped("12A/1 iso", 10*hour)
	iso.Roll = "LF03"
	word := stamped("word", 20*hour)
	word.Word = new(20 * hour)
	occupied := empty(10 * hour)
	occupied.Laid, occupied.End = []Interval{{10 * hour, 10*hour + rate}}, 10*hour+rate
	for name, c := range map[string]struct {
		files []File
		reel  Reel
		last  string // what is said of the last
		ask   bool
	}{
		"stamp and tie differ":         {[]File{off}, empty(10 * hour), "Its time stamp says 10:00:03:00, 3.0 s later", false},
		"clocks that are a little off": {[]File{near}, empty(10 * hour), "", false},
		"before the reel": {[]File{stamped("a", 9*hour+1800*rate)}, empty(10 * hour),
			"30 min before the reel starts, which is at 10:00:00:00", true},
		"far from the others":           {[]File{stamped("a", 10*hour), stamped("b", 14*hour)}, empty(10 * hour), "4.0 h from all else", true},
		"far from what lies there":      {[]File{stamped("b", 14*hour)}, occupied, "4.0 h from all else", true},
		"alone on the reel":             {[]File{stamped("b", 14*hour)}, empty(10 * hour), "", false},
		"two of a roll at once":         {[]File{first, second}, empty(10 * hour), "while 12A/1 of the same roll still runs", false},
		"parts of one":                  {[]File{first, iso}, empty(10 * hour), "", false},
		"the user has said so":          {[]File{stamped("a", 10*hour), word}, empty(10 * hour), "10.0 h from all else", false},
		"nothing tells, beside a stamp": {[]File{stamped("a", 10*hour), {ID: "x", Rate: rate, Frames: 1}}, empty(10 * hour), "", false},
	} {
		list, _ := Propose(c.files, c.reel)
		p := list[len(list)-1]
		assert.Equal(t, c.ask, p.Ask, name)
		if c.last == "" {
			assert.Empty(t, p.Against, name)
			continue
		}
		assert.Contains(t, strings.Join(p.Against, "\n"), c.last, name)
	}
}

func TestBegin(t *testing.T) {
	drop := timecode.Rate{Num: 30000, Den: 1001, Drop: true}
	at := func(r timecode.Rate, label string) int64 {
		reading, err := r.ParseSample(label, rate)
		require.NoError(t, err)
		return int64(reading)
	}
	for name, c := range map[string]struct {
		rate   timecode.Rate
		labels []string
		want   string
	}{
		"where the first does":           {frames25, []string{"14:23:10:05", "14:20:00:00"}, "14:20:00:00"},
		"on the hour":                    {frames25, []string{"10:00:32:00"}, "10:00:00:00"},
		"not before the hour":            {frames25, []string{"00:59:58:00", "01:00:00:00"}, "00:59:58:00"},
		"a minute after it":              {frames25, []string{"10:01:00:00"}, "10:01:00:00"},
		"over midnight":                  {frames25, []string{"00:10:00:00", "23:50:00:00"}, "23:50:00:00"},
		"drop-frame":                     {drop, []string{"10:00:32;02"}, "10:00:00;00"},
		"nothing":                        {frames25, nil, "10:00:00:00"},
		"at 23.976, near the day's end":  {timecode.Rate{Num: 24000, Den: 1001}, []string{"23:59:59:00", "00:00:01:00"}, "23:59:59:00"},
		"at the very first of the clock": {frames25, []string{"00:00:00:00"}, "00:00:00:00"},
	} {
		var files []File
		for i, label := range c.labels {
			files = append(files, stamped(fmt.Sprint(i), at(c.rate, label)))
		}
		start := at(c.rate, map[bool]string{true: "10:00:00;00", false: "10:00:00:00"}[c.rate.Drop])
		r := Reel{Rate: rate, Frame: c.rate, Start: start, Free: true}
		list, got := Propose(files, r)
		assert.Equal(t, c.want, c.rate.LabelAt(got, rate), name)
		for _, p := range list {
			assert.GreaterOrEqual(t, p.At, got, name)
			assert.False(t, p.Ask && strings.Contains(strings.Join(p.Against, ""), "before"), name)
		}
	}
	r := Reel{Rate: rate, Frame: frames25, Free: true, Picture: &Laid{At: 5*hour + 961}}
	assert.Equal(t, 5*hour, Begin([]File{stamped("a", 3*hour)}, r), "with the picture, on a whole frame")
}

// Any files with the same evidence land at the same place: all at once, one after another, in any order, whatever else lies there.
func TestTheSameEvidenceIsTheSamePlace(t *testing.T) {
	for seed := range int64(500) {
		rnd := rand.New(rand.NewSource(seed))
		frame := timecode.Rates[rnd.Intn(len(timecode.Rates))]
		on := Reel{Rate: rate, Frame: frame, Start: frame.SampleOf(rnd.Int63n(frame.FrameAt(frame.Day(rate), rate)), rate)}
		on.End = on.Start
		if rnd.Intn(3) == 0 {
			on.Picture = &Laid{ID: "picture", Of: "movie", At: on.Start + rnd.Int63n(hour)}
		}
		var files []File
		for i := range 1 + rnd.Intn(6) {
			files = append(files, anyFile(rnd, fmt.Sprint(i), 0))
		}
		want, start := Propose(files, on)
		require.Equal(t, on.Start, start)
		turned := rnd.Perm(len(files))
		var other []File
		for _, i := range turned {
			other = append(other, files[i])
		}
		got, _ := Propose(other, on)
		grown := on
		for n, i := range turned {
			require.Equal(t, want[i].At, got[n].At, "seed %d: in another order", seed)
			require.Equal(t, want[i].By, got[n].By, "seed %d: in another order", seed)
			one, _ := Propose(files[i:i+1], grown)
			require.Equal(t, want[i].By, one[0].By, "seed %d: alone, after %d others", seed, n)
			grown.End = max(grown.End, one[0].At+one[0].Length)
			grown.Laid = append(grown.Laid, Interval{one[0].At, one[0].At + one[0].Length})
		}
	}
}

func anyFile(rnd *rand.Rand, id string, depth int) File {
	f := File{ID: id, Title: id, Rate: []int{44100, 48000, 96000}[rnd.Intn(3)], Frames: 1 + rnd.Int63n(100000), Wild: rnd.Intn(8) == 0,
		Of: []string{"", "movie", "other"}[rnd.Intn(3)], Roll: []string{"", "LF03"}[rnd.Intn(2)]}
	if rnd.Intn(4) > 0 {
		f.Stamp = new(timecode.Reading(rnd.Int63n(24 * 3600 * int64(f.Rate))))
	}
	if rnd.Intn(3) == 0 && depth < 4 {
		f.Tie = &Tie{To: anyFile(rnd, id+"'", depth+1), Offset: rnd.Int63n(1e6) - 5e5, Sure: rnd.Float64()}
	}
	return f
}

// A day in which 24 frames are counted to 23.976 is longer than 24 hours, and so may a stamp be.
func TestOnTheClock(t *testing.T) {
	film := timecode.Rate{Num: 24000, Den: 1001}
	late := film.Day(rate) - rate
	for _, c := range []struct {
		file  File
		frame timecode.Rate
		at    int64
		known bool
	}{
		{stamped("a", late), film, late, true}, {stamped("a", 23*hour), frames25, 23 * hour, true}, {stamped("a", 0), frames25, 0, true},
		{tied("b", stamped("a", 5), -10), frames25, -5, true}, {File{Rate: rate}, film, 0, false}, {File{}, film, 0, false},
	} {
		by, known := OnTheClock(c.file, c.frame)
		assert.Equal(t, c.known, known, "%+v", c)
		if known {
			assert.Equal(t, c.at, by.At, "%+v", c)
		}
	}
}

func ExamplePropose() {
	camera := File{ID: "camera", Title: "A012", Rate: 48000, Frames: 48000 * 60, Stamp: new(timecode.Reading(36000 * 48000))}
	boom := File{ID: "boom", Title: "12A/3", Rate: 48000, Frames: 48000 * 50,
		Tie: &Tie{To: camera, Offset: 4800, Sure: 0.97, Words: "by its sound"}}
	places, start := Propose([]File{boom}, Reel{Rate: 48000, Frame: timecode.Rate{Num: 25, Den: 1}, Free: true})
	fmt.Println(start/48000, places[0].At-36000*48000, places[0].By.Words)
	// Output: 36000 4800 tied to A012 by its sound
}
