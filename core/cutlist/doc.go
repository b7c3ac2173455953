// Package cutlist reads and writes lists of what a picture cut is made of: CMX 3600 edit decision lists and
// OpenTimelineIO in both directions, AES31-3 audio decision lists outwards. It finds the takes that a list asks for,
// and compares a list with the one before it.
//
// In: the bytes of a list, and what is known of the takes. Out: events in samples, the takes that they come from, what
// was not found and why, and what has moved. Begin reading at List.
package cutlist
