package take

import (
	"encoding/csv"
	"encoding/json"
	"os"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// named are names as the trade writes them, and what each means: worked out by hand, apart from the words.
func named(t *testing.T) [][]string {
	f, err := os.Open("testdata/names.tsv")
	require.NoError(t, err)
	defer f.Close()
	r := csv.NewReader(f)
	r.Comma, r.LazyQuotes = '\t', true
	rows, err := r.ReadAll()
	require.NoError(t, err)
	return rows[1:]
}

// At least 97 of 100 names are read in all that they say, and none says what it does not mean.
func TestNamesOfTheTrade(t *testing.T) {
	rows := named(t)
	require.GreaterOrEqual(t, len(rows), 400)
	missed := 0
	for _, row := range rows {
		n := ReadName(row[0], Words())
		number := ""
		if n.Number > 0 {
			number = strconv.Itoa(n.Number)
		}
		roll, scene, taken := Slate(row[0])
		got := []string{string(n.Role), n.Label, number, n.Layout, n.Order, n.Language, roll, scene, taken}
		whole := true
		for i, want := range row[1:] {
			if got[i] != want {
				whole = false
				assert.Empty(t, got[i], "%s is read wrongly: %v for %v", row[0], got, row[1:])
			}
		}
		if !whole {
			missed++
			t.Logf("%s: %v for %v", row[0], got, row[1:])
		}
	}
	t.Logf("%d of %d names read whole", len(rows)-missed, len(rows))
	assert.LessOrEqual(t, 100*missed, 3*len(rows))
}

// The page has the same names by the same table.
func TestBare(t *testing.T) {
	text, err := os.ReadFile("testdata/bare.json")
	require.NoError(t, err)
	var names map[string]string
	require.NoError(t, json.Unmarshal(text, &names))
	require.NotEmpty(t, names)
	for name, want := range names {
		assert.Equal(t, want, Bare(name), name)
		assert.Equal(t, want, Bare("card/day 1.5/"+name), name)
	}
}

func FuzzReadName(f *testing.F) {
	for _, name := range []string{"MIX_ENG_51_SMPTE_Ls", "LF03_12A_T03", "MandE.L", "5.1", "ŝ_é", "Lt Rt", "\xff\x00"} {
		f.Add(name)
	}
	f.Fuzz(func(t *testing.T, name string) {
		n := ReadName(name, Words())
		assert.True(t, n.Number >= 0 && n.Number <= 16)
		roll, scene, number := Slate(Bare(name))
		assert.Equal(t, scene == "", number == "")
		assert.LessOrEqual(t, len(roll), len(name))
	})
}
