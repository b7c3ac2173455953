// Package intake reads files of every kind that can arrive: WAVE and AIFF as they are, FLAC by decoding it, movies
// through ffmpeg.
//
// In: a local file. Out: its Streams of sound, each with a Description, and for a movie its Movie; Extract writes the
// sound of one as a WAVE file, Proxy a small picture that a browser plays. Begin reading at Probe.
package intake
