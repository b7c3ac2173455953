// Command commandgen writes the commands of core/reel into api/openapi.yaml, as they are found by reflection: their
// kinds, fields, which of these may be left out, and their comments. ./loom generate runs it.
package main

import (
	"bytes"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"log"
	"maps"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"zestyloom/core/reel"
)

const (
	contract = "api/openapi.yaml"
	source   = "core/reel"
	begin    = "    # The commands of core/reel, written by ./loom generate.\n"
	end      = "    # The end of the commands.\n"
)

func main() {
	text, err := os.ReadFile(contract)
	if err != nil {
		log.Fatal(err)
	}
	made, err := with(text)
	if err == nil {
		err = os.WriteFile(contract, made, 0o644)
	}
	if err != nil {
		log.Fatal(err)
	}
}

// with gives the contract with the commands as they are now.
func with(text []byte) ([]byte, error) {
	head, rest, found := bytes.Cut(text, []byte(begin))
	_, tail, ended := bytes.Cut(rest, []byte(end))
	if !found || !ended {
		return nil, fmt.Errorf("%s has no place for the commands", contract)
	}
	g := generator{named: map[string]string{}}
	var doc struct {
		Components struct {
			Schemas map[string]struct {
				Type string `yaml:"x-go-type"`
			}
		}
	}
	if err := yaml.Unmarshal(slices.Concat(head, tail), &doc); err != nil {
		return nil, err
	}
	for name, s := range doc.Components.Schemas {
		if strings.Contains(s.Type, ".") { // not those that rename a type of the language
			g.named[s.Type] = name
		}
	}
	var err error
	if g.words, err = comments(source); err != nil {
		return nil, err
	}
	schemas, err := g.schemas()
	if err != nil {
		return nil, err
	}
	return bytes.Join([][]byte{head, []byte(begin), schemas, []byte(end), tail}, nil), nil
}

type generator struct {
	named map[string]string // schemas of the contract by the Go type that they stand for
	words map[string]string // comments of types and, after a dot, of their fields
}

type object = map[string]any

func ref(name string) object { return object{"$ref": "#/components/schemas/" + name} }

// schemas gives one schema for each command and Command, which is any of them, told apart by kind.
func (g generator) schemas() ([]byte, error) {
	var out bytes.Buffer
	kinds := reel.Kinds()
	var any []object
	mapping := object{}
	for _, kind := range slices.Sorted(maps.Keys(kinds)) {
		t := kinds[kind]
		name := strings.ToUpper(kind[:1]) + kind[1:] + "Command"
		any = append(any, ref(name))
		mapping[kind] = ref(name)["$ref"]
		body := g.object(t)
		body["additionalProperties"] = false
		err := write(&out, name, object{
			"description": g.words[t.Name()], "type": "object", "required": []string{"kind", "command"},
			"properties": object{"kind": object{"type": "string", "enum": []string{kind}}, "command": body},
			"x-go-type":  "reel.Sent", "x-go-type-import": object{"path": "zestyloom/core/reel"},
		})
		if err != nil {
			return nil, err
		}
	}
	err := write(&out, "Command", object{
		"description": "What is done to a reel. One that would put clips out of sync is refused as `unties`, unless its field untie is true.",
		"oneOf":       any, "discriminator": object{"propertyName": "kind", "mapping": mapping},
		"x-go-type": "reel.Sent", "x-go-type-import": object{"path": "zestyloom/core/reel"},
	})
	return out.Bytes(), err
}

// write adds a schema to the contract, at the depth at which schemas stand there.
func write(out *bytes.Buffer, name string, schema object) error {
	var b bytes.Buffer
	var n yaml.Node
	e := yaml.NewEncoder(&b)
	e.SetIndent(2)
	if err := n.Encode(object{name: schema}); err != nil {
		return err
	}
	compact(&n)
	if err := e.Encode(&n); err != nil {
		return err
	}
	for line := range strings.Lines(b.String()) {
		out.WriteString("    " + line)
	}
	return nil
}

// compact puts what is short on one line. It gives the length.
func compact(n *yaml.Node) int {
	const most = 110
	length := len(n.Value) + 2
	for _, c := range n.Content {
		length += compact(c)
	}
	if n.Kind != yaml.ScalarNode && length < most {
		n.Style |= yaml.FlowStyle
	}
	return length
}

// object is the schema of a struct: what JSON may leave out is not required.
func (g generator) object(t reflect.Type) object {
	properties, required := object{}, []string{}
	for _, f := range reflect.VisibleFields(t) {
		if f.Anonymous || !f.IsExported() {
			continue
		}
		owner := t
		if len(f.Index) > 1 {
			owner = t.FieldByIndex(f.Index[:len(f.Index)-1]).Type
		}
		name, options, _ := strings.Cut(f.Tag.Get("json"), ",")
		s := g.schema(f.Type)
		if d := g.words[owner.Name()+"."+f.Name]; d != "" {
			s = described(s, d)
		}
		properties[name] = s
		if options == "" {
			required = append(required, name)
		}
	}
	o := object{"type": "object", "properties": properties}
	if len(required) > 0 {
		o["required"] = required
	}
	return o
}

// described adds words to a schema. Beside a reference nothing else may stand.
func described(s object, words string) object {
	if s["$ref"] != nil {
		return object{"allOf": []object{s}, "description": words}
	}
	s["description"] = words
	return s
}

func (g generator) schema(t reflect.Type) object {
	if name, there := g.named[t.String()]; there {
		return ref(name)
	}
	if w, are := reflect.Zero(t).Interface().(interface{ Words() []string }); are && t.Kind() == reflect.String {
		return object{"type": "string", "enum": w.Words()}
	}
	if t == reflect.TypeFor[reel.Sent]() {
		return ref("Command")
	}
	switch t.Kind() {
	case reflect.Pointer:
		s := g.schema(t.Elem())
		if s["$ref"] != nil {
			return object{"allOf": []object{s}, "nullable": true}
		}
		s["nullable"] = true
		return s
	case reflect.Slice:
		return object{"type": "array", "items": g.schema(t.Elem())}
	case reflect.Struct:
		return g.object(t)
	case reflect.String:
		return object{"type": "string"}
	case reflect.Bool:
		return object{"type": "boolean"}
	case reflect.Int:
		return object{"type": "integer"}
	case reflect.Int64:
		return object{"type": "integer", "format": "int64"}
	case reflect.Float64:
		return object{"type": "number"}
	}
	panic(fmt.Sprintf("commands have no fields of type %s", t))
}

// comments reads what the source says of its types and their fields, one line each.
func comments(folder string) (map[string]string, error) {
	words := map[string]string{}
	files, err := filepath.Glob(filepath.Join(folder, "*.go"))
	if err != nil {
		return nil, err
	}
	for _, name := range files {
		f, err := parser.ParseFile(token.NewFileSet(), name, nil, parser.ParseComments)
		if err != nil {
			return nil, err
		}
		ast.Inspect(f, func(n ast.Node) bool {
			d, is := n.(*ast.GenDecl)
			if !is || d.Tok != token.TYPE {
				return true
			}
			for _, spec := range d.Specs {
				t := spec.(*ast.TypeSpec)
				words[t.Name.Name] = line(d.Doc)
				if s, is := t.Type.(*ast.StructType); is {
					for _, f := range s.Fields.List {
						for _, name := range f.Names {
							words[t.Name.Name+"."+name.Name] = line(f.Comment)
						}
					}
				}
			}
			return false
		})
	}
	return words, nil
}

func line(c *ast.CommentGroup) string { return strings.Join(strings.Fields(c.Text()), " ") }
