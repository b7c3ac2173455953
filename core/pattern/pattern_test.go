package pattern_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
	"zestyloom/core/pattern"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

const ferry = `pattern: 1
name: Ferry, 5.1 and stereo
stems:
  - {id: DX, name: Dialogue, labels: [L, R, C]}
  - {id: MX, name: Music, labels: [L, R]}
mixes:
  - id: full
    name: Full mix
    labels: [L, R, C, LFE, Ls, Rs]
    rest: true
    terms: [{row: strand, from: DX/Dispatcher, gainDB: -3}]
groups:
  - {id: surround, name: Full mix 5.1, tag: MIX, layout: "5.1", labels: [L, R, C, LFE, Ls, Rs], feed: {row: mix, from: full}}
  - {id: pair, name: Stereo, tag: ST, layout: stereo, labels: [L, R], feed: {row: group, from: surround}}
tracks:
  - {id: boom, name: Boom, labels: [M], stem: DX, feed: {placed: true, front: 1}}
knots:
  - {row: track, from: boom, output: pair/L, gainDB: -6}
chains:
  - row: stem
    from: MX
    steps:
      - {id: "1", kind: bell, values: {frequency: 320, gain: -4}}
      - {id: "2", kind: compressor, values: {threshold: -30}, detector: rms, key: {row: stem, from: DX}}
`

func Example() {
	p, err := pattern.Parse([]byte(ferry))
	if err != nil {
		fmt.Println(err)
		return
	}
	r, err := p.Begin("Reel 2", 48000, timecode.Rate{Num: 25, Den: 1}, 0)
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, o := range r.OutputList() {
		fmt.Print(o.ID, " ")
	}
	fmt.Println(len(r.Tracks), "track,", len(r.Chains["stem MX"].Steps), "processors on the music")
	// Output: surround/L surround/R surround/C surround/LFE surround/Ls surround/Rs pair/L pair/R 1 track, 2 processors on the music
}

func TestWhatIsWrittenIsReadAgain(t *testing.T) {
	p, err := pattern.Parse([]byte(ferry))
	require.NoError(t, err)
	text, err := pattern.Write(p)
	require.NoError(t, err)
	again, err := pattern.Parse(text)
	require.NoError(t, err, "%s", text)
	assert.Equal(t, p, again)
	assert.True(t, strings.HasPrefix(string(text), "pattern: 1\nname: Ferry, 5.1 and stereo\nstems:\n"), "as people would write it: %s", text)
	assert.Contains(t, string(text), "labels: [L, R, C, LFE, Ls, Rs]")
}

func TestWhatIsWrongIsNamed(t *testing.T) {
	for change, want := range map[string]string{
		"pattern: 1|pattern: 2":                    "pattern",
		"row: mix, from: full|row: mix, from: ful": `the output group Full mix 5.1 names the mix "ful", which is not in it`,
		"output: pair/L|output: pair/C":            `a knot names the output "pair/C", which is not in it`,
		"stem: DX, feed|stem: FX, feed":            `the track Boom names the stem "FX"`,
		"id: pair|id: surround":                    `the group "surround" twice`,
		"gainDB: -6|gainDB: loud":                  "gainDB",
		"from: DX}}|from: AX}}":                    `what drives a processor names the stem "AX"`,
		"from: MX\n|from: NX\n":                    `a chain names the stem "NX"`,
		"kind: bell|kind: flanger":                 "flanger",
		"frequency: 320|frequency: 5":              "frequency",
		`id: "2"|id: "1"`:                          "an ID of its own",
		"tag: ST|tag: ST, colour: red":             "colour",
		"id: boom|id: Boom!":                       "id",
		"name: Ferry|name: [":                      "not valid YAML",
	} {
		from, to, _ := strings.Cut(change, "|")
		text := strings.Replace(ferry, from, to, 1)
		require.NotEqual(t, ferry, text, change)
		_, err := pattern.Parse([]byte(text))
		require.ErrorContains(t, err, want, change)
		assert.Equal(t, fault.BadInput, fault.KindOf(err), change)
	}
	_, err := pattern.Parse([]byte(strings.Repeat("#", 2<<20)))
	assert.ErrorContains(t, err, "larger than")
}

// Whatever is read as a pattern can be laid on a reel, or is refused in words.
func FuzzParse(f *testing.F) {
	f.Add([]byte(ferry))
	f.Add([]byte(strings.Replace(ferry, "row: group, from: surround", "row: group, from: pair", 1)))
	f.Add([]byte("pattern: 1\nname: x\nstems: []\nknots: [{row: strand, from: /x, output: a/b}]"))
	f.Fuzz(func(t *testing.T, text []byte) {
		p, err := pattern.Parse(text)
		if err != nil {
			assert.NotEmpty(t, fault.Sentence(err))
			return
		}
		r, err := p.Begin("Reel", 48000, timecode.Rate{Num: 25, Den: 1}, 0)
		if err != nil {
			assert.NotEmpty(t, fault.Sentence(err))
			return
		}
		_, err = p.Fit(r)
		assert.NoError(t, err)
		_, err = pattern.Write(reel.PatternOf(r, "again", ""))
		assert.NoError(t, err)
	})
}
