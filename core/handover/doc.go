// Package handover writes a reel for whoever mixes it or carries on with it, and reads back what was written.
//
// What goes out is one folder: the reel as OpenTimelineIO, AES31-3, CMX 3600 and a table, with the sound that it uses
// beside them, whole or cut to handles. All of the reel is in the metadata of the OpenTimelineIO file, under zesty_loom:
//
//   - of the timeline: version, the reel but its clips (head, stems with their colours, tracks, groups, knots, mixes,
//     levels, marks, corrections), the takes that it refers to and the files beside it;
//   - of each track: track, its ID;
//   - of each clip: clip, all that the reel knows of it, and written, where its object lay when it was written.
//
// Whoever reads with less still finds every clip at its place. Who reads with all of it gets an equal reel; what another
// program moved, trimmed, switched off or took away since is followed.
package handover
