// Package timecode turns sample positions into SMPTE ST 12-1 timecode and back.
//
// In: a position as an int64 count of samples, a sample rate, a frame Rate (a rational, with or without drop-frame).
// Out: frame counts and labels such as 10:01:23:14. Nothing here uses floating point. Begin reading at Rate.
package timecode
