package reel

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/timecode"
)

// What a clock shows is a place on the reel: on the day on which the reel is there, over midnight and through it.
func TestAReadingIsAPlaceOnTheReel(t *testing.T) {
	const hour = int64(3600 * 48000)
	day := timecode.Rate{Num: 25, Den: 1}.Day(48000)
	for name, c := range map[string]struct{ start, length, reading, want int64 }{
		"after the start":                   {10 * hour, hour, 10*hour + 5, 10*hour + 5},
		"before the start":                  {10 * hour, hour, 9*hour + 5, 9*hour + 5},
		"after midnight":                    {23 * hour, 2 * hour, 5, day + 5},
		"before midnight, started after it": {0, hour, day - 5, day - 5}, // there is no day before the first
		"half a day and more after a start": {6 * hour, 15 * hour, 20 * hour, 20 * hour},
		"the small hours of a long reel":    {6 * hour, 23 * hour, 4 * hour, day + 4*hour},
		"before a short one":                {6 * hour, hour, 4 * hour, 4 * hour},
	} {
		r := ferry()
		r.Head.Start = c.start
		r.Clips["c"] = Clip{ID: "c", Start: c.start, Length: c.length}
		at := r.At(timecode.Reading(c.reading))
		assert.Equal(t, c.want, at, name)
		assert.Equal(t, timecode.Reading(c.reading), r.Clock(at), name)
	}
}
