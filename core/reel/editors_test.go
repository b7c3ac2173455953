package reel

import (
	"fmt"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
)

// whole checks, by looking everything up, that nothing refers to something that is gone.
func whole(t *testing.T, r *Reel, did string) {
	for _, c := range r.Clips {
		require.Contains(t, r.Tracks, c.Track, did)
	}
	for _, tr := range r.Tracks {
		for _, stem := range []string{tr.Stem, tr.Second} {
			if stem != "" {
				require.Contains(t, r.Stems, stem, did)
			}
		}
	}
	there := func(row Row, id string) bool {
		stem, _ := StemOf(id)
		return map[Row]bool{TrackRow: r.Tracks[id].ID != "", StemRow: r.Stems[id].ID != "", StrandRow: r.Stems[stem].ID != "",
			MixRow: r.Mixes[id].ID != "", GroupRow: r.Groups[id].ID != ""}[row]
	}
	outputs := map[string]bool{}
	for _, o := range r.OutputList() {
		outputs[o.ID] = true
	}
	for _, k := range r.Knots {
		require.True(t, outputs[k.Output], "%s: a knot on output %s", did, k.Output)
		require.True(t, there(k.Row, k.From), "%s: a knot from %s %s", did, k.Row, k.From)
		require.Less(t, k.Channel, len(r.RowLabels(k.Row, k.From)), did)
	}
	for _, m := range r.Mixes {
		for _, term := range m.Terms {
			require.True(t, there(term.Row, term.From), "%s: %s takes %s %s", did, m.Name, term.Row, term.From)
		}
	}
	for _, g := range r.Groups {
		if g.Feed != nil {
			require.True(t, there(g.Feed.Row, g.Feed.From), "%s: %s is fed by %s %s", did, g.Name, g.Feed.Row, g.Feed.From)
		}
		seen := map[string]bool{}
		for at := g; at.Feed != nil && at.Feed.Row == GroupRow; at = r.Groups[at.Feed.From] {
			require.False(t, seen[at.ID], "%s: %s is fed by itself", did, g.Name)
			seen[at.ID] = true
		}
	}
}

// Two editors work on one reel at once, each from what it saw a few edits ago, and take their own steps back and bring them
// again. Whatever is merged and whatever is refused: nothing ever refers to something that is gone.
func TestTwoEditorsLeaveNothingDangling(t *testing.T) {
	type step struct {
		author string
		change Change
		undone bool
	}
	did := map[string]int{}
	for seed := range int64(60) {
		rnd := rand.New(rand.NewSource(seed))
		r := ferry()
		var log []step     // what was done, in order
		var after []Change // every change that was made, undos too
		make1 := func(c Change, seen int) error {
			for _, later := range after[seen:] {
				if c.Meets(later) {
					return fault.New(fault.Stale, "it meets another")
				}
			}
			if err := r.Apply(c); err != nil {
				return err
			}
			after = append(after, c)
			return nil
		}
		for range 120 {
			author := []string{"Ines", "Tobiah"}[rnd.Intn(2)]
			seen := max(0, len(after)-rnd.Intn(6))
			what := "do"
			if n := rnd.Intn(4); n == 0 {
				what = "undo"
			} else if n == 1 {
				what = "redo"
			}
			var err error
			switch what {
			case "do":
				kind, c := randomCommand(rnd, r)
				change, _, planned := c.Plan(r, shelf{})
				if err = planned; err == nil {
					err = make1(change, seen)
				}
				if what = kind; err == nil {
					log = append(log, step{author: author, change: change})
				}
			default: // undo and redo are refused by the reel's rules alone
				for i := range log {
					at := i
					if what == "undo" {
						at = len(log) - 1 - i
					}
					if s := &log[at]; s.author == author && s.undone == (what == "redo") {
						change := s.change
						if what == "undo" {
							change = change.Inverse()
						}
						if err = make1(change, len(after)); err == nil {
							s.undone = !s.undone
							did[what]++
						}
						break
					}
				}
			}
			if err != nil {
				require.NotEmpty(t, fault.KindOf(err), "%s: %v", what, err)
				did[fmt.Sprint("refused ", fault.KindOf(err))]++
			}
			whole(t, r, fmt.Sprintf("seed %d, %s by %s", seed, what, author))
		}
	}
	assert.Greater(t, did["undo"], 300)
	assert.Greater(t, did["redo"], 100)
	assert.Greater(t, did["refused stale"], 100)
}
