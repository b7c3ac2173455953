package cells_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/cells"
)

func TestNoCellIsAFormula(t *testing.T) {
	for cell, want := range map[string]string{"": "", "Boom": "Boom", "=1+1": "'=1+1", "+1": "'+1", "@SUM": "'@SUM", "-cmd|x": "'-cmd|x",
		"\t=1": "'\t=1",
		"\r=1": "'\r=1", "-3.5": "-3.5", "-": "'-", "-12:00": "'-12:00", "'=1": "'=1", "it's": "it's", "+Inf": "'+Inf"} {
		assert.Equal(t, want, cells.Inert(cell), "%q", cell)
		if cell != "'=1" { // somebody's own apostrophe before a formula is taken for ours
			assert.Equal(t, cell, cells.Alive(cells.Inert(cell)), "%q", cell)
		}
	}
}

func FuzzInert(f *testing.F) {
	f.Add("-2")
	f.Fuzz(func(t *testing.T, cell string) {
		var b bytes.Buffer
		require.NoError(t, cells.Write(&b, [][]string{{cell, "x"}}))
		rows, err := csv.NewReader(&b).ReadAll()
		require.NoError(t, err)
		got := rows[0][0]
		if got != "" && (got[0] == '=' || got[0] == '+' || got[0] == '@' || got[0] == '\t') {
			t.Fatalf("%q is written as %q", cell, got)
		}
	})
}

func ExampleWrite() {
	var b bytes.Buffer
	_ = cells.Write(&b, [][]string{{"track", "gain dB"}, {"=Boom", "-3"}})
	fmt.Print(b.String())
	// Output:
	// track,gain dB
	// '=Boom,-3
}
