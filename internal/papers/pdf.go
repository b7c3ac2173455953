package papers

import (
	"bytes"
	"fmt"
	"strings"

	"github.com/go-pdf/fpdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"

	"zestyloom/core/contract"
	"zestyloom/core/desk"
	"zestyloom/core/reel"
	"zestyloom/internal/store"
)

// sheet is a PDF of A4 pages.
type sheet struct{ *fpdf.Fpdf }

// face is the family that sheets are set in, which goes into them: Latin, Greek and Cyrillic letters. What PDF readers have of
// their own is Latin alone.
const face = "Go"

func newSheet(p store.Print, orientation, title string) sheet {
	f := fpdf.New(orientation, "mm", "A4", "")
	s := sheet{f}
	f.AddUTF8FontFromBytes(face, "", goregular.TTF)
	f.AddUTF8FontFromBytes(face, "B", gobold.TTF)
	f.SetCreationDate(p.CreatedAt.UTC())
	f.SetModificationDate(p.CreatedAt.UTC())
	f.SetCatalogSort(true)
	f.SetTitle(title, true)
	f.SetProducer("Zesty Loom", true)
	f.SetMargins(16, 16, 16)
	f.SetAutoPageBreak(true, 16)
	f.SetFooterFunc(func() {
		f.SetY(-11)
		f.SetFont(face, "", 7.5)
		f.SetTextColor(110, 110, 120)
		f.CellFormat(0, 4, fmt.Sprintf("%s    page %d", p.Plan.Folder(), f.PageNo()), "", 0, "L", false, 0, "")
	})
	f.AddPage()
	return s
}

func (s sheet) bytes() ([]byte, error) {
	var b bytes.Buffer
	err := s.Output(&b)
	return b.Bytes(), err
}

func (s sheet) ink(of contract.Severity) {
	switch of {
	case contract.Error:
		s.SetTextColor(201, 42, 42)
	case contract.OK:
		s.SetTextColor(31, 111, 92)
	default:
		s.SetTextColor(34, 38, 58)
	}
}

func (s sheet) heading(text string) {
	s.Ln(3)
	s.SetFont(face, "B", 10.5)
	s.ink("")
	s.CellFormat(0, 6, text, "B", 1, "L", false, 0, "")
	s.Ln(1)
}

// row writes cells of widths, wrapping the text of each.
func (s sheet) row(size float64, widths []float64, cells []string, right int) {
	s.SetFont(face, "", size)
	line := size * 0.46
	most := 1
	var split [][]string
	for i, c := range cells {
		lines := s.SplitText(c, widths[i]-1.5)
		split = append(split, lines)
		most = max(most, len(lines))
	}
	_, height := s.GetPageSize()
	if s.GetY()+float64(most)*line > height-18 {
		s.AddPage()
	}
	x, y := s.GetX(), s.GetY()
	for i, lines := range split {
		align := "L"
		if i >= right {
			align = "R"
		}
		for k, l := range lines {
			s.SetXY(x, y+float64(k)*line)
			s.CellFormat(widths[i], line, l, "", 0, align, false, 0, "")
		}
		x += widths[i]
	}
	s.SetXY(16, y+float64(most)*line+0.8)
}

// reportPDF writes the report.
func reportPDF(p store.Print, _ *reel.Reel) ([]byte, error) {
	s := newSheet(p, "P", "Report, "+p.Plan.Folder())
	text, right := verdict(p)
	s.SetFont(face, "B", 17)
	if s.ink(contract.OK); !right {
		s.ink(contract.Error)
	}
	s.MultiCell(0, 8, text, "", "L", false)
	s.Ln(1)
	s.ink("")
	for _, row := range [][]string{
		{"Production", p.Plan.Production}, {"Reel", fmt.Sprintf("%s, from %s, lasting %s", p.Plan.Reel, p.Plan.StartTimecode, p.Plan.Duration)},
		{"Spec", strings.TrimSuffix(p.Plan.Spec.Title+" for "+p.Plan.Spec.Receiver, " for ")},
		{"Printed", p.CreatedAt.UTC().Format("2006-01-02 15:04 UTC")},
	} {
		s.row(9.5, []float64{28, 150}, row, 9)
	}
	if list := wrong(p); len(list) > 0 {
		s.heading("What to look at")
		s.findings(list)
	}
	s.heading("Files")
	for _, f := range files(p) {
		s.row(8.5, []float64{108, 50, 20}, []string{f.Name, f.What, f.Size}, 2)
		s.SetTextColor(110, 110, 120)
		s.row(6.5, []float64{178}, []string{"SHA-256 " + f.SHA256}, 9)
		s.ink("")
	}
	s.heading("Measured in the files")
	widths := []float64{52, 22, 18, 24, 24, 22, 16}
	s.row(8, widths, []string{"Group", "Integrated", "Range", "Short-term", "Momentary", "True peak", "PPM"}, 1)
	for _, g := range groups(p) {
		s.row(8.5, widths, append([]string{g.Name}, figures(g)...), 1)
	}
	for _, g := range groups(p) {
		s.drawing(g, target(p.Plan.Spec, g.ID))
	}
	s.heading("Checked")
	s.findings(checked(p))
	return s.bytes()
}

func (s sheet) findings(list []contract.Finding) {
	for _, f := range list {
		sign := map[contract.Severity]string{contract.OK: "ok", contract.Warning: "look", contract.Error: "wrong"}[f.Severity]
		where := f.File
		if f.Timecode != "" {
			where += ", at " + f.Timecode
		}
		limit := f.Limit
		if limit == f.Measured && limit != "" {
			limit = "as asked"
		}
		message := f.Message
		if where != "" {
			message += " (" + where + ")"
		}
		s.ink(f.Severity)
		if f.Severity == contract.OK {
			s.ink("")
		}
		s.row(7.5, []float64{12, 92, 37, 37}, []string{sign, message, f.Measured, limit}, 2)
	}
	s.ink("")
}

// drawing draws how a group ran: peaks as cloth, short-term loudness as a thread.
func (s sheet) drawing(g desk.Measured, target *float64) {
	if g.Peaks == nil || g.ShortTerm == nil || len(g.Peaks.Values) < 2 {
		return
	}
	const wide, high = 178.0, 20.0
	if _, page := s.GetPageSize(); s.GetY()+high+10 > page-18 {
		s.AddPage()
	}
	s.heading(g.Name + " over time: peaks (cloth, 0 to –60 dBFS), short-term loudness (line)")
	x, y := 16.0, s.GetY()
	at := func(i, n int) float64 { return x + wide*float64(i)/float64(max(1, n-1)) }
	level := func(dB float64) float64 { return y + height(dB)/84*high }
	points := []fpdf.PointType{{X: x, Y: y + high}}
	for i, v := range g.Peaks.Values {
		top := y + high
		if v != nil {
			top = level(*v)
		}
		points = append(points, fpdf.PointType{X: at(i, len(g.Peaks.Values)), Y: top})
	}
	s.SetFillColor(240, 214, 160)
	s.Polygon(append(points, fpdf.PointType{X: x + wide, Y: y + high}), "F")
	s.SetLineWidth(0.25)
	s.SetDrawColor(34, 38, 58)
	values := g.ShortTerm.Values
	for i := 1; i < len(values); i++ {
		if values[i-1] != nil && values[i] != nil {
			s.Line(at(i-1, len(values)), level(*values[i-1]), at(i, len(values)), level(*values[i]))
		}
	}
	if target != nil {
		s.SetDrawColor(31, 111, 92)
		s.SetDashPattern([]float64{1.5, 1}, 0)
		s.Line(x, level(*target), x+wide, level(*target))
		s.SetDashPattern(nil, 0)
	}
	s.SetDrawColor(0, 0, 0)
	s.SetXY(16, y+high+2)
}

// cueSheetPDF writes the cue sheet.
func cueSheetPDF(p store.Print, laid *reel.Reel) ([]byte, error) {
	s := newSheet(p, "L", "Cue sheet, "+p.Plan.Folder())
	s.SetFont(face, "B", 14)
	s.ink("")
	s.CellFormat(0, 8, fmt.Sprintf("Cue sheet: %s, %s", p.Plan.Production, p.Plan.Reel), "", 1, "L", false, 0, "")
	for i, row := range cues(p, laid) {
		if i == 0 {
			s.SetTextColor(110, 110, 120)
		}
		s.row(8, []float64{12, 26, 26, 26, 14, 50, 85, 26}, row, 9)
		s.ink("")
	}
	return s.bytes()
}
