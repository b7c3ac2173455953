package loudness

import "zestyloom/core/layout"

// Stream makes pieces of a programme that comes front to back in blocks of any size.
type Stream struct {
	row    Row
	meter  *PieceMeter
	buf    [][]float64 // lead, a piece and a tail
	filled int
	lead   int
	charge []Charge
}

// NewStream makes a stream, with a factor of oversampling for true peak: 4 or 8.
func NewStream(sampleRate, factor int, l layout.Layout) *Stream {
	s := &Stream{row: Row{Rate: sampleRate, Layout: l}, meter: NewPieceMeter(sampleRate, factor, l), lead: Lead(sampleRate),
		charge: Empty(len(l.Labels))}
	s.buf, s.filled = make([][]float64, len(l.Labels)), s.lead
	for c := range s.buf {
		s.buf[c] = make([]float64, s.lead+PieceFrames(sampleRate)+Tail)
	}
	return s
}

// Write takes the next block, channels × frames.
func (s *Stream) Write(block [][]float64) {
	for at := 0; at < len(block[0]); {
		n := min(len(s.buf[0])-s.filled, len(block[0])-at)
		for c, x := range block {
			copy(s.buf[c][s.filled:s.filled+n], x[at:at+n])
		}
		at += n
		if s.filled += n; s.filled == len(s.buf[0]) {
			s.piece(s.filled)
			// What is read before the next piece, and its beginning, which was the tail of this one.
			for c := range s.buf {
				copy(s.buf[c], s.buf[c][len(s.buf[c])-s.lead-Tail:])
			}
			s.filled = s.lead + Tail
		}
	}
}

// piece measures what lies in the buffer up to a place.
func (s *Stream) piece(end int) {
	block := make([][]float64, len(s.buf))
	for c := range block {
		block[c] = s.buf[c][:end]
	}
	p := s.meter.Measure(block, s.lead, s.charge)
	s.charge = p.Charge
	s.row.Pieces = append(s.row.Pieces, p)
}

// End gives all that came.
func (s *Stream) End() Row {
	// The last piece may be a whole one, of which the tail has not come.
	if s.filled > s.lead {
		end := s.filled + Tail
		if most := len(s.buf[0]); end > most {
			for c := range s.buf {
				s.buf[c] = append(s.buf[c], make([]float64, end-most)...)
			}
		}
		for c := range s.buf {
			clear(s.buf[c][s.filled:end])
		}
		length := PieceFrames(s.row.Rate)
		if n := s.filled - s.lead; n > length { // a piece, and a few samples of the next
			s.piece(s.lead + length + Tail)
			for c := range s.buf {
				copy(s.buf[c], s.buf[c][length:end])
				clear(s.buf[c][end-length:])
			}
			end -= length
		}
		s.piece(end)
	}
	return s.row
}
