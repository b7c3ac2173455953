package form

import (
	"fmt"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/fault"
)

const schema = `{"type": "object", "additionalProperties": false, "properties": {"name": {"type": "string"}, "list": {"type": "array"}}}`

func manyKeys() string {
	var b strings.Builder
	for i := range 60_000 {
		fmt.Fprintf(&b, "a%d: 1\n", i)
	}
	return b.String()
}

// What nobody writes by hand is refused in a sentence, and costs no more than its size.
func TestHostileDocuments(t *testing.T) {
	f := New("The card", []byte(schema), 1<<20)
	for name, c := range map[string]struct{ text, says string }{
		"a key twice":       {"name: a\nname: b\n", `"name" is there twice (line 2)`},
		"a key many times":  {strings.Repeat("a: 1\n", 200_000), `"a" is there twice`},
		"keys of lists":     {strings.Repeat("? [a]\n: 1\n", 50_000), "not words"},
		"many keys":         {manyKeys(), "more than 2000"},
		"lists in lists":    {"list: " + strings.Repeat("[", 5000) + strings.Repeat("]", 5000), "more than 64 deep"},
		"objects":           {"name: " + strings.Repeat("{a: ", 3000) + "1" + strings.Repeat("}", 3000), "more than 64 deep"},
		"as deep as it may": {"list: " + strings.Repeat("[", 60) + strings.Repeat("]", 60), ""},
		"parts by name":     {"list: [&a [x, x], *a]", ""},
		"a bomb": {"list: [&a [x, x, x, x, x, x, x, x, x], &b [*a, *a, *a, *a, *a, *a, *a, *a, *a], &c [*b, *b, *b, *b, *b, *b, *b, *b, *b]," +
			" &d [*c, *c, *c, *c, *c, *c, *c, *c, *c], &e [*d, *d, *d, *d, *d, *d, *d, *d, *d], &f [*e, *e, *e, *e, *e, *e, *e, *e, *e]," +
			" &g [*f, *f, *f, *f, *f, *f, *f, *f, *f], [*g, *g, *g, *g, *g, *g, *g, *g, *g]]", "aliasing"},
		"no YAML":   {"name: [", "not valid YAML"},
		"nothing":   {"", "The card"},
		"too large": {strings.Repeat("#", 2<<20), "larger than 1024 KiB"},
		"as it is":  {"name: Lantern\nlist: [1, 2]\n", ""},
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		var into map[string]any
		err := f.Read([]byte(c.text), &into)
		runtime.ReadMemStats(&after)
		assert.Less(t, (after.TotalAlloc-before.TotalAlloc)>>20, uint64(300), "MiB for %s", name)
		if c.says == "" {
			assert.NoError(t, err, name)
			continue
		}
		assert.ErrorContains(t, err, c.says, name)
		assert.Equal(t, fault.BadInput, fault.KindOf(err), name)
		assert.Less(t, len(err.Error()), 600, name)
	}
}
