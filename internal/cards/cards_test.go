package cards_test

import (
	"io"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/cards"
)

// A file whose name is no UTF-8 is listed, and found by what is listed; what looks like such a path and is not one is found too.
func TestNamesThatAreNoUTF8(t *testing.T) {
	dir := t.TempDir()
	c := cards.Cards{"LF03": dir}
	names := []string{"F\xe4hre\xff.wav", "Fähre.wav", "plain.wav"}
	for _, folder := range []string{"", "Tag \xfc1"} {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, folder), 0o755))
		for _, name := range names {
			require.NoError(t, os.WriteFile(filepath.Join(dir, folder, name), []byte(folder+name), 0o644))
		}
	}
	found := 0
	var look func(folder string)
	look = func(folder string) {
		entries, err := c.List("LF03", folder)
		require.NoError(t, err)
		for _, e := range entries {
			assert.True(t, utf8Valid(e.Name) && utf8Valid(e.Path), "%q", e.Path)
			if e.Folder {
				look(e.Path)
				continue
			}
			f, _, err := c.Open("LF03", e.Path)
			require.NoError(t, err)
			b, err := io.ReadAll(f)
			require.NoError(t, err)
			f.Close()
			assert.Contains(t, string(b), ".wav")
			assert.Equal(t, e.Name, cards.Name(e.Path))
			found++
		}
	}
	look("")
	assert.Equal(t, 6, found)
}

func utf8Valid(s string) bool { return string([]rune(s)) == s }

func FuzzPaths(f *testing.F) {
	f.Add("a/\xff")
	f.Fuzz(func(t *testing.T, p string) {
		if got := cards.Name(p); !utf8Valid(got) {
			t.Fatalf("%q", got)
		}
	})
}
