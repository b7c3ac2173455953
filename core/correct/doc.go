// Package correct works out how a programme is brought to its limits: one gain, a slow ride where short-term, momentary or programme
// meter limits ask for it, and a look-ahead limiter of true peak that is linked over all channels.
//
// In: what was measured of the programme (loudness.Row) and what it is brought to (reel.Target). Out: curves in dB, which are applied
// by engine.Curve to whatever is a part of the programme, so that the parts still add up. Solve works them out; what they come to is
// measured again, and To repeats both until it is right. Begin reading at To.
package correct
