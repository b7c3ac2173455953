package library

import (
	"encoding/json"
	"io"
	"path"
	"time"

	"zestyloom/core/fault"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
	"zestyloom/internal/store"
)

// Note lies beside the files of takes and says what they are, so that they can be brought back where the database is lost. It says what
// was known when they came in, not what users have said since.
type Note struct {
	Production NotedProduction `json:"production"`
	At         time.Time       `json:"at"`
	Takes      []NotedTake     `json:"takes"`
}

// NotedProduction is where takes came in.
type NotedProduction struct {
	ID        string        `json:"id"`
	Name      string        `json:"name"`
	FrameRate timecode.Rate `json:"frameRate"`
}

// NotedTake is a take as it came in. Files are named from the folder that the note lies in.
type NotedTake struct {
	Kind        take.Kind        `json:"kind"`
	FileName    string           `json:"fileName"`
	CameFrom    string           `json:"cameFrom"`
	Stream      int              `json:"stream"`
	File        string           `json:"file"` // of its samples; empty where it has none of its own
	Sound       *store.Stored    `json:"sound"`
	Size        int64            `json:"size"`
	SHA256      string           `json:"sha256"` // of the file as it came
	Frames      int64            `json:"frames"`
	Description take.Description `json:"description"`
	Channels    []store.Channel  `json:"channels"`
	Picture     *store.Picture   `json:"picture,omitempty"`
}

// noteName is the note's name in its folder.
const noteName = "take.json"

// maxNote bounds a note that is read, in bytes.
const maxNote = 16 << 20

// NoteOf says what takes are that lie in one folder.
func NoteOf(p store.Production, takes []store.Take) Note {
	n := Note{Production: NotedProduction{p.ID, p.Name, p.FrameRate}, At: time.Now().UTC()}
	for _, t := range takes {
		noted := NotedTake{Kind: t.Kind, FileName: t.FileName, CameFrom: t.CameFrom, Stream: t.Stream, Sound: t.Sound, Size: t.Size,
			SHA256: t.SHA256,
			Frames: t.Description.Frames, Description: t.Description, Channels: t.Channels, Picture: t.Picture}
		if t.SoundKey != "" {
			noted.File = path.Base(t.SoundKey)
		}
		n.Takes = append(n.Takes, noted)
	}
	return n
}

// Of gives the takes of a note as they lie in a folder.
func (n Note) Of(production, folder string) []store.Take {
	var takes []store.Take
	for _, t := range n.Takes {
		made := store.Take{Production: production, Kind: t.Kind, FileName: t.FileName, CameFrom: t.CameFrom, MediaKey: folder, Sound: t.Sound,
			Size:   t.Size,
			SHA256: t.SHA256, Stream: t.Stream, Description: t.Description, Channels: t.Channels, Picture: t.Picture}
		if t.File != "" {
			made.SoundKey = folder + "/" + path.Base(t.File)
		}
		if made.Picture != nil {
			made.Picture.ProxyKey = ProxyKey(folder)
		}
		takes = append(takes, made)
	}
	return takes
}

// WriteNote writes a note into a folder of media.
func (l Library) WriteNote(folder string, n Note) error {
	b, err := json.MarshalIndent(n, "", " ")
	if err != nil {
		return err
	}
	f, err := l.Media.Create(folder + "/" + noteName + ".new")
	if err != nil {
		return err
	}
	_, err = f.Write(b)
	if closed := f.Close(); err == nil {
		err = closed
	}
	if err != nil {
		return err
	}
	return l.Media.Publish(folder+"/"+noteName+".new", folder+"/"+noteName)
}

// Noted tells whether a folder has its note.
func (l Library) Noted(folder string) bool {
	_, err := l.Media.Stat(folder + "/" + noteName)
	return err == nil
}

// ReadNote reads a folder's note; NotFound where it has none, Damaged where it can't be read.
func (l Library) ReadNote(folder string) (n Note, err error) {
	f, size, err := l.Media.Open(folder + "/" + noteName)
	if err != nil {
		return n, err
	}
	defer f.Close()
	if size > maxNote {
		return n, fault.New(fault.Damaged, "The note is larger than any that was written")
	}
	b, err := io.ReadAll(f)
	if err == nil {
		err = json.Unmarshal(b, &n)
	}
	if err != nil {
		return n, fault.Wrap(fault.Damaged, err, "The note can't be read")
	}
	if len(n.Takes) == 0 || n.Production.Name == "" || !n.Production.FrameRate.Valid() {
		return n, fault.New(fault.Damaged, "The note says nothing of takes")
	}
	return n, nil
}
