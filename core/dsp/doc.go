// Package dsp is signal processing that knows nothing of takes or reels: decibels, pan laws, dither, resampling.
//
// In and out: planar blocks of float64 samples, full scale = 1.0. Begin reading at Pan and AddDither. Take,
// weave and engine build on it, which is why it stands before them in the order of the packages.
package dsp
