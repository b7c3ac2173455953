package ahead

import (
	"encoding/json"

	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/view"
)

// Reels are those that a page, or all pages of a browser, have open. They are asked in JSON.
type Reels map[string]*Reel

// Question is what is asked of one of them: exactly one of what follows its ID.
type Question struct {
	Reel    string                   `json:"reel"`
	Open    *view.Reel               `json:"open,omitempty"` // begins with this, whatever was there
	Know    map[string]reel.TakeInfo `json:"know,omitempty"`
	Do      *Edit                    `json:"do,omitempty"`
	Follow  *view.Reel               `json:"follow,omitempty"`
	Key     string                   `json:"key,omitempty"` // of the edit that Follow answers
	Refuse  string                   `json:"refuse,omitempty"`
	Whole   bool                     `json:"whole,omitempty"`
	Routing bool                     `json:"routing,omitempty"`
	Close   bool                     `json:"close,omitempty"`
}

// Answer is what becomes of it.
type Answer struct {
	View *view.Reel `json:"view,omitempty"`
	// Routes says that where anything goes may have changed by it, which View leaves out: ask for Routing once there is time.
	Routes bool `json:"routes,omitempty"`
	// Of what was to be done, as in Planned.
	Name  string `json:"name,omitempty"`
	Shown bool   `json:"shown,omitempty"`
	Of    string `json:"of,omitempty"`
	// Why nothing came of it, and of what kind that is. Gap is for a view that does not fit.
	Sentence string     `json:"sentence,omitempty"`
	Kind     fault.Kind `json:"kind,omitempty"`
	Gap      bool       `json:"gap,omitempty"`
	Same     bool       `json:"same,omitempty"` // what the server says is what is shown already
}

func refused(err error) Answer {
	a := Answer{Sentence: fault.Sentence(err), Kind: fault.KindOf(err), Gap: err == ErrGap}
	if a.Kind == "" {
		a.Kind = fault.Damaged
	}
	return a
}

// Ask answers a question.
func (all Reels) Ask(text []byte) []byte {
	var q Question
	var a Answer
	if err := json.Unmarshal(text, &q); err != nil {
		a = refused(fault.Wrap(fault.BadInput, err, "The question can't be read"))
	} else {
		a = all.answer(q)
	}
	out, err := json.Marshal(a)
	if err != nil {
		out, _ = json.Marshal(refused(err))
	}
	return out
}

func (all Reels) answer(q Question) Answer {
	if q.Open != nil {
		all[q.Reel] = Open(*q.Open)
		return Answer{}
	}
	r := all[q.Reel]
	if r == nil {
		return refused(fault.New(fault.NotFound, "This reel is not open here"))
	}
	shown := func(v view.Reel) Answer {
		a := Answer{View: &v}
		if v.Since != nil {
			a.Routes, v.Since.Routed = v.Since.Routed, false
		}
		return a
	}
	switch {
	case q.Know != nil:
		r.Know(q.Know)
	case q.Do != nil:
		did, err := r.Do(*q.Do)
		if err != nil {
			return refused(err)
		}
		a := shown(did.View)
		a.Name, a.Shown, a.Of = did.Name, did.Shown, did.Of
		return a
	case q.Follow != nil:
		v, err := r.Follow(*q.Follow, q.Key)
		if err != nil {
			return refused(err)
		}
		a := shown(v)
		a.Same = !a.Routes && v.Since != nil && v.Empty()
		return a
	case q.Refuse != "":
		return shown(r.Refuse(q.Refuse))
	case q.Whole:
		return shown(r.Whole())
	case q.Routing:
		v := r.Routing()
		return Answer{View: &v}
	case q.Close:
		delete(all, q.Reel)
	}
	return Answer{}
}
