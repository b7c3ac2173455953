// Package overview surveys a take's sound: what is drawn of it at several resolutions, and how loud each channel is.
// Begin reading at Survey.
package overview
