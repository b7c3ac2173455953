package media

import (
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
)

func TestFolder(t *testing.T) {
	dir := t.TempDir()
	f, err := OpenFolder(filepath.Join(dir, "media"))
	require.NoError(t, err)
	defer f.Close()
	w, err := f.Create("sources/a/source.wav")
	require.NoError(t, err)
	_, err = io.Copy(w, strings.NewReader("sound of the winch"))
	require.NoError(t, err)
	_, err = w.WriteAt([]byte("SOUND"), 0)
	require.NoError(t, err)
	require.NoError(t, w.Close())
	r, size, err := f.Open("sources/a/source.wav")
	require.NoError(t, err)
	defer r.Close()
	assert.EqualValues(t, 18, size)
	b, err := io.ReadAll(r)
	require.NoError(t, err)
	assert.Equal(t, "SOUND of the winch", string(b))
	require.NoError(t, f.RemoveAll("sources/a"))
	require.NoError(t, f.RemoveAll("sources/a"), "removing nothing is no error")
	_, _, err = f.Open("sources/a/source.wav")
	assert.Equal(t, fault.NotFound, fault.KindOf(err))
}

// A copy is the same bytes, and not those of the other: what happens to one leaves the other as it was.
func TestCopiesShareNothing(t *testing.T) {
	dir := t.TempDir()
	f, err := OpenFolder(dir)
	require.NoError(t, err)
	defer f.Close()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a"), []byte("sound of the winch"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "b"), []byte("what lay there"), 0o600))
	require.NoError(t, f.Copy(t.Context(), "a", "b"))
	require.NoError(t, f.Copy(t.Context(), "a", "prints/c"))
	flipped, err := os.OpenFile(filepath.Join(dir, "a"), os.O_WRONLY, 0)
	require.NoError(t, err)
	_, err = flipped.WriteAt([]byte("S"), 0)
	require.NoError(t, errors.Join(err, flipped.Close()))
	for _, name := range []string{"b", "prints/c"} {
		b, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		assert.Equal(t, "sound of the winch", string(b))
	}
	assert.Equal(t, fault.NotFound, fault.KindOf(f.Copy(t.Context(), "gone", "d")))
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if err := f.Copy(ctx, "a", "d"); err != nil { // a file system that shares blocks is done before it is stopped
		assert.NoFileExists(t, filepath.Join(dir, "d"))
	}
}

func TestKeysStayInTheFolder(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "secret"), []byte("x"), 0o600))
	f, err := OpenFolder(filepath.Join(dir, "media"))
	require.NoError(t, err)
	defer f.Close()
	require.NoError(t, os.Symlink(dir, filepath.Join(dir, "media", "out")))
	for _, key := range []string{"../secret", "/etc/passwd", "out/secret", "a/../../secret"} {
		_, _, err := f.Open(key)
		assert.Error(t, err, key)
		_, err = f.Create(key)
		assert.Error(t, err, key)
		_ = f.RemoveAll(key) // an error or nothing to remove; what counts is that the file stays
	}
	assert.FileExists(t, filepath.Join(dir, "secret"))
}

func TestFullDiskIsSaid(t *testing.T) {
	err := Explain(&os.PathError{Op: "write", Path: "x", Err: syscall.ENOSPC})
	assert.Equal(t, fault.NoSpace, fault.KindOf(err))
	assert.Contains(t, fault.Sentence(err), "disk is full")
	assert.ErrorIs(t, err, syscall.ENOSPC)
	other := errors.New("other")
	assert.Equal(t, other, Explain(other))
	if _, err := os.Stat("/dev/full"); err == nil { // a disk that is always full
		full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
		require.NoError(t, err)
		defer full.Close()
		_, err = File{file: full}.Write([]byte("x"))
		assert.Equal(t, fault.NoSpace, fault.KindOf(err))
		_, err = io.Copy(File{file: full}, strings.NewReader("x"))
		assert.Equal(t, fault.NoSpace, fault.KindOf(err))
	}
}

// Whatever is published is on the disk, file by file and folder by folder, before it has its name; also what another program wrote.
func TestWhatIsPublishedIsOnTheDisk(t *testing.T) {
	dir := t.TempDir()
	f, err := OpenFolder(dir)
	require.NoError(t, err)
	defer f.Close()
	for _, name := range []string{"a.wav", "pictures/b.mov", "pictures/more/c.flac"} {
		path, err := f.Path("attempts/x/" + name)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(path, []byte("x"), 0o644))
	}
	var synced []string
	broken := ""
	toDisk = func(file *os.File) error {
		if _, err := os.Stat(filepath.Join(dir, "prints", "x")); err == nil {
			synced = append(synced, "then "+filepath.Base(file.Name()))
			return nil
		}
		if synced = append(synced, filepath.Base(file.Name())); filepath.Base(file.Name()) == broken {
			return syscall.ENOSPC
		}
		return nil
	}
	defer func() { toDisk = (*os.File).Sync }()
	broken = "c.flac"
	assert.Equal(t, fault.NoSpace, fault.KindOf(f.Publish("attempts/x", "prints/x")))
	assert.NoDirExists(t, filepath.Join(dir, "prints", "x"), "what is not on the disk gets no name")
	broken, synced = "", nil
	require.NoError(t, f.Publish("attempts/x", "prints/x"))
	assert.ElementsMatch(t, []string{"x", "a.wav", "pictures", "b.mov", "more", "c.flac", "then prints"}, synced)
}

// The reserve holds where bytes are written: nobody has to ask before.
func TestTheReserveHolds(t *testing.T) {
	f, err := OpenFolder(t.TempDir())
	require.NoError(t, err)
	defer f.Close()
	free, err := f.Free()
	require.NoError(t, err)
	f.Reserve = free + 1<<30
	file, err := f.Create("a/b.wav")
	require.NoError(t, err)
	_, err = file.Write([]byte("x"))
	assert.Equal(t, fault.NoSpace, fault.KindOf(err))
	require.NoError(t, file.Close())
	f.Reserve = max(1, free-(64<<20)) // room for some
	file, err = f.Create("a/c.wav")
	require.NoError(t, err)
	defer file.Close()
	block, wrote := make([]byte, 1<<20), 0
	for ; wrote < 400 && err == nil; wrote++ {
		_, err = file.Write(block)
	}
	assert.Equal(t, fault.NoSpace, fault.KindOf(err))
	assert.Less(t, wrote, 100, "MiB")
}
