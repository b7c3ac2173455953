package jobs

import (
	"context"
	"encoding/json"

	"zestyloom/core/correct"
	"zestyloom/core/fault"
	"zestyloom/core/gauge"
	"zestyloom/core/reel"
	"zestyloom/internal/analysis"
	"zestyloom/internal/store"
)

type correctArgs struct {
	Reel   string       `json:"reel"`
	Author string       `json:"author"`
	Of     string       `json:"of"`
	Groups []string     `json:"groups"` // nil for the group and its parts
	To     reel.Target  `json:"to"`
	Ride   []reel.Point `json:"ride"` // that somebody has drawn; nil where it is worked out
}

// Correct queues the correction of an output group.
func (r *Runner) Correct(ctx context.Context, o store.OpenReel, author, of string, groups []string, to reel.Target,
	ride []reel.Point) (string, error) {
	g, there := o.Reel.Groups[of]
	if !there {
		return "", fault.New(fault.NotFound, "There is no output group %q on this reel", of)
	}
	if !to.Asks() {
		return "", fault.New(fault.BadInput, "Nothing is asked of %s; choose a spec or a profile that does", g.Name)
	}
	if _, err := reel.Try(o.Reel, reel.SetCorrection{Of: of, Groups: groups}, nil); err != nil { // it names no takes
		return "", err
	}
	return r.add(ctx, o.Production, "correct", "Correct "+g.Name, correctArgs{o.ID, author, of, groups, to, ride}, nil)
}

// correct works a correction out and makes it a step of the reel. To do so twice changes nothing more.
func (a *attempt) correct(ctx context.Context) (end store.End, err error) {
	var args correctArgs
	if err := json.Unmarshal(a.Args, &args); err != nil {
		return end, err
	}
	o, err := a.Store.Reel(ctx, args.Reel)
	if err != nil {
		return end, err
	}
	session := a.Library.Session(ctx)
	defer session.Close()
	command, result, err := correct.OnReel(ctx, o.Reel, correct.Group{Of: args.Of, Groups: args.Groups, To: args.To, Ride: args.Ride,
		Dialogue: analysis.Dialogue.ID},
		gauge.Asked{Sound: session.Sound, Open: session.Open, Progress: a.progress(ctx, 0, 1)})
	if err != nil {
		return end, err
	}
	err = persist(ctx, func() error {
		_, err := a.Store.DoUnder(ctx, a.claim, args.Reel, o.Revision, args.Author, func(*reel.Reel) (reel.Command, error) {
			return command,
				nil
		})
		return err
	})
	if len(result.Missed) > 0 {
		return said("%s", result.Missed[0]), err
	}
	return said("Brought there by %+.1f dB", result.GainDB), err
}
