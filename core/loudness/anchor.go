package loudness

import "math"

// anchor keeps what is needed to integrate a programme over the time where another, its dialogue, is above its gates: the
// powers of blocks by the loudness of both, in bins of 0.1 LU, which holds memory still over any length.
type anchor struct {
	dialogue int // the programme that is the dialogue
	bins     map[[2]int16]*bin
}

type bin struct {
	count int64
	power float64 // sum
}

const anchorBins = 10 // per LU

func (a *anchor) add(own, dialogue float64) {
	l, d := lufs(own), lufs(dialogue)
	if l <= floorLUFS || d <= floorLUFS {
		return
	}
	key := [2]int16{int16(math.Floor(d * anchorBins)), int16(math.Floor(l * anchorBins))}
	b := a.bins[key]
	if b == nil {
		b = &bin{}
		a.bins[key] = b
	}
	b.count++
	b.power += own
}

// mean gives the mean power of the programme where the dialogue is at or above one gate and the programme above another.
func (a *anchor) mean(dialogueGate, gate float64) (power float64, blocks int64) {
	d, l := int16(math.Floor(dialogueGate*anchorBins)), int16(math.Floor(gate*anchorBins))
	for key, b := range a.bins {
		if key[0] >= d && key[1] >= l {
			blocks += b.count
			power += b.power
		}
	}
	return power / float64(max(1, blocks)), blocks
}

// Anchor has a programme's loudness be integrated as well over the blocks in which another, its dialogue, is above its own gates
// of BS.1770. It is asked for before anything is written.
func (b *Bank) Anchor(programme, dialogue int) {
	if b.anchors == nil {
		b.anchors = map[int]*anchor{}
	}
	b.anchors[programme] = &anchor{dialogue, map[[2]int16]*bin{}}
}

// Anchored gives the loudness of a programme where its dialogue is heard, in LUFS; nil where it never is, or nobody has asked. The
// programme is gated as BS.1770 has it, over those blocks.
func (b *Bank) Anchored(programme int) *float64 {
	a := b.anchors[programme]
	if a == nil {
		return nil
	}
	return a.anchored(&b.programmes[a.dialogue])
}

// anchored gives the loudness where a dialogue is heard, in LUFS; nil where it never is.
func (a *anchor) anchored(dialogue *programme) *float64 {
	p, n := dialogue.gated.mean(floorLUFS)
	if n == 0 {
		return nil
	}
	heard := lufs(p) - 10
	if p, n = a.mean(heard, floorLUFS); n == 0 {
		return nil
	}
	p, _ = a.mean(heard, lufs(p)-10)
	return finite(lufs(p))
}
