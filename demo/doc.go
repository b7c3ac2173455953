// Package demo makes the scenario that demo data, tests and screenshots use: the last night of a cable ferry.
//
// In: a folder. Out: a recorder's card with polyphonic takes, music and effects in it, the same bytes at every run.
// Voices come from the FLAC files in voices/; everything else is synthesised here. Begin reading at Generate.
package demo
