package jobs

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"sync"

	"zestyloom/core/contract"
	"zestyloom/core/delivery"
	"zestyloom/core/desk"
	"zestyloom/core/reel"
	"zestyloom/internal/store"
)

// again takes over what an earlier print of the very same files was found to be, with the report and the receipt of that: it lays the
// files where they belong and compares their checksums. It is one of the same plan, that passed, checked by this very program, of which
// every file is there, byte for byte; then nothing is rendered, put together or measured a second time. Nil where there is none.
func (a *attempt) again(ctx context.Context, reelID string, laid *reel.Reel, made *making, records *records) (*earlier, error) {
	before, err := a.before(ctx, reelID, records)
	if before == nil || err != nil {
		return nil, err
	}
	p := records.plan
	for i, f := range p.Files {
		if f.Container != contract.Wave && f.Container != contract.BW64 {
			m, _, shown, err := a.muxing(ctx, p, i, laid)
			if err != nil {
				return nil, err
			}
			if err := records.takeMovie(ctx, m, shown, made); err != nil {
				return nil, err
			}
		}
		if whole, there := records.whole[f.Name]; !there || whole.SHA256 != shaOf(before.Report.Files, before.Plan.Files[i].Name) {
			return nil, nil
		}
	}
	if err := before.rename(p.Files); err != nil {
		return nil, err
	}
	report := *before.Report
	report.Files, report.Findings = nil, nil
	for _, f := range before.Report.Files {
		f.Linked = records.whole[f.Name].When
		report.Files = append(report.Files, f)
		report.Findings = append(report.Findings, contract.Finding{Rule: "audio", Severity: contract.OK, File: f.Name, Message: fmt.Sprintf(
			"Nothing that is in it has changed, so it was not made again: it is, byte for byte, the file that was made and checked %s", f.Linked)})
	}
	for _, f := range before.Report.Findings {
		if f.Rule != "audio" {
			report.Findings = append(report.Findings, f)
		}
	}
	before.Report = &report
	return before, nil
}

// earlier is a print that was made before, with what was found of it.
type earlier struct{ store.Print }

// rename has all that was found speak of the files by the names that they have now: those may tell a version, or a day.
func (e *earlier) rename(now []delivery.PlannedFile) error {
	order, same := make([]int, len(now)), true
	for i, f := range now {
		order[i], same = i, same && e.Plan.Files[i].Name == f.Name
	}
	if same {
		return nil
	}
	// The longest first, as a name may be a part of another.
	slices.SortFunc(order, func(a, b int) int { return len(e.Plan.Files[b].Name) - len(e.Plan.Files[a].Name) })
	var names []string
	for _, i := range order {
		names = append(names, e.Plan.Files[i].Name, now[i].Name)
	}
	text, err := json.Marshal(struct {
		Report  *delivery.Report
		Receipt *desk.Receipt
	}{e.Report, e.Receipt})
	if err != nil {
		return err
	}
	e.Report, e.Receipt = nil, nil
	return json.Unmarshal([]byte(strings.NewReplacer(names...).Replace(string(text))), &e.Print)
}

// before finds an earlier print of the reel that this one may be the same as, but for the names of files; nil where there is none.
func (a *attempt) before(ctx context.Context, reelID string, records *records) (*earlier, error) {
	if program() == "" {
		return nil, nil
	}
	for _, part := range records.plan.Parts() {
		if _, whole := records.whole[part.Name]; part.Final && !whole || records.prints[part.Name] == "" {
			return nil, nil
		}
	}
	list, err := a.Store.PrintsThatPassed(ctx, reelID, program())
	if err != nil {
		return nil, err
	}
	want := planned(records.plan)
	for _, e := range list {
		if planned(e.Plan) == want {
			return &earlier{e}, nil
		}
	}
	return nil, nil
}

// planned is all of a plan that decides what is in the files that it makes, and what they are held to.
func planned(p delivery.Plan) string {
	p.Files = slices.Clone(p.Files)
	for i := range p.Files {
		p.Files[i].Name = ""
	}
	p.Revision, p.Asked, p.Seconds, p.Findings = 0, delivery.Asked{}, 0, nil
	text, err := json.Marshal(p)
	if err != nil {
		return ""
	}
	return string(text)
}

func shaOf(files []delivery.DeliveredFile, name string) string {
	for _, f := range files {
		if f.Name == name {
			return f.SHA256
		}
	}
	return ""
}

// program tells this build from every other: what another has checked is checked again, as it may know more. Empty where it can't be
// told.
var program = sync.OnceValue(func() string {
	at, err := os.Executable()
	if err != nil {
		return ""
	}
	f, err := os.Open(at)
	if err != nil {
		return ""
	}
	defer f.Close()
	sum := sha256.New()
	if _, err := io.Copy(sum, f); err != nil {
		return ""
	}
	return hex.EncodeToString(sum.Sum(nil))[:16]
})
