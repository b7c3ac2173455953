package layout

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestRead(t *testing.T) {
	for _, c := range []struct {
		labels []string
		kind   Kind
		name   Name
		order  int
		norm   Norm
	}{
		{[]string{"M"}, Single, Mono, 0, ""},
		{[]string{"C"}, Single, "", 0, ""},
		{[]string{"W"}, Single, "", 0, ""},
		{[]string{"M", "M"}, Loose, "", 0, ""},
		{[]string{"M1", "M2"}, Loose, "", 0, ""},
		{[]string{"L", "R"}, Bonded, Stereo, 0, ""},
		{[]string{"R", "C", "L"}, Bonded, LCR, 0, ""},
		{[]string{"1", "2", "3", "4"}, Bonded, "", 0, ""},
		{ACNLabels(1), Field, FOA, 1, SN3D},
		{N3DLabels(2), Field, HOA2, 2, N3D},
		{FuMaLabels(1), Field, FOA, 1, FuMa},
		{[]string{"Z", "X", "Y", "W"}, Field, FOA, 1, FuMa},
		{FuMaLabels(3), Field, HOA3, 3, FuMa},
		{[]string{"ACN0", "ACN1", "ACN2"}, Bonded, "", 0, ""},
		{[]string{"ACN0", "ACN1", "ACN2", "ACN2"}, Bonded, "", 0, ""},
		{[]string{"ACN0", "ACN1", "ACN2", "N3D3"}, Bonded, "", 0, ""},
		{[]string{"ACN0", "ACN1", "ACN2", "ACN03"}, Bonded, "", 0, ""},
		{[]string{"ACN0", "ACN1", "ACN2", "ACN9"}, Bonded, "", 0, ""},
		{nil, Bonded, "", 0, ""},
	} {
		f := Read(c.labels)
		assert.Equal(t, []any{c.kind, c.name, c.order, c.norm}, []any{f.Kind, f.Name, f.Order, f.Norm}, "%v", c.labels)
	}
	assert.Equal(t, []int{2, 3, 1, 0}, Read([]string{"Z", "X", "Y", "W"}).ACN)
}

// Speakers stand where ITU-R BS.2051 puts those of the layout, not of the label.
func TestSpeakersBelongToLayouts(t *testing.T) {
	azimuths := func(name Name, angles Angles) map[string]float64 {
		l, err := New(name, "", 0)
		assert.NoError(t, err)
		out := map[string]float64{}
		for _, s := range Read(l.Labels).In(angles).Speakers() {
			out[s.Label] = s.Azimuth
		}
		return out
	}
	assert.Equal(t, map[string]float64{"L": 30, "R": -30, "C": 0, "LFE": 45, "Ls": 110, "Rs": -110, "Ltf": 30, "Rtf": -30, "Ltr": 110,
		"Rtr": -110}, azimuths(Five14, nil))
	assert.Equal(t, 45.0, azimuths(Seven14, nil)["Ltf"])
	assert.Equal(t, 135.0, azimuths(Seven14, nil)["Ltr"])
	assert.Equal(t, 100.0, azimuths(Five1, Angles{"Ls": {Azimuth: 100}})["Ls"])
}

func TestAnglesThatCanBe(t *testing.T) {
	assert.NoError(t, Angles{"Ls": {100, 0}, "Ltf": {45, 90}, "L": {-180, -90}}.Check())
	for name, a := range map[string]Angles{"no speaker": {"X": {0, 0}}, "a mono": {"M": {10, 0}}, "an LFE": {"LFE": {10, 0}},
		"too far round": {"L": {181, 0}}, "too high": {"L": {0, 91}}, "no number": {"L": {math.NaN(), 0}}} {
		assert.Error(t, a.Check(), name)
	}
}

func TestReorder(t *testing.T) {
	channels, ok := Reorder([]string{"L", "R", "C", "LFE", "Ls", "Rs"}, []string{"L", "C", "R", "Ls", "Rs", "LFE"})
	assert.True(t, ok)
	assert.Equal(t, []int{0, 2, 1, 4, 5, 3}, channels)
	for _, to := range [][]string{{"L"}, {"L", "C"}} {
		_, ok := Reorder([]string{"L", "R"}, to)
		assert.False(t, ok)
	}
}

// A sound field's layout is ACN with SN3D unless its labels are written out.
func TestFieldLayoutsInOtherNorms(t *testing.T) {
	for order, want := range map[string]string{"": "ACN0 ACN1 ACN2 ACN3", "smpte": "ACN0 ACN1 ACN2 ACN3", "W,X,Y,Z": "W X Y Z",
		"N3D0, N3D1, N3D2, N3D3": "N3D0 N3D1 N3D2 N3D3"} {
		l, err := New(FOA, order, 0)
		assert.NoError(t, err, order)
		assert.Equal(t, want, strings.Join(l.Labels, " "))
	}
	for _, order := range []string{"W,X,Y", "L,R,C,LFE", "ACN0,N3D1,ACN2,ACN3", strings.Join(ACNLabels(2), ",")} {
		_, err := New(FOA, order, 0)
		assert.Error(t, err, order)
	}
	l, err := New(HOA3, "", 0)
	assert.NoError(t, err)
	assert.Len(t, l.Labels, 16)
}
