package listen

// held is a block that may not have sounded yet.
type held struct {
	frame    int64 // how many were sent before it
	at       int64 // its place on the reel
	n        int
	channels [][]float64 // of so many frames
}

// later holds blocks until they have sounded: what has not may be replaced, and then never was.
type later struct{ blocks []held }

// keep takes a copy of a block.
func (l *later) keep(now cursor, n int, channels [][]float64) {
	h := held{frame: now.sent, at: now.at, n: n}
	for _, x := range channels {
		h.channels = append(h.channels, append([]float64(nil), x[:n]...))
	}
	l.blocks = append(l.blocks, h)
}

// replaced forgets the blocks from a frame on, and gives the first of them; nil where there is none.
func (l *later) replaced(frame int64) [][]float64 {
	for i, h := range l.blocks {
		if h.frame >= frame {
			l.blocks = l.blocks[:i]
			return h.channels
		}
	}
	return nil
}

// settle hands over the blocks that have sounded whole, and tells whether there were any.
func (l *later) settle(reached int64, do func(held)) bool {
	done := 0
	for done < len(l.blocks) && reached-l.blocks[done].frame >= int64(l.blocks[done].n) {
		do(l.blocks[done])
		done++
	}
	l.blocks = append(l.blocks[:0], l.blocks[done:]...)
	return done > 0
}
