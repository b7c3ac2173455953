package listen

import (
	"math"

	"zestyloom/core/loudness"
)

// cursor is where playing stands: how many frames have been sent, the place that comes next, and whether a loop begins again there.
type cursor struct {
	sent, at int64
	again    bool
}

// ahead knows the blocks that may not have sounded yet, the earliest first, so that what is changed is heard in their stead.
type ahead struct{ blocks []cursor }

// note keeps where a block begins, and forgets those that have sounded.
func (a *ahead) note(c cursor, reached int64) {
	for len(a.blocks) > 1 && a.blocks[1].sent <= reached {
		a.blocks = a.blocks[1:]
	}
	a.blocks = append(a.blocks, c)
}

// back gives where to begin again, once so many frames have sounded: at the block that sounds now. Who plays leaves out what has sounded of it.
func (a *ahead) back(reached int64, now cursor) cursor {
	for i, b := range a.blocks {
		end := now.sent
		if i+1 < len(a.blocks) {
			end = a.blocks[i+1].sent
		}
		if end > reached {
			a.blocks = a.blocks[:i]
			return b
		}
	}
	a.blocks = nil
	return now
}

// reached is how many frames have sounded by now: what the browser said, and what sounds since then.
func (p *player) reached(sent int64) int64 {
	p.mu.Lock()
	defer p.mu.Unlock()
	since, from := p.toldAt, p.heard
	if since.IsZero() {
		since, from = p.began, 0
	}
	if since.IsZero() {
		return 0
	}
	return min(sent, from+int64(p.now().Sub(since).Seconds()*float64(p.rate)))
}

// changing is how long a change may take to be worked out before it is heard, in seconds.
const changing = 0.025

// runUp is for how many samples before a place chains are heard without being sent: what they remember of longer ago can't be waited
// for, the less so while somebody turns something and listens. cost is how long a second of sound takes to make.
func runUp(rate int, cost float64, first bool) int64 {
	seconds := float64(rollOn)
	if !first && cost > 0 {
		seconds = max(0.25, min(seconds, changing/cost))
	}
	return int64(seconds * float64(rate))
}

// settle measures what has sounded, and gives what it comes to; nil where nothing has since.
func (d *desk) settle(reached int64) *loudness.Reading {
	if !d.pending.settle(reached, func(h held) { d.live.Write(h.channels) }) {
		return nil
	}
	reading := d.live.Reading()
	return &reading
}

// settled measures all that was sent: it sounds, as nothing comes after it.
func (d *desk) settled() *loudness.Reading { return d.settle(math.MaxInt64) }
