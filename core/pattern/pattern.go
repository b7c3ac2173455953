// Package pattern reads and writes the patterns of reels as documents.
package pattern

import (
	_ "embed"

	"zestyloom/core/form"
	"zestyloom/core/reel"
)

//go:embed schema.json
var schemaJSON []byte

// maxBytes is the largest pattern that is read.
const maxBytes = 1 << 20

var document = form.New("The pattern", schemaJSON, maxBytes)

// Schema gives the JSON schema of patterns.
func Schema() []byte { return document.Schema() }

// Parse reads a pattern in YAML and holds it against the schema and its own references. Its errors are of kind BadInput and name
// the field.
func Parse(text []byte) (reel.Pattern, error) {
	var p reel.Pattern
	if err := document.Read(text, &p); err != nil {
		return p, err
	}
	return p, p.Check()
}

// Write gives a pattern as YAML.
func Write(p reel.Pattern) ([]byte, error) { return form.Write(p) }
