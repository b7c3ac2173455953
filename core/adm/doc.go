// Package adm writes and reads descriptions of what the channels of a file are, after ITU-R BS.2076: the XML of the axml chunk
// and the table of the chna chunk (ITU-R BS.2088). Of the model it knows what stems and mixes need: programmes of contents, each
// of one object with a bed of speakers or a sound field.
package adm
