// Package demo makes the scenario that demo data, tests and screenshots use: the last night of a cable ferry.
//
// In: a folder. Out: two recorders' cards, a camera's movies, music, effects, ambience and narration in it, the same bytes
// at every run.
// Voices come from the FLAC files in voices/; everything else is synthesised here. Begin reading at Generate.
package demo
