// Package wave reads and writes WAVE (RIFF), RF64 (EBU Tech 3306) and BW64 (ITU-R BS.2088) files with the metadata
// that recorders write: bext (EBU Tech 3285) and iXML.
//
// In: an io.ReaderAt and its size, or blocks of samples. Out: a File that says what is there, blocks of samples
// (planar, float64, full scale = 1.0, or the raw interleaved bytes), and files written to an io.Writer. Damage is
// expected: what can be read is read and the rest is a Warning; an error carries the byte offset. Memory does not
// grow with the length of a file or with a number that it claims. Begin reading at Open and NewWriter.
package wave
