// Package take knows what a recorder's file says about itself, and how its channels become tracks.
//
// In: an open wave.File and its file name. Out: a Description (scene, take, roll, timecode, a Track for each channel),
// how its channels are read together (Set, Part), and where each belongs (Suggest). Begin reading at Describe.
package take
