package delivery

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/contract"
	"zestyloom/core/reel"
)

// A reel of every shipped spec, taken for one that has none, is printed as it is: the same groups, from the same, and the same bytes
// as by its spec.
func TestAnyReelIsPrintedAsItIs(t *testing.T) {
	specs, err := contract.Shipped()
	require.NoError(t, err)
	for _, s := range specs {
		p := crossing(t)
		lay, err := LayOut(s, p.reel)
		require.NoError(t, err, s.ID)
		do(t, p.reel, lay)
		p.reel.Head.Spec = ""
		asIs := AsIs(p.reel)
		require.Len(t, asIs.Groups, len(p.reel.Groups), s.ID)
		for i, g := range p.reel.GroupList() {
			labels, err := asIs.Groups[i].Labels()
			require.NoError(t, err, "%s %s", s.ID, g.Name)
			assert.Equal(t, g.Labels, labels, "%s %s", s.ID, g.Name)
		}
		again, err := lay2(asIs, p.reel)
		require.NoError(t, err, s.ID)
		for i, g := range p.reel.GroupList() {
			assert.Equal(t, g.Feed, again[i].Feed, "%s %s: said as a spec would, and laid out by it", s.ID, g.Name)
			assert.Equal(t, g.Silent, again[i].Silent, "%s %s", s.ID, g.Name)
		}
		for _, packed := range asIs.Packaging {
			plan, _, err := NewPlan("The Lantern Ferry", p.reel, asIs, Asked{Packaging: packed})
			require.NoError(t, err, s.ID)
			want := len(p.reel.Groups)
			if packed == contract.Interleaved {
				want = 1
			}
			assert.Len(t, plan.Files, want, s.ID)
			for _, f := range plan.Findings {
				assert.NotContains(t, []string{"naming", "stem", "laid-out", "packaging"}, f.Rule, "%s: %s", s.ID, f.Message)
			}
		}
	}
}

// lay2 lays a spec's groups out anew.
func lay2(s contract.Spec, r *reel.Reel) ([]reel.Group, error) {
	l, err := lay(s, r)
	if err != nil {
		return nil, err
	}
	return l.groups, nil
}

func TestPrintedAsItIs(t *testing.T) {
	p := crossing(t)
	do(t, p.reel, reel.SetGroup{Name: "Room", Layout: "stereo"})
	room := p.reel.GroupList()[0]
	do(t, p.reel, reel.SetKnots{Knots: []reel.Crosspoint{{Row: reel.StemRow, From: "MX", Channel: 0, Output: room.ID + "/L"},
		{Row: reel.StemRow, From: "MX", Channel: 1, Output: room.ID + "/R"}}})
	// A stem that a spec named once and that the reel has no more is nobody's lack here.
	room.Stems = []string{"ZX"}
	p.reel.Groups[room.ID] = room
	plan, r, dir, report := p.all(t, AsIs(p.reel), Asked{})
	assert.Equal(t, "The_Lantern_Ferry_Crossing_Room.wav", plan.Files[0].Name)
	assert.NotNil(t, r)
	assert.NotEmpty(t, dir)
	for _, f := range plan.Findings {
		assert.NotEqual(t, "stem", f.Rule, f.Message)
	}
	for _, f := range report.Findings {
		assert.NotEqual(t, contract.Error, f.Severity, f.Message)
	}
}

// No stems means that what is tied by hand feeds a group, and says so for ever: through YAML, JSON and a change of spec.
func TestAGroupThatIsTiedByHand(t *testing.T) {
	s, err := contract.Parse([]byte("spec: 2\nid: x\ntitle: X\ngroups:\n  - {id: a, name: A, tag: A, layout: stereo, from: {stems: []}}\n" +
		"files:\n  - {name: \"{reel}\", container: wave}\n"))
	require.NoError(t, err)
	text, err := json.Marshal(s)
	require.NoError(t, err)
	var again contract.Spec
	require.NoError(t, json.Unmarshal(text, &again))
	assert.Equal(t, s, again)
	p := crossing(t)
	lay, err := LayOut(s, p.reel)
	require.NoError(t, err)
	do(t, p.reel, lay)
	rules := func() (rules []string) {
		plan, _, err := NewPlan("The Lantern Ferry", p.reel, s, Asked{})
		require.NoError(t, err)
		for _, f := range plan.Findings {
			if f.Rule == "unfed" || f.Rule == "stem" {
				rules = append(rules, f.Rule)
			}
		}
		return rules
	}
	assert.Equal(t, []string{"unfed", "unfed"}, rules(), "nothing is tied yet")
	do(t, p.reel, reel.SetKnots{Knots: []reel.Crosspoint{{Row: reel.StemRow, From: "MX", Channel: 0, Output: "a/L"},
		{Row: reel.StemRow, From: "MX", Channel: 1, Output: "a/R"}}})
	assert.Empty(t, rules())
}
