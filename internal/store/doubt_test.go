package store

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/diagnose"
	"zestyloom/core/take"
)

func TestTwoMicrophonesReadAsAPairAreSaid(t *testing.T) {
	told := func(left, right string, sets ...take.Set) []diagnose.Finding {
		x := Take{Sets: sets, Channels: []Channel{{Track: take.Track{Index: 1, Name: left}}, {Track: take.Track{Index: 2, Name: right}}}}
		x.doubt()
		assert.Empty(t, x.Channels[1].Findings)
		return x.Channels[0].Findings
	}
	found := told("Boom", "Lav", take.Pair(1, 2))
	assert.Len(t, found, 1)
	assert.Equal(t, diagnose.NoPair, found[0].Kind)
	assert.Equal(t, []int{2}, found[0].With)
	assert.Empty(t, told("Boom", "Lav"), "read as single channels")
	assert.Empty(t, told("Cue L", "Cue R", take.Pair(1, 2)))
	assert.Empty(t, told("Boom", "Lav", take.Set{Kind: take.Sum, Channels: []int{1, 2}, Labels: []string{"M"}}))
	assert.Empty(t, told("Boom", "Lav", take.Pair(1, 3)), "a channel that is not there")
}
