// Package layout knows channel layouts: how many channels, which labels, in which order, where the speakers stand.
//
// In: a layout name and an order. Out: labels in channel order, WAVE channel masks, loudness weights. Speaker
// positions are those of ITU-R BS.2051. Begin reading at Layout.
package layout
