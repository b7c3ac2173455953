package app_test

import (
	"bytes"
	"encoding/json"
	"io"
	"maps"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	contract "zestyloom/api"
	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
)

// keyed sends a request under a key.
func keyed(t *testing.T, s *apptest.Server, key, path string, body any) (int, string) {
	return keyedBy(t, s, http.MethodPost, key, path, body)
}

func keyedBy(t *testing.T, s *apptest.Server, method, key, path string, body any) (int, string) {
	b, err := json.Marshal(body)
	require.NoError(t, err)
	if body == nil {
		b = nil
	}
	req, err := http.NewRequest(method, s.Base+api.Base+path, bytes.NewReader(b))
	require.NoError(t, err)
	req.Header.Set("Idempotency-Key", key)
	req.Header.Set("Content-Type", "application/json")
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	answer, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return res.StatusCode, string(answer)
}

// Whatever makes something makes it once for a key, though the request comes again, and though nobody knows what it was answered with.
func TestWhatIsAskedForTwiceIsMadeOnce(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	s.Record("day2/A.wav", 1, "Boom")
	s.Record("day2/B.wav", 1, "Boom")
	s.Record("day2/C.wav", 1.1, "Boom")
	s.Bring(production, "day2/A.wav", "day2/B.wav")
	takes := s.Takes(production)
	p := printed(s, production, v, map[string]any{"packaging": "interleaved"})
	var r api.Receipt
	s.OK("POST", "/prints/"+p.ID+"/receipts", nil, &r)
	s.Settled(production)
	s.OK("POST", "/receipts/"+r.ID+"/takes", nil, nil)
	s.Settled(production)
	twelve, a, b := takes["12A.wav"].ID, takes["A.wav"].ID, takes["B.wav"].ID
	cases := map[string]struct {
		path        string
		body, other any // nil where there is no other body
	}{
		"createProduction": {"/productions", map[string]any{"name": "Another", "frameRate": map[string]any{"num": 25, "den": 1,
			"drop": false}},
			map[string]any{"name": "A third", "frameRate": map[string]any{"num": 25, "den": 1, "drop": false}}},
		"createReel": {"/productions/" + production + "/reels", map[string]any{"name": "Once"}, map[string]any{"name": "Twice"}},
		"importFromCard": {"/productions/" + production + "/imports", map[string]any{"card": "LF03", "paths": []string{"day2/C.wav",
			"day2/A.wav"}}, map[string]any{"card": "LF03", "paths": []string{"day2/B.wav"}}},
		"queuePrints": {"/productions/" + production + "/queue", []any{map[string]any{"reel": v.ID, "spec": "eight-channel-mix"},
			map[string]any{"reel": v.ID, "spec": "promo-kit"}}, []any{map[string]any{"reel": v.ID, "spec": "promo-kit"}}},
		"startBatch": {"/productions/" + production + "/batches", map[string]any{"kind": "unravel", "takes": []string{twelve},
			"settings": map[string]any{"all": true, "singly": true}},
			map[string]any{"kind": "unravel", "takes": []string{a}, "settings": map[string]any{"all": true, "singly": true}}},
		"startSync": {"/productions/" + production + "/sync", map[string]any{"takes": []string{a}, "references": []string{twelve},
			"method": "timecode"}, map[string]any{"takes": []string{b}, "references": []string{twelve}, "method": "timecode"}},
		"groupTakes": {"/productions/" + production + "/takes/group", map[string]any{"takes": []string{a, b}},
			map[string]any{"takes": []string{a, twelve}}},
		"takeToDesk":   {"/prints/" + p.ID + "/receipts", nil, nil},
		"loadReceived": {"/receipts/" + r.ID + "/reel", map[string]any{"name": "Loaded"}, map[string]any{"name": "Loaded otherwise"}},
		"settleClips": {"/reels/" + v.ID + "/settle", map[string]any{"clips": []string{v.Clips[0].ID}},
			map[string]any{"clips": []string{v.Clips[1].ID}}},
		"levelTakes": {"/productions/" + production + "/level", map[string]any{"takes": []string{takes["Cue.wav"].ID}, "profile": "r128"},
			nil},
		"handReelOver": {"/reels/" + v.ID + "/handover", map[string]any{}, nil},
		"startPrint": {"/reels/" + v.ID + "/prints", map[string]any{"packaging": "interleaved"},
			map[string]any{"packaging": "per-group"}},
		"handOver":        {"/prints/" + p.ID + "/handover", map[string]any{"folder": "Harbour Mile"}, nil},
		"convertTake":     {"/takes/" + twelve + "/convert", map[string]any{"driftPPM": 100}, map[string]any{"driftPPM": 200}},
		"bringInReceived": {"/receipts/" + r.ID + "/takes", nil, nil},
	}
	// These are made under names, or of what there is by then: a second time changes nothing, or is refused by the reel's revision.
	named := []string{"savePattern", "addPattern", "addSpec", "readHandedOver", "reviseReel", "correctGroup", "receive"}
	doc, err := openapi3.NewLoader().LoadFromData(contract.YAML)
	require.NoError(t, err)
	conn, err := pgx.Connect(t.Context(), s.Database)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	count := func() (n [5]int) {
		s.Settled(production)
		require.NoError(t, conn.QueryRow(t.Context(), `select (select count(*) from productions), (select count(*) from reels), (select count(*) from work),
			(select count(*) from takes), (select count(*) from reel_log)`).Scan(&n[0], &n[1], &n[2], &n[3], &n[4]))
		return n
	}
	last := func(path string) string { // what takes takes away from others comes last
		if strings.HasSuffix(path, "/group") || strings.HasSuffix(path, "/convert") {
			return "~" + path
		}
		return path
	}
	paths := slices.SortedFunc(maps.Keys(doc.Paths.Map()), func(a, b string) int { return strings.Compare(last(a), last(b)) })
	for _, path := range paths {
		op := doc.Paths.Value(path).Post
		if op == nil || op.Responses.Status(201) == nil && op.Responses.Status(202) == nil || op.OperationID == "beginUpload" {
			continue
		}
		require.NotNil(t, op.Parameters.GetByInAndName("header", "Idempotency-Key"), "%s %s has a key", path, op.OperationID)
		c, there := cases[op.OperationID]
		if !there {
			require.Contains(t, named, op.OperationID, "is tested here, or is of those that need no test")
			continue
		}
		t.Run(op.OperationID, func(t *testing.T) {
			key := "key of " + op.OperationID
			status, first := keyed(t, s, key, c.path, c.body)
			require.Less(t, status, 300, first)
			before := count()
			status, second := keyed(t, s, key, c.path, c.body)
			require.Less(t, status, 300, second)
			assert.Equal(t, first, second)
			assert.Equal(t, before, count())
			if c.other != nil {
				status, refused := keyed(t, s, key, c.path, c.other)
				assert.Equal(t, http.StatusBadRequest, status)
				assert.Contains(t, refused, "used for another")
				assert.Equal(t, before, count())
			}
			if strings.HasPrefix(op.OperationID, "group") || strings.HasPrefix(op.OperationID, "convert") {
				return // what it was made of is part of it now, so that without its answer it is refused
			}
			_, err := conn.Exec(t.Context(), "delete from requests where n = -1") // the process died before the answer was kept
			require.NoError(t, err)
			status, third := keyed(t, s, key, c.path, c.body)
			assert.Equal(t, before, count(), "%d %s", status, third)
		})
	}
	// An edit of a reel under a key that another edit was made under is not lost with a word of success.
	s.OK("GET", "/reels/"+v.ID, nil, &v)
	mark := func(name string) map[string]any {
		return map[string]any{"revision": v.Revision, "kind": "setMark", "command": map[string]any{"name": name, "at": 36000 * 48000}}
	}
	status, _ := keyed(t, s, "an edit", "/reels/"+v.ID+"/commands", mark("one"))
	require.Equal(t, http.StatusOK, status)
	status, _ = keyed(t, s, "an edit", "/reels/"+v.ID+"/commands", mark("one"))
	require.Equal(t, http.StatusOK, status)
	status, refused := keyed(t, s, "an edit", "/reels/"+v.ID+"/commands", mark("two"))
	assert.Equal(t, http.StatusBadRequest, status, refused)
}

// What is changed is changed once for a key: asked for again it is answered as before, and what somebody has changed since stays.
func TestWhatIsChangedTwiceUnderAKeyIsChangedOnce(t *testing.T) {
	s := apptest.Start(t)
	s.Record("day1/A.wav", 1, "Boom")
	production := s.Production()
	s.Bring(production, "day1/A.wav")
	a := "/takes/" + s.Takes(production)["A.wav"].ID
	home := "/productions/" + production
	var spare api.ReelInfo
	s.OK("POST", home+"/reels", map[string]any{"name": "Spare"}, &spare)
	note := func(text string) map[string]any { return map[string]any{"slate": map[string]any{"note": text}} }
	conn, err := pgx.Connect(t.Context(), s.Database)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	known := func() (state string) {
		require.NoError(t, conn.QueryRow(t.Context(), `select concat((select string_agg(concat(name, takes_revision), ' ') from productions),
			(select string_agg(slate::text, ' ') from takes), (select count(*) from reels), (select string_agg(concat(id, state), ' ' order by id)
			from take_edits))`).Scan(&state))
		return state
	}
	for _, c := range []struct {
		name, method, path string
		body               any
		since              func() // what somebody does in between
		survives           bool   // it is known also where the process died before the answer was kept
	}{
		{"editTake", "PATCH", a, note("first"), func() { s.OK("PATCH", a, note("second"), nil) }, true},
		{"undoTakeEdit", "POST", home + "/takes/undo", map[string]any{"revision": 2}, func() { s.OK("PATCH", a, note("third"), nil) }, true},
		{"editTakes", "POST", home + "/takes/edit", map[string]any{"takes": []string{strings.TrimPrefix(a, "/takes/")}, "edit": note("all")},
			func() { s.OK("PATCH", a, note("fourth"), nil) }, true},
		{"renameProduction", "PATCH", home, map[string]any{"name": "One"}, func() { s.OK("PATCH", home, map[string]any{"name": "Two"}, nil) }, false},
		{"removeReel", "DELETE", "/reels/" + spare.ID, nil, func() {}, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			status, first := keyedBy(t, s, c.method, "key of "+c.name, c.path, c.body)
			require.Less(t, status, 300, first)
			c.since()
			now := known()
			again, second := keyedBy(t, s, c.method, "key of "+c.name, c.path, c.body)
			assert.Equal(t, status, again)
			assert.Equal(t, first, second)
			assert.Equal(t, now, known())
			if c.survives {
				_, err := conn.Exec(t.Context(), "delete from requests where n = -1")
				require.NoError(t, err)
				again, _ = keyedBy(t, s, c.method, "key of "+c.name, c.path, c.body)
				assert.Equal(t, status, again)
				assert.Equal(t, now, known())
			}
		})
	}
}
