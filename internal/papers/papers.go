// Package papers makes what lies beside the files of a delivery: the report as a page, as PDF and as JSON, lists of checksums, the
// spec and the routing as used, and a cue sheet.
//
// In: a print whose files have been checked, and the reel that it was printed from. Out: papers, by their names in the delivery's
// folder; the same bytes for the same print. Begin reading at Of.
package papers

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"zestyloom/core/cells"
	"zestyloom/core/contract"
	"zestyloom/core/delivery"
	"zestyloom/core/desk"
	"zestyloom/core/reel"
	"zestyloom/core/sums"
	"zestyloom/core/weave"
	"zestyloom/internal/store"
)

// Paper is a small file beside those that were printed.
type Paper struct {
	Name string
	Text []byte
}

// Of gives the papers of a delivery.
func Of(p store.Print, laid *reel.Reel) (list []Paper, err error) {
	for _, one := range []struct {
		name string
		make func(store.Print, *reel.Reel) ([]byte, error)
	}{
		{"report.html", page}, {"report.pdf", reportPDF}, {"report.json", report}, {"cue-sheet.csv", cueSheet}, {"cue-sheet.pdf",
			cueSheetPDF},
		{"routing.csv", routing}, {"spec.yaml", spec}, {sums.Paper, adding}, {"manifest.sha256", manifest},
		{"ascmhl/0001_" + p.Plan.Folder() + ".mhl", hashList},
	} {
		text, err := one.make(p, laid)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", one.name, err)
		}
		list = append(list, Paper{one.name, text})
	}
	chained, err := chain(list[len(list)-1])
	return append(list, chained), err
}

func report(p store.Print, _ *reel.Reel) ([]byte, error) {
	return json.MarshalIndent(struct {
		*delivery.Report
		Desk *desk.Receipt `json:"desk"`
	}{p.Report, p.Receipt}, "", "  ")
}

func manifest(p store.Print, _ *reel.Reel) ([]byte, error) {
	var b strings.Builder
	for _, f := range p.Report.Files {
		fmt.Fprintf(&b, "%s  %s\n", f.SHA256, f.Name)
	}
	return []byte(b.String()), nil
}

// spec writes the spec as it was used.
func spec(p store.Print, _ *reel.Reel) ([]byte, error) {
	text, err := json.Marshal(p.Plan.Spec)
	if err != nil {
		return nil, err
	}
	var same any
	if err := yaml.Unmarshal(text, &same); err != nil { // JSON is YAML
		return nil, err
	}
	return yaml.Marshal(same)
}

// adding says what must add up among the groups, for whoever wants to prove it again.
func adding(p store.Print, _ *reel.Reel) ([]byte, error) { return sums.Write(p.Plan.Sums) }

// routing says what reaches each output channel, at which gain.
func routing(p store.Print, laid *reel.Reel) ([]byte, error) {
	routes, _ := weave.Look(laid)
	rows := [][]string{{"Output", "Group", "Channel", "Track", "Stem", "Gain dB", "Polarity", "By"}}
	for _, o := range laid.OutputList() {
		g := laid.Groups[o.Group]
		for _, t := range laid.TrackList() {
			i := slices.IndexFunc(routes, func(r weave.Route) bool { return r.Output == o.ID && r.Track == t.ID })
			if i < 0 {
				continue
			}
			polarity, by := "", "its stem"
			if routes[i].Invert {
				polarity = "turned"
			}
			if routes[i].Direct {
				by = "a knot of its own"
			}
			rows = append(rows, []string{fmt.Sprint(o.Number), g.Name, o.Label, t.Name, t.Stem, fmt.Sprintf("%.1f", routes[i].GainDB), polarity,
				by})
		}
	}
	return table(rows)
}

// cues gives a row for each clip that is heard in the print, in the order of the clock, under a heading.
func cues(p store.Print, laid *reel.Reel) (rows [][]string) {
	rows = append(rows, []string{"No.", "In", "Out", "Length", "Stem", "Track", "Cue", "Source in"})
	rate := laid.Head.FrameRate
	at := func(sample int64) string { return rate.LabelAt(sample, laid.Head.SampleRate) }
	heard := p.Plan.Heard(laid)
	for _, c := range laid.ClipList() {
		t := laid.Tracks[c.Track]
		if !heard[c.ID] {
			continue
		}
		length := rate.FrameAt(c.End(), laid.Head.SampleRate) - rate.FrameAt(c.Start, laid.Head.SampleRate)
		rows = append(rows, []string{fmt.Sprint(len(rows)), at(c.Start), at(c.End()), rate.Label(length), t.Stem, t.Name, c.Name,
			rate.Label(rate.FrameAt(c.Offset, laid.Head.SampleRate))})
	}
	return rows
}

func cueSheet(p store.Print, laid *reel.Reel) ([]byte, error) { return table(cues(p, laid)) }

// table writes rows as CSV.
func table(rows [][]string) ([]byte, error) {
	var b bytes.Buffer
	err := cells.Write(&b, rows)
	return b.Bytes(), err
}

// verdict says in a line whether it is right.
func verdict(p store.Print) (text string, right bool) {
	faults := 0
	for _, f := range p.Report.Findings {
		if f.Severity == contract.Error {
			faults++
		}
	}
	refused := 0
	if p.Receipt != nil {
		for _, f := range p.Receipt.Findings {
			if f.Severity == contract.Error {
				refused++
			}
		}
	}
	switch {
	case faults == 0 && refused == 0 && p.Receipt != nil:
		return "Accepted: everything is as the receiver asks", true
	case faults == 0 && p.Receipt == nil:
		return "Every check passed", true
	case refused > 0:
		return fmt.Sprintf("Refused at the desk: %d wrong", refused), false
	}
	return fmt.Sprintf("Found wanting: %d wrong", faults), false
}

// wrong gives what is not as it should be, the gravest first: what the desk says, else what the printer found.
func wrong(p store.Print) (list []contract.Finding) {
	found := p.Report.Findings
	if p.Receipt != nil {
		found = slices.Concat(p.Receipt.Findings, found)
	}
	for _, grave := range []contract.Severity{contract.Error, contract.Warning} {
		for _, f := range found {
			same := func(x contract.Finding) bool { return x.Rule == f.Rule && x.Message == f.Message }
			if f.Severity == grave && !slices.ContainsFunc(list, same) {
				list = append(list, f)
			}
		}
	}
	return list
}

// checked gives all that was compared.
func checked(p store.Print) []contract.Finding {
	if p.Receipt != nil {
		return p.Receipt.Findings
	}
	return p.Report.Findings
}

// groups gives what was measured of each group.
func groups(p store.Print) (list []desk.Measured) {
	if p.Receipt != nil {
		return p.Receipt.Groups
	}
	for _, g := range p.Report.Groups {
		list = append(list, desk.Measured{ID: g.ID, Name: g.Name, Measurement: g.Measurement})
	}
	return list
}
