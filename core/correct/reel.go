package correct

import (
	"context"

	"zestyloom/core/fault"
	"zestyloom/core/gauge"
	"zestyloom/core/loudness"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// Group is an output group that is to be corrected.
type Group struct {
	Of       string
	Groups   []string // all that the correction acts on; nil for Of and its parts
	To       reel.Target
	Ride     []reel.Point // over samples of the reel, that somebody has drawn; nil where it is worked out
	Dialogue string       // stem that tells where dialogue is heard; empty where there is none
}

// OnReel works out the correction of an output group of a reel. Nothing is changed: the command does that.
func OnReel(ctx context.Context, r *reel.Reel, g Group, a gauge.Asked) (reel.SetCorrection, Result, error) {
	command := reel.SetCorrection{Of: g.Of, Groups: g.Groups, To: g.To}
	if _, there := r.Groups[g.Of]; !there {
		return command, Result{}, fault.New(fault.NotFound, "There is no output group %q on this reel", g.Of)
	}
	if g.Groups == nil {
		parts, err := weave.Parts(r, g.Of)
		if err != nil {
			return command, Result{}, err
		}
		command.Groups = append([]string{g.Of}, parts...)
	}
	bare := r.Uncorrected(g.Of)
	start := r.Head.Start
	row := weave.NodeID{Row: reel.GroupRow, ID: g.Of}
	rows, dialogue := []weave.NodeID{row}, weave.NodeID{Row: reel.StemRow, ID: g.Dialogue}
	if g.To.Dialogue {
		if _, there := r.Stems[g.Dialogue]; !there {
			return command, Result{}, fault.New(fault.BadInput, "%s measures loudness where the dialogue is heard, and the reel has no stem of dialogue", g.To.Title)
		}
		rows = append(rows, dialogue)
	}
	keeper := &gauge.Gauge{}
	share := a.Progress
	measure := func(of *reel.Reel) (loudness.Row, *loudness.Whole, error) {
		asked := a
		asked.Rows = rows
		if _, err := keeper.Measure(ctx, of, asked); err != nil {
			return loudness.Row{}, nil, err
		}
		measured, _ := keeper.Row(row)
		spoken, _ := keeper.Row(dialogue)
		return measured, measured.Whole(0, measured.Hops(), spoken), nil
	}
	// How often it will be measured is not known; mostly it is two or three times.
	pass := 0.0
	if share != nil {
		a.Progress = func(x float64) { share(1 - 1/(1+(pass+x)*0.6)) }
	}
	measured, before, err := measure(bare)
	if err != nil {
		return command, Result{}, err
	}
	result, err := To(ctx, measured, before, g.To, moved(g.Ride, -start), func(_ context.Context, c Curves) (*loudness.Whole, error) {
		pass++
		tried := bare.Clone()
		tried.Corrections[reel.CorrectionID(g.Of)] = reel.Correction{ID: reel.CorrectionID(g.Of), Of: g.Of, Groups: []string{g.Of},
			GainDB: c.GainDB,
			Ride:   moved(c.Ride, start), Limit: moved(c.Limit, start)}
		_, after, err := measure(tried)
		return after, err
	})
	if err != nil {
		return command, result, err
	}
	command.GainDB, command.Ride, command.Limit = result.GainDB, moved(result.Ride, start), moved(result.Limit, start)
	if a, b := result.After.IntegratedLUFS, result.Before.IntegratedLUFS; a != nil && b != nil {
		command.MatchDB = *a - *b
	}
	command.Before = &reel.Levels{Integrated: loudnessOf(result.Before, g.To), TruePeak: result.Before.TruePeakMaxDBTP,
		ShortTermMax: result.Before.ShortTermMaxLUFS,
		MomentaryMax: result.Before.MomentaryMaxLUFS, PPMMax: result.Before.PPMMax, Range: result.Before.LoudnessRangeLU}
	command.Basis, err = gauge.Basis(r, g.Of, a.Sound)
	return command, result, err
}

// moved gives points at other places.
func moved(points []reel.Point, by int64) []reel.Point {
	var out []reel.Point
	for _, p := range points {
		out = append(out, reel.Point{At: p.At + by, Value: p.Value})
	}
	return out
}
