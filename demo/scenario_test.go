package demo

import (
	"crypto/sha256"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/take"
	"zestyloom/core/wave"
)

// hashes gives the SHA-256 of every file below dir.
func hashes(t *testing.T, dir string) map[string][32]byte {
	out := map[string][32]byte{}
	require.NoError(t, filepath.WalkDir(dir, func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := os.ReadFile(p)
		rel, _ := filepath.Rel(dir, p)
		out[rel] = sha256.Sum256(b)
		return err
	}))
	return out
}

func TestGenerate(t *testing.T) {
	a, b := t.TempDir(), t.TempDir()
	require.NoError(t, Generate(a))
	require.NoError(t, Generate(b))
	first := hashes(t, a)
	assert.Len(t, first, len(shots)+5)
	assert.Equal(t, first, hashes(t, b), "the same bytes at every run")

	f, err := os.Open(filepath.Join(a, "card", "LF03", "LF03_12A_T03.wav"))
	require.NoError(t, err)
	defer f.Close()
	info, err := f.Stat()
	require.NoError(t, err)
	w, err := wave.Open(f, info.Size())
	require.NoError(t, err)
	d := take.Describe(w, f.Name())
	assert.Equal(t, []string{"12A", "3", "LF03", "10:00:32:00"}, []string{d.Scene, d.Take, d.Roll, *d.StartTimecode})
	assert.True(t, d.Circled)
	assert.Equal(t, take.Mix, d.Tracks[1].Use)
	assert.Equal(t, "Ines lav", d.Tracks[3].Name)
	levels, err := take.Survey(t.Context(), w, discard(), nil)
	require.NoError(t, err)
	for i, l := range levels {
		assert.Equal(t, i == 6, l.Empty(), "only the unused input is empty, channel %d", i+1)
		assert.Less(t, *l.PeakDBFS, 0.0)
	}
}

func discard() []io.Writer {
	out := make([]io.Writer, len(take.OverviewFrames))
	for i := range out {
		out[i] = io.Discard
	}
	return out
}
