package wave

import (
	"encoding/binary"
	"slices"
)

// Cue is a mark in a file: a point of the cue chunk, with its text from LIST adtl.
type Cue struct {
	Frame int64  `json:"frame"`
	Label string `json:"label"`

	id uint32
}

// AudioID is a line of the chna chunk (ITU-R BS.2088): what one track of the file carries.
type AudioID struct {
	Track  int    // channel of the file, from 1
	UID    string // of the audio track
	Format string // ID of the track format
	Pack   string // ID of the pack format; the common ones of ITU-R BS.2094 tell the layout
}

// maxMarks bounds what is kept of a file that claims millions.
const maxMarks = 1000

func parseChna(b []byte) []AudioID {
	if len(b) < 4 {
		return nil
	}
	ids := []AudioID{}
	for rest := b[4:]; len(rest) >= 40 && len(ids) < maxMarks; rest = rest[40:] {
		track := int(binary.LittleEndian.Uint16(rest))
		if track == 0 { // an empty place
			continue
		}
		ids = append(ids, AudioID{track, text(rest[2:14]), text(rest[14:28]), text(rest[28:39])})
	}
	return ids
}

func (s *scanner) cues(b []byte) {
	if len(b) < 4 || s.Cues != nil {
		return
	}
	for rest := b[4:]; len(rest) >= 24 && len(s.Cues) < maxMarks; rest = rest[24:] {
		s.Cues = append(s.Cues, Cue{Frame: int64(binary.LittleEndian.Uint32(rest[20:])), id: binary.LittleEndian.Uint32(rest)})
	}
	s.label()
}

// labels reads the texts of LIST adtl. The list may stand before the cue chunk.
func (s *scanner) labels(b []byte) {
	if len(b) < 4 || string(b[:4]) != "adtl" {
		return
	}
	if s.cueTexts == nil {
		s.cueTexts = map[uint32]string{}
	}
	for rest := b[4:]; len(rest) >= 8 && len(s.cueTexts) < maxMarks; {
		size := int(min(uint64(binary.LittleEndian.Uint32(rest[4:])), uint64(len(rest)-8)))
		if body := rest[8 : 8+size]; string(rest[:4]) == "labl" && size >= 4 {
			s.cueTexts[binary.LittleEndian.Uint32(body)] = text(body[4:])
		}
		rest = rest[min(len(rest), 8+size+size&1):]
	}
	s.label()
}

func (s *scanner) label() {
	for i, c := range s.Cues {
		if t, ok := s.cueTexts[c.id]; ok {
			s.Cues[i].Label = t
		}
	}
	slices.SortStableFunc(s.Cues, func(a, b Cue) int { return int(min(1, max(-1, a.Frame-b.Frame))) })
}
