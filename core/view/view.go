// Package view gives a reel as interfaces show it: its objects in their order, where they go, and what is wrong with them. The server and the page make
// it by this same code. Begin reading at Whole.
package view

import (
	"maps"
	"slices"

	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// Reel is a reel as it is shown: all of it, or what has changed since a revision.
type Reel struct {
	ID          string            `json:"id"`
	Production  string            `json:"production"`
	Name        string            `json:"name"`
	Revision    int64             `json:"revision"`
	Head        reel.Head         `json:"head"`
	End         int64             `json:"end"`
	Stems       []reel.Stem       `json:"stems"`
	Tracks      []reel.Track      `json:"tracks"`
	Clips       []reel.Clip       `json:"clips"`
	Groups      []reel.Group      `json:"groups"`
	Outputs     []reel.Output     `json:"outputs"`
	Knots       []reel.Knot       `json:"knots"`
	Marks       []reel.Mark       `json:"marks"`
	Mixes       []reel.Mix        `json:"mixes"`
	Buses       []reel.Bus        `json:"buses"`
	Chains      []reel.Chain      `json:"chains"`
	Corrections []reel.Correction `json:"corrections"`
	Speakers    []weave.Speaker   `json:"speakers"`
	Routes      []weave.Route     `json:"routes"`
	Findings    []weave.Finding   `json:"findings"`
	Adrift      []reel.Adrift     `json:"adrift"`
	Strays      []reel.Stray      `json:"strays"`
	Turns
	Since *Since `json:"since,omitempty"`
}

// Turns says what undo and redo would do for an author, and under which keys that was done; empty where there is nothing, or no key.
type Turns struct {
	Undo    string `json:"undo"`
	Redo    string `json:"redo"`
	UndoKey string `json:"undoKey"`
	RedoKey string `json:"redoKey"`
}

// Since says that a view has only what was made or changed after a revision, and what is gone. Routes, findings and outputs are those of the whole where
// Routed is set; else they have not changed and are left empty.
type Since struct {
	Revision int64 `json:"revision"`
	Routed   bool  `json:"routed"`
	Gone     Gone  `json:"gone"`
}

// Gone has the IDs of objects that are there no longer.
type Gone struct {
	Stems       []string `json:"stems"`
	Tracks      []string `json:"tracks"`
	Clips       []string `json:"clips"`
	Groups      []string `json:"groups"`
	Knots       []string `json:"knots"`
	Marks       []string `json:"marks"`
	Mixes       []string `json:"mixes"`
	Buses       []string `json:"buses"`
	Chains      []string `json:"chains"`
	Corrections []string `json:"corrections"`
}

// Of is what a view says of a reel besides what is in it.
type Of struct {
	ID, Production string
	Revision       int64
	Turns          Turns
}

func (o Of) begin(r *reel.Reel) Reel {
	return Reel{ID: o.ID, Production: o.Production, Name: r.Head.Name, Revision: o.Revision, Head: r.Head, End: r.End(), Speakers: weave.Speakers(r),
		Outputs: []reel.Output{}, Routes: []weave.Route{}, Findings: []weave.Finding{}, Adrift: r.Adrifts(), Strays: r.Strays(), Turns: o.Turns}
}

func (v *Reel) routed(r *reel.Reel) {
	v.Outputs = some(r.OutputList())
	v.Routes, v.Findings = weave.Look(r)
}

// Whole gives all of a reel.
func Whole(r *reel.Reel, of Of) Reel {
	v := of.begin(r)
	v.Stems, v.Tracks, v.Clips, v.Groups = some(r.StemList()), some(r.TrackList()), some(r.ClipList()), some(r.GroupList())
	v.Knots, v.Marks, v.Mixes, v.Buses = some(r.KnotList()), some(r.MarkList()), some(r.MixList()), some(r.BusList())
	v.Chains, v.Corrections = some(r.ChainList()), some(r.CorrectionList())
	v.routed(r)
	return v
}

// Part gives what of it changes after a revision have touched.
func Part(r *reel.Reel, of Of, revision int64, t reel.Touched) Reel {
	v := Objects(r, of, revision, t)
	if v.Since.Routed = Routes(t); v.Since.Routed {
		v.routed(r)
	}
	return v
}

// Routes tells whether changes may have changed where anything goes, which takes longer to find out than anything else of a view.
func Routes(t reel.Touched) bool {
	return len(t.Stems)+len(t.Tracks)+len(t.Groups)+len(t.Knots)+len(t.Mixes)+len(t.Buses)+len(t.Corrections)+len(t.Chains) > 0 || t.Head
}

// Routing gives where everything goes, and no objects.
func Routing(r *reel.Reel, of Of) Reel {
	v := Objects(r, of, of.Revision, reel.Touched{})
	v.Since.Routed = true
	v.routed(r)
	return v
}

// Objects is Part without where anything goes.
func Objects(r *reel.Reel, of Of, revision int64, t reel.Touched) Reel {
	v := of.begin(r)
	v.Since = &Since{Revision: revision}
	gone := &v.Since.Gone
	v.Stems, gone.Stems = changed(t.Stems, r.Stems)
	v.Tracks, gone.Tracks = changed(t.Tracks, r.Tracks)
	v.Clips, gone.Clips = changed(t.Clips, r.Clips)
	v.Groups, gone.Groups = changed(t.Groups, r.Groups)
	v.Knots, gone.Knots = changed(t.Knots, r.Knots)
	v.Marks, gone.Marks = changed(t.Marks, r.Marks)
	v.Mixes, gone.Mixes = changed(t.Mixes, r.Mixes)
	v.Buses, gone.Buses = changed(t.Buses, r.Buses)
	v.Chains, gone.Chains = changed(t.Chains, r.Chains)
	v.Corrections, gone.Corrections = changed(t.Corrections, r.Corrections)
	return v
}

// Opened makes the reel that a whole view is of.
func (v Reel) Opened() *reel.Reel {
	r := &reel.Reel{Head: v.Head}
	r = r.Clone() // with all its maps
	v.Into(r)
	return r
}

// Into puts what a view has into a reel, and takes out what is gone.
func (v Reel) Into(r *reel.Reel) {
	var gone Gone
	if v.Since != nil {
		gone = v.Since.Gone
	}
	r.Head = v.Head
	into(r.Stems, v.Stems, gone.Stems, func(x reel.Stem) string { return x.ID })
	into(r.Tracks, v.Tracks, gone.Tracks, func(x reel.Track) string { return x.ID })
	into(r.Clips, v.Clips, gone.Clips, func(x reel.Clip) string { return x.ID })
	into(r.Groups, v.Groups, gone.Groups, func(x reel.Group) string { return x.ID })
	into(r.Knots, v.Knots, gone.Knots, func(x reel.Knot) string { return x.ID })
	into(r.Marks, v.Marks, gone.Marks, func(x reel.Mark) string { return x.ID })
	into(r.Mixes, v.Mixes, gone.Mixes, func(x reel.Mix) string { return x.ID })
	into(r.Buses, v.Buses, gone.Buses, func(x reel.Bus) string { return x.ID })
	into(r.Chains, v.Chains, gone.Chains, func(x reel.Chain) string { return x.ID })
	into(r.Corrections, v.Corrections, gone.Corrections, func(x reel.Correction) string { return x.ID })
}

// Empty tells whether a view has nothing that was made, changed or taken away. The head does not count.
func (v Reel) Empty() bool {
	t := v.Touched(v.Head)
	return !Routes(t) && len(t.Clips)+len(t.Marks) == 0
}

// Touched names what a view has, and what is gone; was is the head of the reel before.
func (v Reel) Touched(was reel.Head) reel.Touched {
	var gone Gone
	if v.Since != nil {
		gone = v.Since.Gone
	}
	return reel.Touched{Head: was.Differs(v.Head),
		Stems:       touched(v.Stems, gone.Stems, func(x reel.Stem) string { return x.ID }),
		Tracks:      touched(v.Tracks, gone.Tracks, func(x reel.Track) string { return x.ID }),
		Clips:       touched(v.Clips, gone.Clips, func(x reel.Clip) string { return x.ID }),
		Groups:      touched(v.Groups, gone.Groups, func(x reel.Group) string { return x.ID }),
		Knots:       touched(v.Knots, gone.Knots, func(x reel.Knot) string { return x.ID }),
		Marks:       touched(v.Marks, gone.Marks, func(x reel.Mark) string { return x.ID }),
		Mixes:       touched(v.Mixes, gone.Mixes, func(x reel.Mix) string { return x.ID }),
		Buses:       touched(v.Buses, gone.Buses, func(x reel.Bus) string { return x.ID }),
		Chains:      touched(v.Chains, gone.Chains, func(x reel.Chain) string { return x.ID }),
		Corrections: touched(v.Corrections, gone.Corrections, func(x reel.Correction) string { return x.ID })}
}

func touched[T any](put []T, gone []string, id func(T) string) map[string]bool {
	names := map[string]bool{}
	for _, x := range gone {
		names[x] = true
	}
	for _, x := range put {
		names[id(x)] = true
	}
	return names
}

func into[T any](to map[string]T, put []T, gone []string, id func(T) string) {
	for _, x := range gone {
		delete(to, x)
	}
	for _, x := range put {
		to[id(x)] = x
	}
}

// changed sorts objects that were touched into those that are there and the IDs of those that are gone.
func changed[T any](touched map[string]bool, now map[string]T) (there []T, gone []string) {
	there, gone = []T{}, []string{}
	for _, id := range slices.Sorted(maps.Keys(touched)) {
		if x, ok := now[id]; ok {
			there = append(there, x)
		} else {
			gone = append(gone, id)
		}
	}
	return there, gone
}

// some makes an empty list of none, which JSON would write as null.
func some[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}
