// Package engine turns a reel into blocks of output channels. Listening, metering and printing all use it, so they
// hear the same samples.
//
// In: a reel and a way to open its takes. Out: planar blocks (channels × frames, float64, full scale = 1.0) of the
// tracks, stems and outputs at any position. Begin reading at New and Render.
package engine
