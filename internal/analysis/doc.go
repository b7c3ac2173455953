// Package analysis keeps what was measured of reels until what that depends on changes.
//
// In: a reel as it is stored, and the rows that somebody wants to see. Out: what was last measured of them, and how far measuring of
// what has changed since has come; that goes on in the background. Begin reading at Keeper.
package analysis
