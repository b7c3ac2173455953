// Package weave works out what feeds what: from tracks through stems, and through their own knots, to outputs.
//
// In: a reel. Out: the gain of every path, the natural knots of a row at an output, and what is probably wrong.
// Begin reading at Feeds, Routes and Findings.
package weave
