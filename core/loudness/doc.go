// Package loudness measures programme loudness and peaks.
//
// In: planar blocks (channels × frames) of float64 samples, full scale = 1.0. Out: loudness in LUFS after ITU-R
// BS.1770-5 with the gates and range of EBU Tech 3341 and 3342, true peak in dBTP, quasi-peak after IEC 60268-10
// type II, sample peak and RMS in dBFS. Memory does not grow with length. Begin reading at Meter.
package loudness
