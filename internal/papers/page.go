package papers

import (
	"bytes"
	_ "embed"
	"fmt"
	"html/template"
	"math"
	"strings"

	"zestyloom/core/contract"
	"zestyloom/core/delivery"
	"zestyloom/core/desk"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/internal/store"
)

//go:embed page.html
var pageText string

var pageTemplate = template.Must(template.New("page").Parse(pageText))

// shownFile is a file with what it is, in words.
type shownFile struct {
	delivery.DeliveredFile
	What string
	Size string
}

// shownGroup is a group with its figures, and how it ran as paths of 1000 × 84.
type shownGroup struct {
	Name                  string
	Figures               []string
	Cloth, Thread, Target string
}

// page writes the report as a page that needs nothing else.
func page(p store.Print, _ *reel.Reel) ([]byte, error) {
	text, right := verdict(p)
	var b bytes.Buffer
	err := pageTemplate.Execute(&b, struct {
		Plan     delivery.Plan
		Verdict  string
		Right    bool
		When     string
		Revision int64
		Wrong    []contract.Finding
		Files    []shownFile
		Groups   []shownGroup
		Checked  []contract.Finding
	}{p.Plan, text, right, p.CreatedAt.UTC().Format("2006-01-02 15:04 UTC"), p.Revision, wrong(p), files(p), shown(p), checked(p)})
	return b.Bytes(), err
}

func files(p store.Print) (list []shownFile) {
	for _, f := range p.Report.Files {
		one := shownFile{DeliveredFile: f, Size: fmt.Sprintf("%.1f MB", float64(f.Size)/1e6)}
		for _, planned := range p.Plan.Files {
			if planned.Name == f.Name {
				one.What = what(planned)
			}
		}
		list = append(list, one)
	}
	return list
}

// what says what a file is: container, channels, rate and bits.
func what(f delivery.PlannedFile) string {
	words := []string{strings.ToUpper(string(f.Container)), fmt.Sprintf("%d ch", len(f.Channels))}
	if len(f.Streams) > 1 {
		words[1] = fmt.Sprintf("%d ch in %d streams", len(f.Channels), len(f.Streams))
	}
	bits := fmt.Sprintf("%d bit", f.Depth)
	if f.Depth == 32 {
		bits += " float"
	}
	words = append(words, contract.KHz(f.Rate)+"Hz", bits)
	if f.Picture {
		words = append(words, "with picture")
	}
	return strings.Join(words, ", ")
}

func shown(p store.Print) (list []shownGroup) {
	for _, g := range groups(p) {
		one := shownGroup{Name: g.Name, Figures: figures(g)}
		if g.Peaks != nil && g.ShortTerm != nil {
			one.Cloth, one.Thread = cloth(g.Peaks), thread(g.ShortTerm)
			if l := target(p.Plan.Spec, g.ID); l != nil {
				one.Target = fmt.Sprintf("M0 %.1fH1000", height(*l))
			}
		}
		list = append(list, one)
	}
	return list
}

// figures are those of a group, in the order of the table.
func figures(g desk.Measured) (list []string) {
	for _, f := range []struct {
		x    *float64
		unit string
	}{{g.IntegratedLUFS, "LUFS"}, {g.LoudnessRangeLU, "LU"}, {g.ShortTermMaxLUFS, "LUFS"}, {g.MomentaryMaxLUFS, "LUFS"}, {g.TruePeakMaxDBTP,
		"dBTP"}, {g.PPMMax, ""}} {
		if f.x == nil {
			list = append(list, "—")
			continue
		}
		list = append(list, strings.TrimSpace(strings.Replace(fmt.Sprintf("%.1f %s", *f.x, f.unit), "-", "−", 1)))
	}
	return list
}

// target is the loudness that a spec asks of a group; nil where it asks for none.
func target(s contract.Spec, group string) *float64 {
	for _, l := range s.Limits {
		if l.For(group) && l.Whole().Integrated != nil {
			return l.Whole().Integrated
		}
	}
	return nil
}

// height is where a level in dB stands: −60 at the foot of 84, 0 at its top.
func height(dB float64) float64 { return 84 * math.Max(0, math.Min(1, -dB/60)) }

// cloth draws peaks up from the foot.
func cloth(c *loudness.Curve) string {
	var b strings.Builder
	b.WriteString("M0 84")
	for i, v := range c.Values {
		y := 84.0
		if v != nil {
			y = height(*v)
		}
		fmt.Fprintf(&b, "L%.1f %.1f", 1000*float64(i)/float64(max(1, len(c.Values)-1)), y)
	}
	b.WriteString("L1000 84Z")
	return b.String()
}

// thread draws a line that is broken where there is no value.
func thread(c *loudness.Curve) string {
	var b strings.Builder
	on := false
	for i, v := range c.Values {
		if v == nil {
			on = false
			continue
		}
		fmt.Fprintf(&b, "%s%.1f %.1f", map[bool]string{true: "L", false: "M"}[on], 1000*float64(i)/float64(max(1, len(c.Values)-1)), height(*v))
		on = true
	}
	return b.String()
}
