// Package cells writes tables as comma-separated values (RFC 4180) that a spreadsheet takes for what they are.
//
// In: rows of texts. Out: CSV in which no text is a formula. Begin reading at Inert.
package cells

import (
	"encoding/csv"
	"io"
	"strconv"
	"strings"
)

// formula is what makes a cell a formula, or what some programs skip before they look for one.
const formula = "=+-@\t\r"

// Inert gives a cell that no program takes for a formula: one that would be begins with an apostrophe. Numbers stay numbers.
func Inert(cell string) string {
	if cell == "" || !strings.Contains(formula, cell[:1]) {
		return cell
	}
	if _, err := strconv.ParseFloat(cell, 64); err == nil && cell[0] == '-' {
		return cell
	}
	return "'" + cell
}

// Alive takes Inert back.
func Alive(cell string) string {
	if rest, quoted := strings.CutPrefix(cell, "'"); quoted && rest != "" && Inert(rest) != rest {
		return rest
	}
	return cell
}

// Write writes rows, with every cell made inert.
func Write(to io.Writer, rows [][]string) error {
	w := csv.NewWriter(to)
	for _, row := range rows {
		safe := make([]string, len(row))
		for i, cell := range row {
			safe[i] = Inert(cell)
		}
		_ = w.Write(safe) // Error tells
	}
	w.Flush()
	return w.Error()
}
