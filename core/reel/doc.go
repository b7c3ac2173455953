// Package reel holds a reel: tracks, clips, stems, output channels and knots, and the commands that change it.
//
// In: a Command, which says what the user wants. Out: a Change, which lists each object before and after, so that its
// inverse is the same list turned round; applying Changes one after another to an empty reel gives the reel. Positions
// are samples since midnight at the reel's rate. Begin reading at Reel and Command.
package reel
