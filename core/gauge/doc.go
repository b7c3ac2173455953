// Package gauge measures rows of a reel, output groups, mixes, stems, strands and tracks, and keeps what it has measured until what
// that depends on changes.
//
// In: a reel, the rows to measure, what tells the sound of takes. Out: rows of pieces (loudness.Row), of which an edit makes no
// more anew than it touches; what comes of that is what measuring from scratch gives, bit for bit. Begin reading at Gauge.
package gauge
