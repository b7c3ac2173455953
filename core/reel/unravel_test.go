package reel

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/placing"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
)

// stampedAt is what tells where a take belongs that has a time stamp and nothing else.
func stampedAt(samples int64) placing.File {
	return placing.File{Stamp: ptr(timecode.Reading(samples))}
}

// alone is how a take is laid by itself.
func alone(r *Reel, src Source, choice Choice, at ...int64) (AddTake, error) {
	c := LayTakes{Takes: []Source{src}, Choice: choice, Plain: true, At: map[string]int64{}}
	for _, place := range at {
		c.At[src.Take] = place
	}
	rows, err := c.rows(r)
	if err != nil {
		return AddTake{}, err
	}
	return rows[0].command, nil
}

func source(kind take.Kind, names ...string) Source {
	s := Source{Take: "x", Title: "12A/3", Kind: kind, SampleRate: 48000, Frames: 100, File: stampedAt(36032 * 48000)}
	for i, n := range names {
		use := take.Iso
		if n == "Mix L" || n == "Mix R" {
			use = take.Mix
		}
		stem, _ := take.Suggest(take.DefaultRules(), nil, kind, n, "")
		s.Channels = append(s.Channels, SourceChannel{Track: take.Track{Index: i + 1, Name: n, Use: use}, On: use == take.Iso && n != "Input 7",
			Stem: stem})
	}
	return s
}

func TestUnravelLeavesMixesAndEmptyChannelsOut(t *testing.T) {
	r := ferry()
	c, err := alone(r, source(take.Recording, "Mix L", "Mix R", "Boom", "Wheelhouse plant", "Input 7"), Choice{})
	require.NoError(t, err)
	assert.Equal(t, []PartPlan{{Name: "Boom", Stem: "DX", Channels: []int{2}, Labels: []string{"M"}},
		{Name: "Wheelhouse plant", Stem: "AX", Channels: []int{3}, Labels: []string{"M"}}}, c.Parts)
	assert.EqualValues(t, 36032*48000, c.Start, "a recording lies at its own timecode")
}

func TestUnravelAsAsked(t *testing.T) {
	r := ferry()
	src := source(take.Recording, "Mix L", "Mix R", "Boom", "Input 7")
	src.Sets = []take.Set{take.Pair(1, 2)}
	src.Channels[3].Stem, src.Channels[3].Strand, src.Channels[3].Decided = "AX", "Wheelhouse", true
	c, err := alone(r, src, Choice{Channels: []int{1, 4}}, 7)
	require.NoError(t, err)
	assert.Equal(t, []PartPlan{{Name: "Mix", Stem: "DX", Channels: []int{0, 1}, Labels: []string{"L", "R"}},
		{Name: "Input 7", Stem: "AX", Strand: "Wheelhouse", Decided: true, Channels: []int{3}, Labels: []string{"M"}}}, c.Parts)
	assert.EqualValues(t, 7, c.Start)
	change, _, err := c.Plan(r, shelf{})
	require.NoError(t, err)
	require.NoError(t, r.Apply(change))
	track := r.TrackList()[1]
	assert.Equal(t, "Wheelhouse", track.Strand)
	assert.False(t, track.Suggested, "what is decided is no suggestion")
}

func TestCuesStayBonded(t *testing.T) {
	r := ferry()
	cue := source(take.Music, "", "")
	cue.File, cue.Sets, cue.Channels[0].On, cue.Channels[1].On = placing.File{}, []take.Set{take.Pair(1, 2)}, true, false
	c, err := alone(r, cue, Choice{})
	require.NoError(t, err)
	assert.Equal(t, []PartPlan{{Name: "12A/3", Stem: "MX", Channels: []int{0, 1}, Labels: []string{"L", "R"}}}, c.Parts)
	assert.Equal(t, r.Head.Start, c.Start, "what has no timecode begins with the reel")
	c, err = alone(r, source(take.Recording, "", ""), Choice{})
	require.NoError(t, err)
	assert.Len(t, c.Parts, 2, "two microphones are not a pair")
	assert.Equal(t, "12A/3, Channel 2", c.Parts[1].Name)
}

func TestUnravelRefuses(t *testing.T) {
	r := ferry()
	slow := source(take.Music, "", "")
	slow.SampleRate = 44100
	_, err := alone(r, slow, Choice{})
	assert.Equal(t, fault.Unsupported, fault.KindOf(err))
	_, err = alone(r, source(take.Recording, "Boom"), Choice{Channels: []int{2}})
	assert.Equal(t, fault.NotFound, fault.KindOf(err))
	torn := source(take.Recording, "Boom")
	torn.Sets = []take.Set{take.Pair(1, 2)}
	_, err = alone(r, torn, Choice{})
	assert.Equal(t, fault.BadInput, fault.KindOf(err))
}

func TestUnravelOfSums(t *testing.T) {
	r := ferry()
	src := source(take.Recording, "Boom", "Lav")
	src.Sets = []take.Set{{Kind: take.Sum, Channels: []int{1, 2}, Labels: []string{"M"}}}
	c, err := alone(r, src, Choice{})
	require.NoError(t, err)
	require.Len(t, c.Parts, 1)
	assert.True(t, c.Parts[0].Sum)
	change, _, err := c.Plan(r, shelf{})
	require.NoError(t, err)
	require.NoError(t, r.Apply(change))
	assert.Equal(t, []int{0, 1}, r.ClipList()[0].Channels)
	assert.Equal(t, []string{"M"}, r.TrackList()[0].Labels)
}

func TestAReelGetsTheStemsThatItLacks(t *testing.T) {
	r := ferry()
	src := source(take.Recording, "Boom", "Lav")
	src.Channels[0].Stem, src.Channels[1].Stem = "GX", "GX"
	c, err := alone(r, src, Choice{})
	require.NoError(t, err)
	_, _, err = c.Plan(r, shelf{})
	assert.Equal(t, fault.NotFound, fault.KindOf(err), "nobody knows the stem")
	c.Stems = append(DefaultStems(), Stem{ID: "GX", Name: "Ghosts", Labels: []string{"L", "R"}, Order: 6})
	change, _, err := c.Plan(r, shelf{})
	require.NoError(t, err)
	require.NoError(t, r.Apply(change))
	assert.Equal(t, "Ghosts", r.Stems["GX"].Name)
	require.NoError(t, r.Apply(change.Inverse()))
	assert.NotContains(t, r.Stems, "GX")
}

func TestATakeBeyondMidnightLiesOnTheReelsDay(t *testing.T) {
	const hour = 3600 * 48000
	for _, c := range []struct{ reel, take, want int64 }{
		{23 * hour, hour / 2, 24*hour + hour/2}, {10 * hour, 10*hour + 5, 10*hour + 5}, {hour, 23 * hour, 23 * hour},
		{0, 24*hour - 5, 24*hour - 5},
	} {
		r := ferry()
		r.Head.Start = c.reel
		src := source(take.Recording, "Boom")
		src.File = stampedAt(c.take)
		add, err := alone(r, src, Choice{})
		require.NoError(t, err)
		assert.Equal(t, c.want, add.Start, "%+v", c)
	}
}
