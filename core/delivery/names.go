package delivery

import (
	"fmt"
	"regexp"
	"strings"

	"zestyloom/core/contract"
)

// reserved are names that some file systems keep to themselves.
var reserved = regexp.MustCompile(`(?i)^(con|prn|aux|nul|com\d|lpt\d)(\.|$)`)

// names finds what of the plan's names no file system, or no receiver, takes.
func (p *Plan) names() {
	seen := map[string]string{}
	for _, f := range p.Files {
		folded := strings.ToLower(f.Name) // file systems that don't tell capitals apart
		if other, twice := seen[folded]; twice {
			p.add(contract.Error, "naming", "Two files would be called %s; the spec's naming does not tell its groups apart", other)
		}
		seen[folded] = f.Name
		if reserved.MatchString(f.Name) {
			p.add(contract.Error, "naming", "%s is a name that some file systems keep to themselves", f.Name)
		}
	}
}

// speechless says what of a planned file its container has no words for. Nothing of the sound is lost by it.
func (f PlannedFile) speechless() (said []string) {
	c := contract.Holds(f.Container)
	for _, s := range f.Streams {
		if len(s.Channels) > c.Most {
			said = append(said, fmt.Sprintf("%s holds %d channels in a stream, and %q has %d", f.Container, c.Most, s.Title, len(s.Channels)))
		}
		if s.Title != "" && c.Movie && !c.Titles {
			said = append(said, fmt.Sprintf("%s has no place for the title %q", f.Container, s.Title))
		}
		if s.Language != "" && c.Movie && !c.Languages {
			said = append(said, fmt.Sprintf("%s has no place for the language %s", f.Container, s.Language))
		}
		if labels := s.labels(); !c.Orders && len(labels) > 1 && contract.Standard(labels) == "" {
			said = append(said, fmt.Sprintf("%s can't say that the channels of %q are %v; they stand there by number", f.Container, s.Title, labels))
		}
	}
	if !c.Stamp && !c.Timecode {
		said = append(said, fmt.Sprintf("%s has no time stamp", f.Container))
	}
	return said
}
