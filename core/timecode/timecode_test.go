package timecode

import (
	"encoding/json"
	"fmt"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var (
	pal     = Rate{25, 1, false}
	film    = Rate{24000, 1001, false}
	ntsc    = Rate{30000, 1001, false}
	drop    = Rate{30000, 1001, true}
	drop60  = Rate{60000, 1001, true}
	rate48k = 48000
)

func TestLabels(t *testing.T) {
	// Drop-frame values from SMPTE ST 12-1: one hour is 107892 frames, ten minutes 17982, one minute 1800 (00:01:00;02).
	for _, c := range []struct {
		rate  Rate
		frame int64
		label string
	}{
		{pal, 0, "00:00:00:00"},
		{pal, 25*3600*10 + 25*83 + 14, "10:01:23:14"},
		{pal, 25 * 86400, "00:00:00:00"},
		{pal, -1, "23:59:59:24"},
		{film, 24 * 3600, "01:00:00:00"},
		{ntsc, 30 * 60, "00:01:00:00"},
		{drop, 1799, "00:00:59;29"},
		{drop, 1800, "00:01:00;02"},
		{drop, 17981, "00:09:59;29"},
		{drop, 17982, "00:10:00;00"},
		{drop, 107892, "01:00:00;00"},
		{drop, 107892 * 24, "00:00:00;00"},
		{drop60, 3599, "00:00:59;59"},
		{drop60, 3600, "00:01:00;04"},
		{drop60, 215784, "01:00:00;00"},
	} {
		assert.Equal(t, c.label, c.rate.Label(c.frame), "%v frame %d", c.rate, c.frame)
	}
}

func TestEveryLabelComesBack(t *testing.T) {
	for _, r := range Rates {
		perDay := r.Base() * 86400
		if r.Drop {
			perDay -= r.Base() / 15 * (1440 - 144)
		}
		for f := int64(0); f < perDay; f += 97 {
			got, err := r.Frame(r.Label(f))
			require.NoError(t, err)
			require.Equal(t, f, got, "%v", r)
		}
	}
}

func TestFrameEdgesOnSamples(t *testing.T) {
	for _, r := range Rates {
		for _, sr := range []int{44100, 47952, 48000, 48048, 96000, 192000} {
			for f := int64(0); f < 200000; f += 331 {
				s := r.SampleOf(f, sr)
				require.Equal(t, f, r.FrameAt(s, sr), "%v at %d", r, sr)
				if s > 0 {
					require.Equal(t, f-1, r.FrameAt(s-1, sr), "%v at %d", r, sr)
				}
			}
		}
	}
	assert.EqualValues(t, 1920, pal.SampleOf(1, rate48k))
	assert.EqualValues(t, 1602, ntsc.SampleOf(1, rate48k)) // 1601.6 lies in frame 0 up to sample 1601
	assert.EqualValues(t, -1, pal.FrameAt(-1, rate48k))
}

func TestBadLabels(t *testing.T) {
	for _, c := range []struct {
		rate  Rate
		label string
	}{
		{pal, "10:00:00"}, {pal, "10:00:00:25"}, {pal, "24:00:00:00"}, {pal, "10:60:00:00"}, {pal, ""},
		{drop, "00:01:00;00"}, {drop, "00:01:00;01"}, {drop60, "00:01:00;03"}, {pal, "ten"},
	} {
		_, err := c.rate.Frame(c.label)
		assert.Error(t, err, c.label)
	}
	_, err := drop.Frame("00:10:00;00")
	assert.NoError(t, err)
}

func TestParseRate(t *testing.T) {
	for _, c := range []struct {
		text, flag string
		want       Rate
	}{
		{"25/1", "NDF", pal}, {"25", "", pal}, {"30000/1001", "DF", drop}, {"29.97", "NDF", ntsc}, {"23.98", "", film},
	} {
		got, err := ParseRate(c.text, c.flag)
		require.NoError(t, err)
		assert.Equal(t, c.want, got)
	}
	for _, bad := range []string{"", "0/0", "25/0", "31/1", "99999999999/1", "x"} {
		_, err := ParseRate(bad, "NDF")
		assert.Error(t, err, bad)
	}
	_, err := ParseRate("25/1", "DF")
	assert.Error(t, err, "25 has no drop-frame")
}

func TestConvert(t *testing.T) {
	// A recorder that stamps at 48048 while its audio plays at 48000: one hour of stamps is one hour of samples.
	assert.EqualValues(t, 48000*3600, Convert(48048*3600, 48048, 48000))
	assert.EqualValues(t, 1, Convert(2, 96000, 48000))
	assert.EqualValues(t, 5, Convert(5, 48000, 48000))
	assert.EqualValues(t, 192000*86399, Convert(44100*86399, 44100, 192000))
}

func FuzzFrame(f *testing.F) {
	f.Add("10:00:00:00")
	f.Add("00:01:00;02")
	f.Fuzz(func(t *testing.T, label string) {
		for _, r := range Rates {
			if n, err := r.Frame(label); err == nil {
				if again, err := r.Frame(r.Label(n)); err != nil || again != n {
					t.Fatalf("%q at %v: %d came back as %d, %v", label, r, n, again, err)
				}
			}
		}
	})
}

func TestADayOfTheClock(t *testing.T) {
	for _, r := range Rates {
		for _, sampleRate := range []int{44100, 48000, 96000, 192000} {
			day := r.Day(sampleRate)
			assert.Equal(t, r.Label(0), r.LabelAt(day, sampleRate), "%v: a day on, the clock reads the same", r)
			assert.NotEqual(t, r.Label(0), r.LabelAt(day-1, sampleRate), r)
			for _, c := range []struct {
				at           Reading
				moment, want int64
			}{
				{10, day - 10, day + 10}, {Reading(day - 10), 10, -10}, {5, 7, 5}, {Reading(day/2 - 1), 0, day/2 - 1}, {7, 3*day + 5, 3*day + 7}, {0, -day - 1, -day},
			} {
				near := r.Near(c.at, c.moment, sampleRate)
				assert.Equal(t, c.want, near, "%v at %d Hz: %+v", r, sampleRate, c)
				assert.Equal(t, c.at, r.Since(near, sampleRate), "%v at %d Hz: %+v", r, sampleRate, c)
			}
		}
	}
	// Values by hand: 86,400 s; 86,486.4 s where 24 are counted to 23.976; 2,589,408 frames of 1001/30000 s with dropping.
	assert.Equal(t, int64(86400*48000), pal.Day(48000))
	assert.Equal(t, int64(864864*4800), film.Day(48000))
	assert.Equal(t, int64(2589408*1001)*48000/30000, drop.Day(48000)-1, "rounded up to a whole sample")
	assert.Equal(t, int64(86400*48000), Rate{}.Day(48000))
}

// The cases that the interface's tests read too (web/src/ui/timecode.test.ts). They were worked out in fractions, apart from both.
func TestSharedCases(t *testing.T) {
	text, err := os.ReadFile("testdata/cases.json")
	require.NoError(t, err)
	var cases []struct {
		Rate       Rate
		SampleRate int
		Frame      int64
		Sample     int64
		Label      string
	}
	require.NoError(t, json.Unmarshal(text, &cases))
	require.Greater(t, len(cases), 400)
	for _, c := range cases {
		what := fmt.Sprint(c.Rate, " at ", c.SampleRate, ", frame ", c.Frame)
		require.Equal(t, c.Label, c.Rate.Label(c.Frame), what)
		require.Equal(t, c.Sample, c.Rate.SampleOf(c.Frame, c.SampleRate), what)
		require.Equal(t, c.Label, c.Rate.LabelAt(c.Sample, c.SampleRate), what)
		if c.Frame > 0 {
			require.NotEqual(t, c.Label, c.Rate.LabelAt(c.Sample-1, c.SampleRate), what+", a sample before")
		}
	}
}
