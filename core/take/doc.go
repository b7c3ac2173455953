// Package take knows what a recorder's file says about itself, and how its channels become tracks.
//
// In: an open wave.File and its file name. Out: a Description (scene, take, roll, timecode, a Track for each channel),
// suggestions of where a channel belongs, the Parts that unravel writes, and overviews of the waveform. Begin reading
// at Describe.
package take
