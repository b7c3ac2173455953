package report

import (
	"encoding/csv"
	"errors"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"zestyloom/core/cells"
	"zestyloom/core/fault"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
)

// Line is one take of a sound report. Fields that the report does not have are empty.
type Line struct {
	Line    int // of the file, from 1
	File    string
	Roll    string
	Scene   string
	Take    string
	Circled *bool
	Note    string
	Date    string
	Start   string   // timecode
	Length  string   // hours:minutes:seconds
	Tracks  []string // names of the channels, in channel order; empty where a channel has none
}

// reportColumns are the ways in which the columns of reports are headed, lower case.
var reportColumns = map[string][]string{
	"file":    {"file", "file name", "filename", "name"},
	"roll":    {"roll", "tape", "reel", "sound roll", "card"},
	"scene":   {"scene"},
	"take":    {"take"},
	"circled": {"circled", "circle", "circled take", "print"},
	"note":    {"note", "notes", "comment", "comments", "remarks"},
	"date":    {"date", "recorded", "day"},
	"start":   {"start", "start tc", "start timecode", "timecode", "tc start", "start time"},
	"length":  {"length", "duration"},
}

var trackColumn = regexp.MustCompile(`^(?:track|trk|channel|ch|t)[ ._]*0*(\d{1,3})(?: name)?$`)

// What a report has at most: bytes, cells in a line, and cells in all. Each cell costs more memory than its text.
const (
	maxReport = 16 << 20
	maxRow    = 2_000
	maxCells  = 2_000_000
)

// Read reads a sound report: CSV with commas, semicolons or tabs, with a line of headings somewhere near its top.
// Errors are BadInput and say which line.
func Read(r io.Reader) ([]Line, error) {
	b, err := io.ReadAll(io.LimitReader(r, maxReport+1))
	if err != nil {
		return nil, err
	}
	if len(b) > maxReport {
		return nil, fault.New(fault.BadInput, "The report is larger than %d MB; that is no sound report", maxReport>>20)
	}
	text := strings.TrimPrefix(wave.FromBytes(b), "\ufeff")
	rows, lines, err := rowsOf(text)
	if err != nil {
		return nil, err
	}
	at, columns, tracks := headings(rows)
	if at < 0 {
		return nil, fault.New(fault.BadInput, "No line has headings such as Scene, Take and Note, so the report can't be read")
	}
	var report []Line
	for i, row := range rows[at+1:] {
		cell := func(name string) string {
			if c, ok := columns[name]; ok && c < len(row) {
				return cells.Alive(take.Clean(row[c]))
			}
			return ""
		}
		l := Line{Line: lines[at+1+i], File: cell("file"), Roll: cell("roll"), Scene: cell("scene"), Take: cell("take"), Note: cell("note"),
			Date: cell("date"), Start: cell("start"), Length: cell("length")}
		if _, ok := columns["circled"]; ok {
			circled := slices.Contains([]string{"yes", "y", "true", "1", "x", "*", "circled", "@"}, strings.ToLower(cell("circled")))
			l.Circled = &circled
		}
		for n, c := range tracks {
			if c >= 0 && c < len(row) && take.Clean(row[c]) != "" {
				for len(l.Tracks) <= n {
					l.Tracks = append(l.Tracks, "")
				}
				l.Tracks[n] = cells.Alive(take.Clean(row[c]))
			}
		}
		if l.File == "" && l.Scene == "" && l.Take == "" {
			continue // a blank line or a remark below the table
		}
		report = append(report, l)
	}
	return report, nil
}

// rowsOf splits the text into cells, and gives the line that each row begins on.
func rowsOf(text string) (rows [][]string, lines []int, err error) {
	head := text[:min(len(text), 4096)]
	comma := ','
	for _, c := range []rune{';', '\t'} {
		if strings.Count(head, string(c)) > strings.Count(head, string(comma)) {
			comma = c
		}
	}
	if err := countCells(text, comma); err != nil {
		return nil, nil, err
	}
	r := csv.NewReader(strings.NewReader(text))
	r.Comma, r.FieldsPerRecord, r.LazyQuotes = comma, -1, true
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return rows, lines, nil
		}
		if err != nil {
			var at *csv.ParseError
			line := 0
			if errors.As(err, &at) {
				line = at.Line
			}
			return nil, nil, fault.Wrap(fault.BadInput, err, "Line %d of the report is not CSV", line)
		}
		line, _ := r.FieldPos(0)
		rows, lines = append(rows, row), append(lines, line)
	}
}

// countCells refuses what has so many cells that it is no report, before they are taken apart.
func countCells(text string, comma rune) error {
	cells, line, row := 0, 1, 0
	for _, c := range text {
		switch c {
		case comma:
			cells, row = cells+1, row+1
		case '\n':
			cells, line, row = cells+1, line+1, 0
		}
		if row > maxRow {
			return fault.New(fault.BadInput, "Line %d of the report has more than %d cells; that is no sound report", line, maxRow)
		}
		if cells > maxCells {
			return fault.New(fault.BadInput, "The report has more than %d cells; that is no sound report", maxCells)
		}
	}
	return nil
}

// headings finds the line of headings: the first that names the take or the file, and something else.
func headings(rows [][]string) (at int, columns map[string]int, tracks []int) {
	for i, row := range rows[:min(len(rows), 100)] {
		columns, tracks = map[string]int{}, nil
		for c, cell := range row {
			heading := strings.ToLower(strings.TrimSpace(cell))
			for name, ways := range reportColumns {
				if _, have := columns[name]; !have && slices.Contains(ways, heading) {
					columns[name] = c
				}
			}
			if m := trackColumn.FindStringSubmatch(heading); m != nil {
				n, _ := strconv.Atoi(m[1])
				for len(tracks) < n {
					tracks = append(tracks, -1)
				}
				if n > 0 {
					tracks[n-1] = c
				}
			}
		}
		_, byTake := columns["take"]
		_, byFile := columns["file"]
		if (byTake || byFile) && len(columns)+len(tracks) >= 2 {
			return i, columns, tracks
		}
	}
	return -1, nil, nil
}

// Finds tells whether the line is about a take: by its file's name, else by scene and take, and roll where both have
// one.
func (l Line) Finds(d take.Description, fileName string) bool {
	if l.File != "" && stemOf(l.File) == stemOf(fileName) {
		return true
	}
	same := func(a, b string) bool { return strings.EqualFold(strings.TrimLeft(a, "0"), strings.TrimLeft(b, "0")) }
	return l.Scene != "" && l.Take != "" && same(l.Scene, d.Scene) && same(l.Take, d.Take) &&
		(l.Roll == "" || d.Roll == "" || strings.EqualFold(l.Roll, d.Roll))
}

func stemOf(file string) string {
	return strings.ToLower(take.Bare(file))
}

// Write writes a sound report as CSV, a line for each take, that ReadReport reads back.
func Write(to io.Writer, report []Line) error {
	widest := 0
	for _, l := range report {
		widest = max(widest, len(l.Tracks))
	}
	header := []string{"File", "Roll", "Scene", "Take", "Circled", "Note", "Date", "Start timecode", "Length"}
	for n := range widest {
		header = append(header, "Track "+strconv.Itoa(n+1))
	}
	rows := [][]string{header}
	for _, l := range report {
		circled := ""
		if l.Circled != nil && *l.Circled {
			circled = "yes"
		}
		row := []string{l.File, l.Roll, l.Scene, l.Take, circled, l.Note, l.Date, l.Start, l.Length}
		for n := range widest {
			name := ""
			if n < len(l.Tracks) {
				name = l.Tracks[n]
			}
			row = append(row, name)
		}
		rows = append(rows, row)
	}
	return cells.Write(to, rows)
}

// Of makes the line of a take.
func Of(d take.Description, fileName string) Line {
	circled := d.Circled
	l := Line{File: fileName, Roll: d.Roll, Scene: d.Scene, Take: d.Take, Circled: &circled, Note: d.Note, Date: d.Date, Tracks: d.Names()}
	if d.StartTimecode != nil {
		l.Start = *d.StartTimecode
	}
	l.Length = timecode.Clock(d.Frames, d.SampleRate)
	return l
}
