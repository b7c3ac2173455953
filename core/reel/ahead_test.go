package reel_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math/rand"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/ahead"
	"zestyloom/core/reel"
	"zestyloom/core/view"
)

// server is as little of the server as a page needs: it plans edits on the reel as it is there.
type server struct {
	reel  *reel.Reel
	known reel.Known
	log   []entry
}

type entry struct {
	author, key, name string
	change            reel.Change
	undone, turn      bool
}

func (s *server) turns(author string) (t view.Turns) {
	for _, e := range s.log {
		switch {
		case e.author != author || e.turn:
		case !e.undone:
			t.Undo, t.UndoKey = e.name, e.key
		case t.Redo == "":
			t.Redo, t.RedoKey = e.name, e.key
		}
	}
	return t
}

// since answers as the server does, in JSON and back.
func (s *server) since(t *testing.T, author string, revision int64) (v view.Reel) {
	of := view.Of{ID: "r", Production: "p", Revision: int64(len(s.log)), Turns: s.turns(author)}
	all := view.Whole(s.reel, of)
	if revision >= 0 {
		var changes []reel.Change
		for _, e := range s.log[revision:] {
			changes = append(changes, e.change)
		}
		all = view.Part(s.reel, of, revision, reel.TouchedBy(changes...))
	}
	text, err := json.Marshal(all)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(text, &v))
	return v
}

// do makes an edit, or tells why not.
func (s *server) do(author string, e ahead.Edit, of string) error {
	d := entry{author: author, key: e.Key}
	switch e.Kind {
	case ahead.Command:
		var sent reel.Sent
		if err := json.Unmarshal(e.Body, &sent); err != nil {
			return err
		}
		c, err := sent.Decode()
		if err != nil {
			return err
		}
		if d.change, d.name, err = c.Plan(s.reel.Under(e.Key), s.known); err != nil || d.change.Empty() {
			return err
		}
	default:
		i := slices.IndexFunc(s.log, func(l entry) bool { return l.key == of && !l.turn })
		if i < 0 || s.log[i].undone == (e.Kind == ahead.Undo) {
			return fmt.Errorf("there is no such step")
		}
		wants := s.log[i].change
		if d.turn = true; e.Kind == ahead.Undo {
			wants = wants.Inverse()
		}
		var met []reel.Met
		if d.change, met = wants.Onto(s.reel, false); len(met) > 0 {
			return fmt.Errorf("met")
		}
		if _, err := s.reel.With(d.change, s.known); err != nil {
			return err
		}
		s.log[i].undone = e.Kind == ahead.Undo
	}
	next, err := s.reel.With(d.change, s.known)
	if err != nil {
		return err
	}
	if !d.turn {
		for i := range s.log {
			if s.log[i].author == author && s.log[i].undone {
				s.log[i].author = "nobody" // it is not brought back any more
			}
		}
	}
	s.reel = next
	s.log = append(s.log, d)
	return nil
}

// asked is a random command of those that clients may send, and the takes that it and the reel refer to.
func asked(t *testing.T, rnd *rand.Rand, r *reel.Reel) (json.RawMessage, reel.Takes) {
	for len(r.Clips) >= 4 { // else there is nothing for people to do but lay something
		kind, c := reel.RandomCommand(rnd, r)
		if _, there := reel.Kinds()[kind]; !there {
			continue
		}
		body, err := json.Marshal(c)
		require.NoError(t, err)
		text, err := json.Marshal(reel.Sent{Kind: kind, Command: body})
		require.NoError(t, err)
		known := reel.Takes{}
		for _, id := range r.TakesReferred() {
			known[id], _ = takes{}.Take(id)
		}
		for _, m := range takesIn.FindAllSubmatch(body, -1) {
			known[string(m[1])], _ = takes{}.Take(string(m[1]))
		}
		return text, known
	}
	text, err := json.Marshal(reel.Send(reel.AddTrack{Name: "Boom", Labels: []string{"M"}}))
	require.NoError(t, err)
	return text, reel.Takes{}
}

var takesIn = regexp.MustCompile(`"take":"([^"]*)"`)

func plain(t *testing.T, v view.Reel) string {
	v.Turns, v.Since = view.Turns{}, nil
	text, err := json.Marshal(v)
	require.NoError(t, err)
	return string(text)
}

// Whatever two people do, in whatever order answers come: what a page shows is in the end what the server has, and until then an edit that nobody
// else has touched shows exactly what it will be.
func TestAPageAheadOfTheServer(t *testing.T) {
	var done, turned, replanned, refused int
	for seed := range int64(60) {
		rnd := rand.New(rand.NewSource(seed))
		s := &server{reel: randomReel(seed, 30), known: takes{}}
		page := ahead.Open(s.since(t, "me", -1))
		shown := page.Whole()
		took := func(v view.Reel) { // as a page puts together what it is told
			r := shown.Opened()
			v.Into(r)
			shown = view.Whole(r, view.Of{ID: "r", Production: "p", Revision: v.Revision})
			require.Equal(t, plain(t, page.Whole()), plain(t, shown), "what was told is not all that changed")
		}
		type sent struct {
			ahead.Edit
			of string
		}
		var waits []sent
		answer := func() {
			e := waits[0]
			waits = waits[1:]
			before := plain(t, page.Whole())
			at := page.Revision()
			alone := at == int64(len(s.log)) && page.Shows(e.Key)
			if err := s.do("me", e.Edit, e.of); err != nil {
				refused++
				require.False(t, alone && e.Kind == ahead.Command, "the server refuses what was planned on the same: %v", err)
				took(page.Refuse(e.Key))
				return
			}
			v, err := page.Follow(s.since(t, "me", at), e.Key)
			require.NoError(t, err)
			if took(v); alone {
				now := page.Whole()
				now.Revision = at
				require.Equal(t, before, plain(t, now), "it was shown otherwise than it was made")
			} else {
				replanned++
			}
		}
		for i := range 60 {
			switch roll := rnd.Intn(10); {
			case roll < 5:
				text, known := asked(t, rnd, page.Whole().Opened())
				page.Know(known)
				e := ahead.Edit{Key: fmt.Sprintf("page.%d", i), Kind: ahead.Command, Body: text}
				did, err := page.Do(e)
				if err != nil {
					continue
				}
				if took(did.View); !did.Shown {
					require.Contains(t, string(text), `"picture"`)
					took(page.Refuse(e.Key))
					continue
				}
				waits = append(waits, sent{e, ""})
				done++
			case roll < 7:
				e := ahead.Edit{Key: fmt.Sprintf("page.%d", i), Kind: []ahead.Kind{ahead.Undo, ahead.Redo}[rnd.Intn(2)]}
				did, err := page.Do(e)
				require.NoError(t, err)
				if !did.Shown { // the server is asked, of whom we know that it would say no
					took(page.Refuse(e.Key))
					continue
				}
				took(did.View)
				waits = append(waits, sent{e, did.Of})
				turned++
			case roll < 8 && len(waits) == 0:
				text, known := asked(t, rnd, s.reel)
				page.Know(known)
				_ = s.do("other", ahead.Edit{Key: fmt.Sprintf("other.%d", i), Kind: ahead.Command, Body: text}, "")
				if rnd.Intn(2) == 0 {
					v, err := page.Follow(s.since(t, "me", page.Revision()), "")
					require.NoError(t, err)
					took(v)
				}
			case len(waits) > 0:
				if rnd.Intn(3) == 0 { // somebody else comes in between
					text, known := asked(t, rnd, s.reel)
					page.Know(known)
					_ = s.do("other", ahead.Edit{Key: fmt.Sprintf("other.%d", i), Kind: ahead.Command, Body: text}, "")
				}
				answer()
			}
		}
		for len(waits) > 0 {
			answer()
		}
		v, err := page.Follow(s.since(t, "me", page.Revision()), "")
		require.NoError(t, err)
		took(v)
		require.Equal(t, plain(t, s.since(t, "me", -1)), plain(t, page.Whole()), "seed %d", seed)
		require.Zero(t, page.Waiting())
	}
	t.Logf("%d edits, %d turns, %d planned anew, %d refused", done, turned, replanned, refused)
	require.Greater(t, min(done/10, turned/5, replanned/5, refused), 5)
}

// The page and the server plan by themselves: the same command on the same reel is the same change, whatever the order in which objects are met.
func TestPlanningIsTheSameEveryTime(t *testing.T) {
	planned, differs := map[string]int{}, map[string]int{}
	for seed := range int64(150) {
		rnd := rand.New(rand.NewSource(seed))
		r := randomReel(seed, 40)
		for range 20 {
			kind, c := reel.RandomCommand(rnd, r)
			first, name, err := c.Plan(r.Under("a"), takes{})
			if err != nil {
				continue
			}
			planned[kind]++
			for range 6 {
				change, again, err := c.Plan(r.Clone().Under("a"), takes{})
				if err != nil || name != again || !assert.ObjectsAreEqual(first, change) {
					differs[kind]++
					break
				}
			}
			if next, err := r.With(first, takes{}); err == nil {
				r = next
			}
		}
	}
	require.Empty(t, differs)
	require.Greater(t, len(planned), 40)
}

// What an edit makes has the same names on a reel that others have changed meanwhile, and another edit's has others.
func TestNamesFollowFromTheKey(t *testing.T) {
	r := randomReel(1, 20)
	add := reel.AddTrack{Name: "Spot", Labels: []string{"M"}, Stem: "FX"}
	made := func(r *reel.Reel, key string) string {
		change, _, err := add.Plan(r.Under(key), nil)
		require.NoError(t, err)
		return change.Tracks[0].ID
	}
	other, err := reel.Try(r, add, nil)
	require.NoError(t, err)
	require.Equal(t, made(r, "a.1"), made(other, "a.1"))
	require.NotEqual(t, made(r, "a.1"), made(r, "a.2"))
	require.NotEqual(t, made(r, ""), made(other, ""), "without a key they are counted")
}

// The core in the browser is this core: asked the same, it answers the same.
func TestTheCoreInTheBrowser(t *testing.T) {
	dir := t.TempDir()
	wasm := filepath.Join(dir, "core.wasm")
	build := exec.Command("go", "build", "-trimpath", "-o", wasm, "zestyloom/cmd/page")
	build.Env = append(os.Environ(), "GOOS=js", "GOARCH=wasm", "GOEXPERIMENT=")
	out, err := build.CombinedOutput()
	require.NoError(t, err, "%s", out)
	goroot, err := exec.Command("go", "env", "GOROOT").Output()
	require.NoError(t, err)

	var lines bytes.Buffer
	here := ahead.Reels{}
	questions, made := 0, 0
	ask := func(q ahead.Question) (a ahead.Answer) {
		text, err := json.Marshal(q)
		require.NoError(t, err)
		answer := here.Ask(text)
		line, err := json.Marshal([2]string{string(text), string(answer)})
		require.NoError(t, err)
		lines.Write(append(line, '\n'))
		require.NoError(t, json.Unmarshal(answer, &a))
		questions++
		return a
	}
	for seed := range int64(12) {
		rnd := rand.New(rand.NewSource(seed))
		id := fmt.Sprint(seed)
		begins := view.Whole(randomReel(seed, 60), view.Of{ID: id})
		ask(ahead.Question{Reel: id, Open: &begins})
		for i := range 40 {
			text, known := asked(t, rnd, ask(ahead.Question{Reel: id, Whole: true}).View.Opened())
			ask(ahead.Question{Reel: id, Know: known})
			kind := []ahead.Kind{ahead.Command, ahead.Command, ahead.Command, ahead.Undo, ahead.Redo}[rnd.Intn(5)]
			if ask(ahead.Question{Reel: id, Do: &ahead.Edit{Key: fmt.Sprintf("page.%d", i), Kind: kind, Body: text}}).Shown {
				made++
			}
		}
		ask(ahead.Question{Reel: id, Routing: true})
	}
	require.Greater(t, made, 150)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "asked"), lines.Bytes(), 0o600))
	script := `
		require(process.argv[2]);
		const fs = require("fs");
		const go = new Go();
		WebAssembly.instantiate(fs.readFileSync(process.argv[1]), go.importObject).then(({ instance }) => {
			go.run(instance);
			let n = 0;
			for (const line of fs.readFileSync(process.argv[3], "utf8").trim().split("\n")) {
				const [question, answer] = JSON.parse(line);
				const got = loomAsk(question);
				if (got !== answer) {
					console.log("asked", question, "\nit says", got, "\nwhere here it is", answer);
					process.exit(1);
				}
				n++;
			}
			console.log(n);
			process.exit(0);
		});`
	node := exec.Command("node", "-e", script, wasm, filepath.Join(strings.TrimSpace(string(goroot)), "lib", "wasm", "wasm_exec.js"), filepath.Join(dir, "asked"))
	out, err = node.CombinedOutput()
	require.NoError(t, err, "%.3000s", out)
	require.Equal(t, fmt.Sprintln(questions), string(out))
}
