package contract

import (
	"zestyloom/core/reel"
)

// Severity of a finding.
type Severity string

const (
	OK      Severity = "ok"
	Warning Severity = "warning" // worth a look; does not stop anything
	Error   Severity = "error"   // does not meet the spec, or can't be printed
)

// Finding is one line of a plan or report.
type Finding struct {
	Rule     string   `json:"rule"`
	Severity Severity `json:"severity"`
	Message  string   `json:"message"`
	Measured string   `json:"measured,omitempty"`
	Limit    string   `json:"limit,omitempty"`
	File     string   `json:"file,omitempty"`
	Stream   int      `json:"stream,omitempty"`   // of a file with several, from 1
	Channel  int      `json:"channel,omitempty"`  // of the file or stream, from 1
	Timecode string   `json:"timecode,omitempty"` // where it is heard first
	Seconds  *float64 `json:"seconds,omitempty"`  // the same, from the beginning of the file
	Offers   []Offer  `json:"offers,omitempty"`   // what sets it right
}

// Offer is a way to set right what stands against a print: by a command to the reel, or by asking for the print otherwise.
type Offer struct {
	Name    string     `json:"name"`
	Command *reel.Sent `json:"command,omitempty"`
	Restamp bool       `json:"restamp,omitempty"`
	Range   []string   `json:"range,omitempty"`
}

// Graded are the names of the rules that a spec may make graver, or less: what receivers differ in. Whether a file can be
// written, is whole, and is what was printed is never a matter of taste.
var Graded = []string{"before-start", "click", "clipped", "copy", "copy-rate", "crossed", "doubled", "dropout", "fed-twice",
	"fold", "fold-down", "folded", "frame-rate", "full-range",
	"groups", "hum", "laid-out", "language", "lfe",
	"lost", "loudness", "loudness-range", "momentary", "muted", "names", "one-sided", "order", "ppm",
	"short-term", "silence", "silenced", "start", "still",
	"stems-sum-to-mix", "topped", "true-peak", "unfed", "unreached"}
