package layout

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestOrders(t *testing.T) {
	for _, c := range []struct {
		name   Name
		order  string
		width  int
		labels []string
		mask   uint32
	}{
		{Mono, "", 0, []string{"M"}, 0x4},
		{Stereo, "smpte", 0, []string{"L", "R"}, 0x3},
		{Five1, "smpte", 0, []string{"L", "R", "C", "LFE", "Ls", "Rs"}, 0x3f},
		{Five1, "film", 0, []string{"L", "C", "R", "Ls", "Rs", "LFE"}, 0},
		{Five1, "L,R,Ls,Rs,C,LFE", 0, []string{"L", "R", "Ls", "Rs", "C", "LFE"}, 0},
		{Discrete, "", 3, []string{"1", "2", "3"}, 0},
		{FOA, "", 0, []string{"ACN0", "ACN1", "ACN2", "ACN3"}, 0},
	} {
		l, err := New(c.name, c.order, c.width)
		require.NoError(t, err, c.name)
		assert.Equal(t, c.labels, l.Labels)
		assert.Equal(t, c.mask, l.Mask(), "%s %s", c.name, c.order)
	}
}

func TestOrdersRefused(t *testing.T) {
	for _, c := range []struct {
		name  Name
		order string
		width int
	}{{"6.1", "", 0}, {Five1, "L,R", 0}, {Five1, "L,R,C,LFE,Ls,Ls", 0}, {Stereo, "L,C", 0}, {Discrete, "", 0}, {Discrete, "", 1000}} {
		_, err := New(c.name, c.order, c.width)
		assert.Error(t, err, "%s %s", c.name, c.order)
	}
}

func TestWeightsFollowPosition(t *testing.T) {
	l, _ := New(Five1, "smpte", 0)
	assert.Equal(t, []float64{1, 1, 1, 0, 1.41, 1.41}, l.Weights())
	l, _ = New(Seven1, "smpte", 0)
	assert.Equal(t, []float64{1, 1, 1, 0, 1.41, 1.41, 1, 1}, l.Weights(), "rear surrounds at 135° weigh 1")
	l, _ = New(Five14, "smpte", 0)
	assert.Equal(t, []float64{1, 1, 1, 0, 1.41, 1.41, 1, 1, 1, 1}, l.Weights(), "height channels weigh 1")
}

func TestForWidth(t *testing.T) {
	assert.Equal(t, Stereo, ForWidth(2).Name)
	assert.Equal(t, Five1, ForWidth(6).Name)
	assert.Equal(t, Discrete, ForWidth(5).Name)
	assert.Equal(t, 5, ForWidth(5).Width())
}
