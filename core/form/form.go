// Package form reads documents that people write in YAML, held to a JSON schema, and writes them.
package form

import (
	"bytes"
	"encoding/json"
	"strings"
	"sync"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"go.yaml.in/yaml/v3"

	"zestyloom/core/fault"
)

// Form is a kind of document.
type Form struct {
	what    string // as in "The spec"
	schema  []byte
	most    int // bytes
	compile func() (*jsonschema.Schema, error)
}

// New makes a form of a JSON schema. what names a document in sentences, such as "The spec"; most is the largest that is read,
// in bytes.
func New(what string, schema []byte, most int) *Form {
	return &Form{what, schema, most, sync.OnceValues(func() (*jsonschema.Schema, error) {
		doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(schema))
		if err != nil {
			return nil, err
		}
		c := jsonschema.NewCompiler()
		if err := c.AddResource("document.json", doc); err != nil {
			return nil, err
		}
		return c.Compile("document.json")
	})}
}

// Schema gives the JSON schema.
func (f *Form) Schema() []byte { return bytes.Clone(f.schema) }

// Read reads a document into a value by its JSON names. Its errors are of kind BadInput and name the field.
func (f *Form) Read(text []byte, into any) error {
	if len(text) > f.most {
		return fault.New(fault.BadInput, "%s is larger than %d KiB", f.what, f.most>>10)
	}
	// Through JSON, so that the schema sees what YAML means: numbers, strings, lists.
	var loose any
	var doc yaml.Node
	err := yaml.Unmarshal(text, &doc)
	if err == nil {
		if err := f.bounded(&doc, 0); err != nil { // before it is looked at as a whole: what repeats costs as its square
			return err
		}
		err = doc.Decode(&loose)
	}
	if err != nil {
		return fault.New(fault.BadInput, "%s is not valid YAML: %.300s", f.what, strings.TrimPrefix(err.Error(), "yaml: "))
	}
	asJSON, err := json.Marshal(loose)
	if err != nil {
		return fault.New(fault.BadInput, "%s has keys that are not words", f.what)
	}
	schema, err := f.compile()
	if err != nil {
		return err
	}
	held, err := jsonschema.UnmarshalJSON(bytes.NewReader(asJSON))
	if err != nil {
		return fault.Wrap(fault.BadInput, err, "%s can't be read", f.what)
	}
	if err := schema.Validate(held); err != nil {
		return fault.New(fault.BadInput, "%s is not as it should be: %s", f.what, firstCause(err))
	}
	if err := json.Unmarshal(asJSON, into); err != nil {
		return fault.Wrap(fault.BadInput, err, "%s can't be read", f.what)
	}
	return nil
}

// How deep parts of a document lie in one another at most, and how many keys stand beside each other, each of which the reader of YAML
// compares with all others.
const (
	maxDeep = 64
	maxKeys = 2_000
)

// bounded refuses what is nested too deep, and keys that stand twice beside each other.
func (f *Form) bounded(n *yaml.Node, depth int) error {
	if depth > maxDeep {
		return fault.New(fault.BadInput, "%s has parts that lie in one another more than %d deep (line %d)", f.what, maxDeep, n.Line)
	}
	if n.Kind == yaml.MappingNode {
		seen := map[string]bool{}
		for i := 0; i < len(n.Content); i += 2 {
			key := n.Content[i]
			if key.Kind != yaml.ScalarNode && key.Kind != yaml.AliasNode || len(seen) > maxKeys {
				return fault.New(fault.BadInput, "%s is not valid YAML of ours: it has keys that are not words, or more than %d beside each other (line %d)", f.what, maxKeys, key.Line)
			}
			if seen[key.Value] {
				return fault.New(fault.BadInput, "%s is not valid YAML: %.40q is there twice (line %d)", f.what, key.Value, key.Line)
			}
			seen[key.Value] = true
		}
	}
	for _, c := range n.Content {
		if err := f.bounded(c, depth+1); err != nil {
			return err
		}
	}
	return nil
}

// firstCause digs out the innermost of the validator's nested complaints, which is the one a person can act on.
func firstCause(err error) string {
	v, ok := err.(*jsonschema.ValidationError)
	if !ok {
		return err.Error()
	}
	for len(v.Causes) > 0 {
		v = v.Causes[0]
	}
	lines := strings.Split(v.Error(), "\n")
	return strings.TrimPrefix(strings.TrimSpace(lines[len(lines)-1]), "- ")
}

// Write gives a document as YAML: fields in the order of the value's, lists of plain words in one line.
func Write(value any) ([]byte, error) {
	asJSON, err := json.Marshal(value)
	if err != nil {
		return nil, err
	}
	var doc yaml.Node // JSON is YAML, and a node keeps the order
	if err := yaml.Unmarshal(asJSON, &doc); err != nil {
		return nil, err
	}
	lay(&doc)
	var out bytes.Buffer
	e := yaml.NewEncoder(&out)
	e.SetIndent(2)
	if err := e.Encode(&doc); err != nil {
		return nil, err
	}
	return out.Bytes(), e.Close()
}

func lay(n *yaml.Node) {
	n.Style = 0
	plain := len(n.Content) > 0
	for _, c := range n.Content {
		lay(c)
		plain = plain && c.Kind == yaml.ScalarNode
	}
	if plain && n.Kind == yaml.SequenceNode {
		n.Style = yaml.FlowStyle
	}
}
