package media

import (
	"os"
	"path/filepath"
)

// WriteNote writes a line to a local file, whole or not at all, and brings it onto the disk.
func WriteNote(file, line string) error {
	beside := file + ".new"
	f, err := os.OpenFile(beside, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o644)
	if err != nil {
		return Explain(err)
	}
	_, err = f.WriteString(line + "\n")
	if err == nil {
		err = f.Sync()
	}
	if closed := f.Close(); err == nil {
		err = closed
	}
	if err == nil {
		err = os.Rename(beside, file)
	}
	if err != nil {
		_ = os.Remove(beside)
		return Explain(err)
	}
	dir, err := os.Open(filepath.Dir(file))
	if err != nil {
		return err
	}
	defer dir.Close()
	return Explain(dir.Sync())
}
