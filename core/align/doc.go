// Package align lines recordings up: by their time stamps, or by their waveforms.
//
// In: two recordings. Out: a Match: where the second lies against the first, how sure that is, what else it could be,
// and how their clocks drift apart. Memory does not grow with length but for an envelope of 200 values a second. Begin
// reading at Waveforms.
package align
