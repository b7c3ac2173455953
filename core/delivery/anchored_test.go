package delivery

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Where a spec wants loudness measured where the dialogue is heard, it is measured there if the files have the dialogue by itself;
// else the limit is not met, whatever the loudness.
func TestLoudnessAnchoredToDialogue(t *testing.T) {
	p := ferry(t)
	s := spec(t, "streaming")
	s.Checks = nil
	anchored := func(s Spec) Finding {
		_, _, _, report := p.all(t, s, Asked{})
		at := slices.IndexFunc(report.Findings, func(f Finding) bool { return f.Message == "Full mix stereo: loudness where the dialogue is heard" })
		require.GreaterOrEqual(t, at, 0)
		return report.Findings[at]
	}
	f := anchored(s)
	assert.Regexp(t, "^−[0-9.]+ LUFS$", f.Measured)
	assert.Equal(t, "−27.00 LUFS ±6", f.Limit)
	without := s
	without.Files = s.Files[:1]
	f = anchored(without)
	assert.Equal(t, Error, f.Severity, "a value that can't be measured never passes")
	assert.Contains(t, f.Measured, "not measured")
}
