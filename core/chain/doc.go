// Package chain is what may be done to the sound of one place: a list of processors with their parameters, as it stands in a reel and as people
// write it in YAML, and the making of it.
//
// In: a Chain, the rate, the channels, and how its parameters move. Out: a Row, which works on blocks. Begin reading at Kinds, then Make.
package chain
