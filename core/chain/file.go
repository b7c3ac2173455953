package chain

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/form"
)

// mostText is the largest file that is read, in bytes.
const mostText = 64 << 10

var written = form.New("The chain", Schema(), mostText)

// Read reads a chain as people write it: see docs/chains.md. Steps get IDs by their place.
func Read(text []byte) ([]Step, error) {
	var doc struct {
		Chain []map[string]json.RawMessage `json:"chain"`
	}
	if err := written.Read(text, &doc); err != nil {
		return nil, err
	}
	steps := []Step{}
	for n, fields := range doc.Chain {
		s := Step{ID: fmt.Sprint(n + 1), Values: map[string]float64{}}
		for name, raw := range fields {
			if err := s.take(name, raw); err != nil {
				return nil, fault.Wrap(fault.BadInput, err, "%s of processor %d can't be read", name, n+1)
			}
		}
		steps = append(steps, s)
	}
	return steps, Check(steps)
}

// take reads one field of a step.
func (s *Step) take(name string, raw json.RawMessage) error {
	switch name {
	case "kind":
		return json.Unmarshal(raw, &s.Kind)
	case "off":
		return json.Unmarshal(raw, &s.Off)
	case "detector":
		return json.Unmarshal(raw, &s.Detector)
	case "key":
		return json.Unmarshal(raw, &s.Key)
	case "profile":
		if json.Unmarshal(raw, &s.Profile) == nil {
			return nil
		}
		return json.Unmarshal(raw, &s.Learnt)
	}
	var v float64
	if err := json.Unmarshal(raw, &v); err != nil {
		return err
	}
	s.Values[name] = v
	return nil
}

// Write writes a chain as Read reads it: every parameter of every step, in the order of Kinds.
func Write(steps []Step) ([]byte, error) {
	var b strings.Builder
	b.WriteString(`{"chain":[`)
	for n, s := range steps {
		if n > 0 {
			b.WriteString(",")
		}
		if err := s.write(&b); err != nil {
			return nil, err
		}
	}
	b.WriteString("]}")
	return form.Write(json.RawMessage(b.String()))
}

func (s Step) write(b *strings.Builder) error {
	field := func(name string, v any) error {
		text, err := json.Marshal(v)
		if err == nil {
			fmt.Fprintf(b, ",%q:%s", name, text)
		}
		return err
	}
	fmt.Fprintf(b, `{"kind":%q`, s.Kind)
	a, _ := Look(s.Kind)
	var errs []error
	for _, p := range a.Parameters {
		errs = append(errs, field(p.Name, s.Value(p.Name)))
	}
	if s.Off {
		errs = append(errs, field("off", true))
	}
	if s.Detector != "" {
		errs = append(errs, field("detector", s.Detector))
	}
	if s.Key != nil {
		errs = append(errs, field("key", s.Key))
	}
	if len(s.Profile) > 0 {
		errs = append(errs, field("profile", s.Profile))
	}
	b.WriteString("}")
	i := slices.IndexFunc(errs, func(err error) bool { return err != nil })
	if i >= 0 {
		return errs[i]
	}
	return nil
}

// Schema gives the JSON schema of chains as people write them, which follows from Kinds.
func Schema() []byte {
	type object = map[string]any
	var each []any
	for _, a := range Kinds {
		fields := object{"kind": object{"const": a.Kind}, "off": object{"type": "boolean", "description": "It stays, and does nothing."}}
		for _, p := range a.Parameters {
			field := object{"type": "number", "minimum": p.Low, "maximum": p.High, "default": p.Default, "description": p.About}
			if p.Unit != "" {
				field["description"] = p.About + ", in " + p.Unit + "."
			}
			if p.Whole > 0 {
				field["multipleOf"] = p.Whole
			}
			fields[p.Name] = field
		}
		if a.Detector {
			fields["detector"] = object{"enum": Detector("").Words(), "description": "What is its level: the largest of 5 ms, or the mean square."}
		}
		if a.Keyed {
			fields["key"] = object{"type": "object", "additionalProperties": false, "required": []string{"row", "from"},
				"description": "A row of the reel that drives it.",
				"properties":  object{"row": object{"enum": []string{"track", "strand", "stem", "mix"}}, "from": object{"type": "string", "maxLength": 200}}}
		}
		if a.Profile {
			seconds := object{"type": "number", "minimum": 0, "maximum": 1e6}
			length := len(Sixths)
			if a.Kind == Match {
				length = len(dsp.Thirds)
			}
			fields["profile"] = object{"description": "Where it is learnt, in seconds of the file, or what was learnt.", "oneOf": []any{
				object{"type": "object", "additionalProperties": false, "required": []string{"from", "to"}, "properties": object{"from": seconds, "to": seconds}},
				object{"type": "array", "minItems": length, "maxItems": length, "items": object{"type": "number"}}}}
		}
		each = append(each, object{"if": object{"properties": object{"kind": object{"const": a.Kind}}},
			"then": object{"additionalProperties": false, "properties": fields, "title": a.Title, "description": a.About + "."}})
	}
	schema, _ := json.MarshalIndent(object{"$schema": "https://json-schema.org/draft/2020-12/schema", "$id": "zesty-loom:chain-1", "title": "Chain",
		"description": "Processors that work on the sound of one place, one after another.", "type": "object", "additionalProperties": false,
		"required": []string{"chain"}, "properties": object{"chain": object{"type": "array", "maxItems": MostSteps, "items": object{
			"type": "object", "required": []string{"kind"}, "properties": object{"kind": object{"enum": Kind("").Words()}}, "allOf": each}}}}, "", " ")
	return schema
}
