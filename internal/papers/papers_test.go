package papers

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/contract"
	"zestyloom/core/delivery"
	"zestyloom/core/desk"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/internal/store"
)

// refused is a print with one fault, of a reel with names that a page, a table and a PDF must not stumble over.
func refused(t testing.TB) (store.Print, *reel.Reel) {
	text, there := contract.ShippedText("six-channel-split")
	require.True(t, there)
	s, err := contract.Parse(text)
	require.NoError(t, err)
	const start = 36000 * 48000
	r := reel.New("Reel <1> & co", 48000, timecode.Rate{Num: 25, Den: 1}, start, reel.DefaultStems())
	do := func(c reel.Command) {
		change, _, err := c.Plan(r, nil)
		require.NoError(t, err)
		require.NoError(t, r.Apply(change))
	}
	for i, name := range []string{"=Boom", "Cue “waltz”"} {
		do(reel.AddTake{Take: fmt.Sprint(i), Title: name, Start: start + int64(i)*48000, Length: 96000, Parts: []reel.PartPlan{{Name: name,
			Stem: []string{"DX", "MX"}[i], Channels: []int{0}, Labels: []string{"M"}}}})
	}
	plan, laid, err := delivery.NewPlan("The Lantern Ferry", r, s, delivery.Asked{})
	require.NoError(t, err)
	level, seconds := -21.5, 2.0
	curve := &loudness.Curve{Seconds: 0.1, Values: []*float64{nil, &level, &level, nil, &level}}
	finding := contract.Finding{Rule: "true-peak", Severity: contract.Error,
		Message: "Dialogue: <b>too loud", File: plan.Files[0].Name, Channel: 1, Timecode: "10:00:02:00", Seconds: &seconds,
		Measured: "−0.50 dBTP", Limit: "at most −1.00 dBTP"}
	return store.Print{ID: "x", Plan: plan, CreatedAt: time.Date(2026, 1, 2, 3, 4, 5, 0, time.UTC),
		Report: &delivery.Report{Pass: true, Files: []delivery.DeliveredFile{{Name: plan.Files[0].Name, Size: 1234567,
			SHA256: strings.Repeat("ab", 32), XXH64: "0123456789abcdef"}}},
		Receipt: &desk.Receipt{Findings: []contract.Finding{finding}, Groups: []desk.Measured{{ID: "dialogue", Name: "Dialogue",
			Measurement: loudness.Measurement{IntegratedLUFS: &level}, ShortTerm: curve, Peaks: curve}}}}, laid
}

func paper(t testing.TB, list []Paper, name string) []byte {
	i := slices.IndexFunc(list, func(p Paper) bool { return p.Name == name })
	require.GreaterOrEqual(t, i, 0, name)
	return list[i].Text
}

// Every paper is there, is what its name says, tells the fault, and is the same bytes each time.
func TestPapersOfADelivery(t *testing.T) {
	p, laid := refused(t)
	list, err := Of(p, laid)
	require.NoError(t, err)
	again, err := Of(p, laid)
	require.NoError(t, err)
	for i := range list {
		assert.True(t, bytes.Equal(list[i].Text, again[i].Text), "%s is the same each time", list[i].Name)
	}
	page := string(paper(t, list, "report.html"))
	assert.Contains(t, page, "Refused at the desk: 1 wrong")
	assert.Contains(t, page, "Dialogue: &lt;b&gt;too loud")
	assert.NotContains(t, page, "<b>too loud")
	assert.Contains(t, page, "10:00:02:00")
	assert.Contains(t, page, "Reel &lt;1&gt; &amp; co")
	assert.Contains(t, page, "<svg")
	for _, name := range []string{"report.pdf", "cue-sheet.pdf"} {
		assert.True(t, bytes.HasPrefix(paper(t, list, name), []byte("%PDF-")), name)
	}
	var report struct {
		Pass bool
		Desk desk.Receipt
	}
	require.NoError(t, json.Unmarshal(paper(t, list, "report.json"), &report))
	assert.True(t, report.Pass)
	assert.False(t, report.Desk.Pass)
	used, err := contract.Parse(paper(t, list, "spec.yaml"))
	require.NoError(t, err)
	assert.Equal(t, p.Plan.Spec, used, "the spec can be read again")
	assert.Equal(t, strings.Repeat("ab", 32)+"  "+p.Plan.Files[0].Name+"\n", string(paper(t, list, "manifest.sha256")))

	cues, err := csv.NewReader(bytes.NewReader(paper(t, list, "cue-sheet.csv"))).ReadAll()
	require.NoError(t, err)
	require.Len(t, cues, 3)
	assert.Equal(t, []string{"1", "10:00:00:00", "10:00:02:00", "00:00:02:00", "DX", "'=Boom"}, cues[1][:6], "no formula for a spreadsheet")
	assert.Equal(t, "10:00:01:00", cues[2][1])
	routes, err := csv.NewReader(bytes.NewReader(paper(t, list, "routing.csv"))).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, []string{"1", "Dialogue", "L", "'=Boom", "DX", "-3.0", "", "its stem"}, routes[1])
}

// Names in other letters than Latin stand in the PDF, as another reader sees.
func TestLettersOfThePDF(t *testing.T) {
	reader, err := exec.LookPath("pdftotext")
	if err != nil {
		t.Skip("pdftotext is not installed")
	}
	p, laid := refused(t)
	p.Plan.Production, p.Plan.Reel = "Паром «Фонарь»", "Τελευταία νύχτα − ação"
	list, err := Of(p, laid)
	require.NoError(t, err)
	for _, name := range []string{"report.pdf", "cue-sheet.pdf"} {
		path := filepath.Join(t.TempDir(), name)
		require.NoError(t, os.WriteFile(path, paper(t, list, name), 0o600))
		text, err := exec.Command(reader, "-layout", path, "-").CombinedOutput()
		require.NoError(t, err, string(text))
		assert.Contains(t, string(text), p.Plan.Production, name)
		assert.Contains(t, string(text), p.Plan.Reel, name)
	}
}

// The media hash list names each file with its sum, and the chain names the list by its C4 ID.
func TestMediaHashList(t *testing.T) {
	p, laid := refused(t)
	list, err := Of(p, laid)
	require.NoError(t, err)
	name := "ascmhl/0001_" + p.Plan.Folder() + ".mhl"
	var found hashlist
	require.NoError(t, xml.Unmarshal(paper(t, list, name), &found))
	assert.Equal(t, "2.0", found.Version)
	require.Len(t, found.Hashes.Hash, 1)
	assert.Equal(t, "0123456789abcdef", found.Hashes.Hash[0].XXH64.Sum)
	assert.EqualValues(t, 1234567, found.Hashes.Hash[0].Path.Size)
	assert.Contains(t, string(paper(t, list, "ascmhl/ascmhl_chain.xml")), c4(paper(t, list, name)))
	// That of no bytes, as SMPTE ST 2114 gives it.
	assert.Equal(t, "c459dsjfscH38cYeXXYogktxf4Cd9ibshE3BHUo6a58hBXmRQdZrAkZzsWcbWtDg5oQstpDuni4Hirj75GEmTc1sFT", c4(nil))
}
