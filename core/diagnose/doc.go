// Package diagnose finds out what is on each channel of a recording.
//
// In: planar blocks of all channels (channels × frames, full scale = 1.0), front to back. Out: for each channel its
// levels and findings: empty, a copy of another, a mix of others, low, clipped, hum, dropouts, DC. Each finding carries
// the figure that it rests on, so that the editor can judge it. Memory does not grow with length. Begin reading at
// Analyser.
package diagnose
