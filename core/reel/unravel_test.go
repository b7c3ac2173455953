package reel

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/take"
)

func source(kind take.Kind, names ...string) Source {
	s := Source{Take: "x", Title: "12A/3", Kind: kind, SampleRate: 48000, Frames: 100, Start: ptr(int64(36032 * 48000))}
	for i, n := range names {
		use := take.Iso
		if n == "Mix L" || n == "Mix R" {
			use = take.Mix
		}
		s.Channels = append(s.Channels, SourceChannel{take.Track{Index: i + 1, Name: n, Use: use}, n == "Input 7"})
	}
	return s
}

func TestUnravelLeavesMixesAndEmptyChannelsOut(t *testing.T) {
	r := ferry()
	c, err := Unravel(r, source(take.Recording, "Mix L", "Mix R", "Boom", "Wheelhouse plant", "Input 7"), Choice{})
	require.NoError(t, err)
	assert.Equal(t, []PartPlan{{"Boom", "DX", []int{2}, []string{"M"}}, {"Wheelhouse plant", "AX", []int{3}, []string{"M"}}}, c.Parts)
	assert.EqualValues(t, 36032*48000, c.Start, "a recording lies at its own timecode")
}

func TestUnravelAsAsked(t *testing.T) {
	r := ferry()
	c, err := Unravel(r, source(take.Recording, "Mix L", "Mix R", "Boom", "Input 7"), Choice{Channels: []int{1, 2, 4}, Pairs: [][2]int{{1, 2}}, At: ptr(int64(7))})
	require.NoError(t, err)
	assert.Equal(t, []PartPlan{{"Mix", "DX", []int{0, 1}, []string{"L", "R"}}, {"Input 7", "DX", []int{3}, []string{"M"}}}, c.Parts)
	assert.EqualValues(t, 7, c.Start)
}

func TestCuesStayBonded(t *testing.T) {
	r := ferry()
	c, err := Unravel(r, source(take.Music, "", ""), Choice{})
	require.NoError(t, err)
	assert.Equal(t, []PartPlan{{"12A/3", "MX", []int{0, 1}, []string{"L", "R"}}}, c.Parts)
	assert.Equal(t, r.Head.Start, c.Start, "what has no timecode of the set begins with the reel")
	c, err = Unravel(r, source(take.Recording, "", ""), Choice{})
	require.NoError(t, err)
	assert.Len(t, c.Parts, 2, "two microphones are not a pair")
	assert.Equal(t, "12A/3, Channel 2", c.Parts[1].Name)
}

func TestUnravelRefuses(t *testing.T) {
	r := ferry()
	slow := source(take.Music, "", "")
	slow.SampleRate = 44100
	_, err := Unravel(r, slow, Choice{})
	assert.Equal(t, fault.Unsupported, fault.KindOf(err))
	_, err = Unravel(r, source(take.Recording, "Boom"), Choice{Channels: []int{2}})
	assert.Equal(t, fault.NotFound, fault.KindOf(err))
	_, err = Unravel(r, source(take.Recording, "Boom"), Choice{Pairs: [][2]int{{1, 2}}})
	assert.Equal(t, fault.BadInput, fault.KindOf(err))
}
