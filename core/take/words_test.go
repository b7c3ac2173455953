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

func TestWordsOfOnesOwn(t *testing.T) {
	own, err := CheckWords([]Word{{Text: " Zang ", Kind: RoleWord, Means: "MX"}, {Text: "Final_Version", Kind: RoleWord, Means: "mix"},
		{Text: "MNE", Kind: RoleWord, Means: "NX"}})
	require.NoError(t, err)
	assert.Equal(t, "final version", own[1].Text)
	v := Taught(own)
	for name, want := range map[string]Role{"Ferry_ZANG_L": MusicRole, "Ferry final version": FullMixRole, "Ferry_MNE_L": NarrationRole,
		"Ferry_DX": DialogueRole} {
		assert.Equal(t, want, ReadName(name, v).Role, name)
	}
	assert.Equal(t, MERole, ReadName("Ferry_MNE_L", Words()).Role, "what one production is taught others do not know")
	assert.Equal(t, MusicRole, ReadName("zang", Taught(own)).Role)
	assert.Empty(t, ReadName("Ferry_ZANG_L", Taught(nil)).Role)
	stem, strand := Suggest(DefaultRules(), v, Recording, "Zang 1", "12A/3")
	assert.Equal(t, []string{"MX", ""}, []string{stem, strand})
	for _, wrong := range []Word{{Kind: RoleWord, Means: "MX"}, {Text: "x", Kind: "colour", Means: "red"}, {Text: "x", Kind: LanguageWord, Means: "xxx"},
		{Text: "x", Kind: LayoutWord, Means: "9.9"}} {
		_, err := CheckWords([]Word{wrong})
		assert.Error(t, err, wrong)
	}
	_, err = CheckWords([]Word{{Text: "zang", Kind: RoleWord, Means: "MX"}, {Text: "ZANG", Kind: RoleWord, Means: "DX"}})
	assert.ErrorContains(t, err, "twice")
	for _, m := range Meanings() { // whatever is offered can be kept, and is read
		own, err := CheckWords([]Word{{Text: "quux", Kind: m.Kind, Means: m.Means}})
		require.NoError(t, err, m)
		n := ReadName("Ferry DX quux", Taught(own))
		if m.Kind == RoleWord {
			n = ReadName("Ferry quux", Taught(own))
		}
		assert.Contains(t, []string{string(n.Role), n.Layout, n.Order, n.Language}, m.Means, m)
	}
}

// Channels of one file that are called as parts of a mix are suggested for their stems, and read in pairs.
func TestNamedChannels(t *testing.T) {
	d := Description{Channels: 12}
	for i, name := range []string{"DIA_L", "DIA_R", "NARR", "SFX_L", "SFX_R", "AMB L", "AMB R", "Boom", "MixL", "MixR", "MUS_R", "Lav L"} {
		d.Tracks = append(d.Tracks, Track{Index: i + 1, Name: name})
		stem, _ := Suggest(DefaultRules(), nil, Recording, name, "Ferry tracks")
		assert.Equal(t, []string{"DX", "DX", "NX", "FX", "FX", "AX", "AX", "DX", "DX", "DX", "MX", "DX"}[i], stem, name)
	}
	assert.Equal(t, []Set{Pair(1, 2), Pair(4, 5), Pair(6, 7), Pair(9, 10)}, DefaultSets(d, Recording, nil))
	three := Description{Channels: 3, Tracks: []Track{{Name: "MUS"}, {Name: "MUS_L"}, {Name: "MUS_R"}}}
	assert.Equal(t, []Set{Pair(2, 3)}, DefaultSets(three, Recording, nil), "one that names no side is no part of the pair")
	six := Description{Channels: 6}
	for i, label := range []string{"L", "C", "R", "Ls", "Rs", "LFE"} {
		six.Tracks = append(six.Tracks, Track{Index: i + 1, Name: "MX_" + label})
	}
	assert.Equal(t, []Set{{Bonded, []int{1, 2, 3, 4, 5, 6}, []string{"L", "C", "R", "Ls", "Rs", "LFE"}}}, DefaultSets(six, Recording, nil))
}
