package delivery

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/contract"
	"zestyloom/core/reel"
)

// Where a spec wants loudness measured where the dialogue is heard, it is measured there if the files have the dialogue by itself;
// else the limit is not met, whatever the loudness.
func TestLoudnessAnchoredToDialogue(t *testing.T) {
	p := ferry(t)
	s := spec(t, "streaming")
	s.Checks = nil
	anchored := func(s contract.Spec) contract.Finding {
		_, _, _, report := p.all(t, s, Asked{})
		at := slices.IndexFunc(report.Findings, func(f contract.Finding) bool {
			return f.Message == "Full mix stereo: loudness where the dialogue is heard"
		})
		require.GreaterOrEqual(t, at, 0)
		return report.Findings[at]
	}
	f := anchored(s)
	assert.Regexp(t, "^−[0-9.]+ LUFS$", f.Measured)
	assert.Equal(t, "−27.00 LUFS ±6", f.Limit)
	without := s
	without.Files = s.Files[:1]
	f = anchored(without)
	assert.Equal(t, contract.Error, f.Severity, "a value that can't be measured never passes")
	assert.Contains(t, f.Measured, "not measured")
}

// A limit of a group that no file has all of is not met, and neither is one of a value that so short a programme does not have; what
// is silent lies below every limit.
func TestWhatIsNotMeasuredIsNotMet(t *testing.T) {
	p := ferry(t)
	s := spec(t, "promo-kit")
	s.Files[0].Of = []string{"music"}
	s.Limits = []contract.Limit{{Of: []string{"dialogue"}, TruePeak: ptr(-1.0)}, {Of: []string{"music"}, TruePeak: ptr(-1.0),
		RangeMax: ptr(60.0), ShortTermMax: ptr(0.0)}}
	failed := func(asked Asked) (said []string) {
		_, _, _, report := p.all(t, s, asked)
		for _, f := range report.Findings {
			if f.Severity == contract.Error {
				said = append(said, f.Message)
			}
		}
		return said
	}
	assert.Equal(t, []string{"Dialogue is to be measured, and no file of reel has all of it"}, failed(Asked{}))
	s.Limits, s.Programme.Handles = s.Limits[1:], 0
	assert.Equal(t, []string{"Music: highest short-term loudness", "Music: loudness range"},
		failed(Asked{Range: []string{"10:00:01:00–10:00:02:00"}}), "a second has neither")
	for _, c := range p.reel.ClipList() {
		if c.Take == "bell" {
			do(t, p.reel, reel.MoveClips{Clips: []string{c.ID}, By: 5 * 48000})
		}
	}
	assert.Empty(t, failed(Asked{Range: []string{"10:00:05:01–10:00:06:01"}}), "behind the cue there is silence")
}
