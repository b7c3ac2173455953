// Package mix holds how channels of one format become those of another: matrices, placing by position, folding, sound
// fields. Tracks, clips, mixes, fold-downs and listening all go through it.
//
// In: formats, positions, settings. Out: a Matrix of gains, and what would be lost. Begin reading at Matrix.
package mix
