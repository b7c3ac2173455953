package contract

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"zestyloom/core/fault"
	"zestyloom/core/unravel"
)

// tokens are what may stand in braces in a file name, and whether it is for a file for each group or channel alone.
var tokens = map[string]bool{
	"production": false, "reel": false, "spec": false, "version": false, "date": false, "rate": false, "range": false,
	"group": true, "tag": true, "layout": true, "channel": true, "number": true, "language": true,
}

var braced = regexp.MustCompile(`\{([^{}]*)\}`)

func checkTokens(name string) error {
	for _, m := range braced.FindAllStringSubmatch(name, -1) {
		if _, known := tokens[m[1]]; !known {
			return fault.New(fault.BadInput, "{%s} is nothing that a name can be filled in with", m[1])
		}
	}
	if rest := braced.ReplaceAllString(name, ""); strings.ContainsAny(rest, "{}") {
		return fault.New(fault.BadInput, "a brace stands alone in the name")
	}
	return nil
}

// Filled fills a name in. What is filled in is made safe and cut first, so that no name can leave its folder and what tells
// files apart is never lost.
func Filled(name string, with map[string]string) string {
	safe := map[string]string{}
	for token, text := range with {
		safe[token] = unravel.FileSafeTo(text, 40)
	}
	return Spelled(name, safe)
}

// Spelled fills a text in as it is.
func Spelled(text string, with map[string]string) string {
	return braced.ReplaceAllStringFunc(text, func(token string) string { return with[strings.Trim(token, "{}")] })
}

// Example fills a name in as it would be for the first file of a made-up reel, for who writes it.
func (f File) Example(s Spec) (string, error) {
	if err := checkTokens(f.Name); err != nil {
		return "", err
	}
	with := map[string]string{"production": "The Lantern Ferry", "reel": "Reel 1", "spec": s.ID, "version": "1", "date": "2026-01-02",
		"rate": "48k", "range": "reel"}
	i := slices.IndexFunc(s.Groups, func(g Group) bool { return len(f.Of) == 0 || g.ID == f.Of[0] })
	if i >= 0 {
		g := s.Groups[i]
		labels, _ := g.Labels()
		with["group"], with["tag"], with["layout"], with["language"], with["number"] = g.Name, g.Tag, g.Layout, g.Language, "1"
		if len(labels) > 0 {
			with["channel"] = labels[0]
		}
	}
	return unravel.FileSafeTo(Filled(f.Name, with), 200) + "." + containers[f.Container].Extension, nil
}

// KHz writes a rate as file names do: 48k, 44.1k.
func KHz(rate int) string {
	return strings.TrimSuffix(strings.TrimRight(fmt.Sprintf("%.1f", float64(rate)/1000), "0"), ".") + "k"
}
