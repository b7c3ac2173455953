package layout

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestSpellings(t *testing.T) {
	for text, want := range map[string]string{"L": "L", "left": "L", "Lfe": "LFE", "SUB": "LFE", "Surround-R": "Rs", "L_s": "Ls",
		"Centre": "C", "center": "C", "Left Side": "Lss"} {
		got, ok := Label(text)
		assert.True(t, ok, text)
		assert.Equal(t, want, got, text)
	}
	for _, text := range []string{"", "Boom", "1", "Lav"} {
		_, ok := Label(text)
		assert.False(t, ok, text)
	}
}

func TestForLabels(t *testing.T) {
	l, ok := ForLabels([]string{"Rs", "L", "LFE", "R", "C", "Ls"})
	assert.True(t, ok)
	assert.Equal(t, Five1, l.Name)
	assert.Equal(t, []string{"L", "R", "C", "LFE", "Ls", "Rs"}, l.Labels)
	for _, labels := range [][]string{nil, {"L"}, {"L", "L"}, {"L", "R", "Ls"}} {
		_, ok := ForLabels(labels)
		assert.False(t, ok, "%v", labels)
	}
}
