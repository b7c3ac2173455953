package app_test

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/api"
	"zestyloom/internal/app"
	"zestyloom/internal/app/apptest"
	"zestyloom/internal/store/storetest"

	"log/slog"
)

// get fetches an address as it stands.
func get(t *testing.T, s *apptest.Server, method, path string, header ...string) (*http.Response, []byte) {
	req, err := http.NewRequest(method, s.Base, nil)
	require.NoError(t, err)
	req.URL.Opaque = "//" + strings.TrimPrefix(s.Base, "http://") + path // without anything being put right
	for i := 0; i+1 < len(header); i += 2 {
		req.Header.Set(header[i], header[i+1])
	}
	res, err := http.DefaultTransport.RoundTrip(req)
	require.NoError(t, err)
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return res, b
}

// B10. Messages that make no sense end nobody's session, and whoever listens is told.
func TestNoMessageEndsTheServer(t *testing.T) {
	s := apptest.Start(t)
	_, v := crossing(t, s)
	for _, message := range []string{
		`{"do":"play","generation":1,"reel":"` + v.ID + `","loop":{"from":-9223372036854775808,"to":9223372036854775807}}`,
		`{"do":"play","generation":1,"reel":"` + v.ID + `","from":9223372036854775807}`,
		`{"do":"play","generation":1,"reel":"` + v.ID + `","loop":{"from":5,"to":1}}`,
		`{"do":"play","generation":1,"reel":"` + v.ID + `","trial":{"kind":"setTrack","command":{"track":7}}}`,
		`{"do":"take","generation":1,"take":"nonsense","channels":[0]}`, `[`, `{"do":"jump"}`,
	} {
		conn, _, err := websocket.Dial(t.Context(), "ws"+strings.TrimPrefix(s.Base, "http")+api.Base+"/listen", nil)
		require.NoError(t, err)
		require.NoError(t, conn.Write(t.Context(), websocket.MessageText, []byte(message)))
		_, said, err := conn.Read(t.Context())
		require.NoError(t, err)
		assert.Contains(t, string(said), `"error"`, message)
		require.NoError(t, conn.Write(t.Context(), websocket.MessageText, []byte(`{"do":"play","generation":2,"reel":"`+v.ID+`","from":`+fmt.Sprint(v.Head.Start)+`,"tap":{"kind":"group","id":"`+v.Groups[0].ID+`"}}`)))
		_, said, err = conn.Read(t.Context())
		require.NoError(t, err, "the connection goes on after %s", message)
		assert.NotContains(t, string(said), `"error"`)
		conn.CloseNow()
	}
}

// B10. Who claims to have heard everything gets sound no faster than it sounds.
func TestSoundIsSentAtItsPace(t *testing.T) {
	s := apptest.Start(t)
	s.Record("long.wav", 60, "Boom")
	production := s.Production()
	s.Bring(production, "long.wav")
	conn, _, err := websocket.Dial(t.Context(), "ws"+strings.TrimPrefix(s.Base, "http")+api.Base+"/listen", nil)
	require.NoError(t, err)
	defer conn.CloseNow()
	say := func(m string) { require.NoError(t, conn.Write(t.Context(), websocket.MessageText, []byte(m))) }
	say(`{"do":"take","generation":1,"take":"` + s.Takes(production)["long.wav"].ID + `","channels":[0]}`)
	say(`{"do":"played","generation":1,"frames":4611686018427387904}`)
	begun, blocks := time.Now(), 0
	for time.Since(begun) < 2*time.Second {
		kind, _, err := conn.Read(t.Context())
		require.NoError(t, err)
		if kind == websocket.MessageBinary {
			blocks++
		}
	}
	sent := float64(blocks*1024) / 48000
	assert.Less(t, sent, 2*1.02+16*1024/48000.0+0.1, "two seconds and what may be on its way")
	assert.Greater(t, sent, 1.5)
}

// B11. The server ends within ten seconds though somebody downloads slowly, listens, watches and prints.
func TestTheServerEndsWhateverGoesOn(t *testing.T) {
	s := apptest.Start(t)
	s.Record("long.wav", 30, "Boom", "Ines lav", "Tobiah lav")
	production := s.Production()
	s.Bring(production, "long.wav")
	v := s.Reel(production, "Reel 1")
	s.OK("POST", "/reels/"+v.ID+"/lay", map[string]any{"revision": v.Revision, "takes": []string{s.Takes(production)["long.wav"].ID}}, &v)
	s.OK("POST", "/reels/"+v.ID+"/spec", api.SpecChoice{Revision: v.Revision, Spec: "eight-channel-mix"}, &v)
	p := printed(s, production, v, map[string]any{"packaging": "interleaved"})
	slow, err := net.Dial("tcp", strings.TrimPrefix(s.Base, "http://"))
	require.NoError(t, err)
	defer slow.Close()
	fmt.Fprintf(slow, "GET %s/prints/%s/archive HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n", api.Base, p.ID)
	_, err = slow.Read(make([]byte, 100))
	require.NoError(t, err)
	stalled, err := net.Dial("tcp", strings.TrimPrefix(s.Base, "http://"))
	require.NoError(t, err)
	defer stalled.Close()
	fmt.Fprintf(stalled, "POST %s/productions HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\nContent-Length: 1000\r\n\r\n{",
		api.Base)
	events, err := http.Get(s.Base + api.Base + "/events")
	require.NoError(t, err)
	defer events.Body.Close()
	conn, _, err := websocket.Dial(t.Context(), "ws"+strings.TrimPrefix(s.Base, "http")+api.Base+"/listen", nil)
	require.NoError(t, err)
	defer conn.CloseNow()
	require.NoError(t, conn.Write(t.Context(), websocket.MessageText, []byte(`{"do":"play","generation":2,"reel":"`+v.ID+`","from":`+fmt.Sprint(v.Head.Start)+`}`)))
	var q api.Print
	s.OK("POST", "/reels/"+v.ID+"/prints", map[string]any{"packaging": "interleaved"}, &q)
	progressed(t, s, production, func(w api.Work) bool { return w.ID == q.ID && w.State == "running" })
	begun := time.Now()
	s.Stop()
	assert.Less(t, time.Since(begun), 30*time.Second) // 9 where nothing else is done
	s.Run()
	s.Settled(production)
	s.OK("GET", "/prints/"+q.ID, nil, &q)
	assert.Equal(t, "done", q.State, "what was being printed is printed after all")
}

// B12. A folder of media and a database that do not belong together are refused.
// A first start that broke off, with a note of the folder that is empty or could not be written, is done again.
func TestAFirstStartThatBrokeOff(t *testing.T) {
	open := func(database, data string) error {
		a, err := app.Open(t.Context(), app.Config{Database: database, Data: data, Log: slog.New(slog.DiscardHandler)})
		if err == nil {
			a.Close()
		}
		return err
	}
	database, data := storetest.URL(t), t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(data, "installation"), nil, 0o644))
	require.NoError(t, os.Mkdir(filepath.Join(data, "installation.new"), 0o755)) // nothing can be written there, as on a full disk
	require.Error(t, open(database, data))
	require.NoError(t, os.Remove(filepath.Join(data, "installation.new")))
	require.NoError(t, open(database, data))
	require.NoError(t, open(database, data))
	assert.ErrorContains(t, open(database, t.TempDir()), "another folder")
}

func TestAFolderOfAnotherDatabaseIsRefused(t *testing.T) {
	s := apptest.Start(t)
	open := func(database, data string) error {
		a, err := app.Open(t.Context(), app.Config{Database: database, Data: data, Log: slog.New(slog.DiscardHandler)})
		if err == nil {
			a.Close()
		}
		return err
	}
	assert.NoError(t, open(s.Database, s.Data))
	assert.ErrorContains(t, open(s.Database, t.TempDir()), "another folder")
	assert.ErrorContains(t, open(storetest.URL(t), s.Data), "another database")
}

// B13. What watches the server is told how it is.
func TestHealthAndMetrics(t *testing.T) {
	c := storetest.NewCluster(t)
	s := apptest.StartOn(t, c.URL)
	production, v := crossing(t, s)
	printed(s, production, v, map[string]any{"packaging": "interleaved"})
	for _, path := range []string{"/healthz", "/readyz"} {
		res, _ := get(t, s, "GET", path)
		assert.Equal(t, 200, res.StatusCode, path)
	}
	_, metrics := get(t, s, "GET", "/metrics")
	for _, line := range []string{`loom_work_ended_total{kind="print",state="done"} 1`, `loom_work{state="queued"} 0`, "loom_disk_free_bytes",
		"loom_listeners 0", "loom_database_connections", `route="/api/v1/reels/:reel/prints"`} {
		assert.Contains(t, string(metrics), line)
	}
	c.Stop()
	res, _ := get(t, s, "GET", "/healthz")
	assert.Equal(t, 200, res.StatusCode, "it is alive")
	res, _ = get(t, s, "GET", "/readyz")
	assert.Equal(t, http.StatusServiceUnavailable, res.StatusCode)
	// B15
	var p api.Problem
	assert.Equal(t, http.StatusServiceUnavailable, s.Call("GET", "/productions", nil, &p))
	assert.NotContains(t, p.Title, "127.0.0.1")
	c.Start()
}

// B14. Answers carry what protects them, and names arrive whole.
func TestHeaders(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	s.Do(&v, "setReel", map[string]any{"name": "Fährmann – Übergang"})
	p := printed(s, production, v, map[string]any{"packaging": "interleaved"})
	name := p.Report.Files[0].Name
	res, whole := get(t, s, "GET", api.Base+"/prints/"+p.ID+"/files/"+strings.ReplaceAll(urlEscape(name), "+", "%20"))
	require.Equal(t, 200, res.StatusCode)
	assert.Contains(t, res.Header.Get("Content-Disposition"), "filename*=utf-8''")
	assert.Contains(t, res.Header.Get("Content-Disposition"), "F%C3%A4hrmann")
	for _, h := range []string{"Content-Security-Policy", "Referrer-Policy", "Cross-Origin-Resource-Policy", "Cross-Origin-Opener-Policy",
		"X-Frame-Options", "X-Content-Type-Options", "Loom-Request"} {
		assert.NotEmpty(t, res.Header.Get(h), h)
	}
	file := api.Base + "/prints/" + p.ID + "/files/" + strings.ReplaceAll(urlEscape(name), "+", "%20")
	res, part := get(t, s, "GET", file, "Range", "bytes=100-199")
	assert.Equal(t, http.StatusPartialContent, res.StatusCode)
	assert.Equal(t, whole[100:200], part)
	tag := res.Header.Get("ETag")
	require.NotEmpty(t, tag)
	res, _ = get(t, s, "GET", file, "If-None-Match", tag)
	assert.Equal(t, http.StatusNotModified, res.StatusCode)
	res, none := get(t, s, "HEAD", file)
	assert.Equal(t, []any{200, fmt.Sprint(len(whole)), 0}, []any{res.StatusCode, res.Header.Get("Content-Length"), len(none)})
	res, packed := get(t, s, "GET", api.Base+"/reels/"+v.ID, "Accept-Encoding", "gzip")
	require.Equal(t, "gzip", res.Header.Get("Content-Encoding"))
	r, err := gzip.NewReader(bytes.NewReader(packed))
	require.NoError(t, err)
	var same api.ReelView
	require.NoError(t, json.NewDecoder(r).Decode(&same))
	assert.Equal(t, v.ID, same.ID)
	res, _ = get(t, s, "GET", "/api/v1/nothing")
	assert.Equal(t, 404, res.StatusCode)
	res, _ = get(t, s, "DELETE", api.Base+"/productions")
	assert.Equal(t, http.StatusMethodNotAllowed, res.StatusCode)
}

func urlEscape(s string) string { return (&urlPath{s}).String() }

type urlPath struct{ s string }

func (u *urlPath) String() string {
	var b strings.Builder
	for _, c := range []byte(u.s) {
		fmt.Fprintf(&b, "%%%02X", c)
	}
	return b.String()
}

// B15. What can't be a name, an ID or a place is refused in plain words, whichever way it comes.
func TestCharactersThatNoNameHas(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	take := s.Takes(production)["12A.wav"].ID
	nul := "a\x00b"
	for path, body := range map[string]any{
		"POST /productions": map[string]any{"name": nul,
			"frameRate": map[string]any{"num": 25, "den": 1, "drop": false}},
		"PATCH /productions/" + production:                map[string]any{"name": nul},
		"POST /productions/" + production + "/reels":      api.NewReel{Name: nul, Start: new("10:00:00:00")},
		"PATCH /takes/" + take:                            map[string]any{"slate": map[string]any{"note": nul}},
		"POST /productions/" + production + "/takes/edit": map[string]any{"takes": []string{nul}, "edit": map[string]any{}},
		"POST /productions/" + production + "/batches": map[string]any{"kind": "ply", "takes": []string{nul},
			"settings": map[string]any{"all": true, "singly": false}},
		"POST /reels/" + v.ID + "/commands": map[string]any{"revision": v.Revision, "kind": "setReel",
			"command": map[string]any{"name": nul}},
		"POST /reels/" + v.ID + "/lay":              map[string]any{"revision": v.Revision, "takes": []string{nul}},
		"POST /reels/" + v.ID + "/cutlist":          map[string]any{"revision": v.Revision, "name": nul, "text": "TITLE: x\n"},
		"POST /productions/" + production + "/sync": map[string]any{"takes": []string{nul}, "references": []string{nul}, "method": "both"},
		"PUT /takes/" + take + "/tie": map[string]any{"reference": nul, "offset": 1, "driftPPM": 0, "confidence": 1,
			"method": "both"},
		"POST /productions/" + production + "/imports": api.CardImport{Card: "LF03", Paths: []string{nul}},
		"PUT /productions/" + production + "/stems": map[string]any{"stems": []any{map[string]any{"id": "DX", "name": nul,
			"labels": []string{"L", "R"}, "strands": []string{}}}, "rules": []any{}},
	} {
		method, at, _ := strings.Cut(path, " ")
		status := s.Call(method, at, body, nil)
		assert.True(t, status == 400 || status == 404, "%s: %d", path, status)
	}
	for _, path := range []string{"/reels/%00", "/reels/%ff", "/takes/%C3%28", "/work/%00", "/cards/LF03/files?folder=%00",
		"/prints/%ff/archive"} {
		res, b := get(t, s, "GET", api.Base+path)
		assert.Equal(t, http.StatusNotFound, res.StatusCode, "%s: %s", path, b)
	}
	for _, path := range []string{"waveform?level=0&from=9223372036854775807&count=10",
		"samples?channel=1&from=9223372036854775807&count=10",
		"samples?channel=1&from=-9223372036854775808&count=10"} {
		res, b := get(t, s, "GET", api.Base+"/takes/"+take+"/"+path)
		assert.Less(t, res.StatusCode, 500, "%s: %s", path, b)
	}
	var whole bytes.Buffer
	whole.WriteByte('{')
	whole.Write(bytes.Repeat([]byte(" "), 40<<20))
	res, err := http.Post(s.Base+api.Base+"/productions", "application/json", &whole)
	require.NoError(t, err)
	res.Body.Close()
	assert.Equal(t, http.StatusRequestEntityTooLarge, res.StatusCode)
}

// B15. The disk fills up during an upload: 507 in plain words, and what had arrived is there.
func TestADiskThatFillsUpDuringAnUpload(t *testing.T) {
	if os.Getuid() != 0 {
		t.Skip("only root can make a small disk")
	}
	dir := t.TempDir()
	if err := syscall.Mount("tmpfs", dir, "tmpfs", 0, "size=4m"); err != nil {
		t.Skip("no small disk can be made here: ", err)
	}
	t.Cleanup(func() { _ = syscall.Unmount(dir, syscall.MNT_DETACH) })
	s := apptest.Start(t)
	s.Stop()
	require.NoError(t, os.RemoveAll(filepath.Join(s.Data, "uploads")))
	require.NoError(t, os.Symlink(dir, filepath.Join(s.Data, "uploads")))
	s.Run()
	production := s.Production()
	file := make([]byte, 8<<20)
	location, res := upload(t, s, production, "large.wav", len(file), nil)
	require.Equal(t, http.StatusCreated, res.StatusCode)
	res, err := patch(s, location, 0, bytes.NewReader(file), int64(len(file)))
	require.NoError(t, err)
	b, err := io.ReadAll(res.Body)
	res.Body.Close()
	require.NoError(t, err)
	assert.Equal(t, http.StatusInsufficientStorage, res.StatusCode)
	assert.Contains(t, string(b), "The disk is full")
	assert.NotContains(t, string(b), dir)
}

// B16. The same request twice, as its answer was lost, lays a take once.
func TestARequestThatIsMadeTwiceIsDoneOnce(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	clips := len(v.Clips)
	thrice := func(path, key string, body map[string]any) {
		if len(body) > 0 { // what is taken back is not asked for by a revision
			body["revision"] = v.Revision
		}
		b, err := json.Marshal(body)
		require.NoError(t, err)
		for range 3 {
			req, err := http.NewRequest("POST", s.Base+api.Base+"/reels/"+v.ID+path, bytes.NewReader(b))
			require.NoError(t, err)
			req.Header.Set("Content-Type", "application/json")
			req.Header.Set("Idempotency-Key", key)
			res, err := http.DefaultClient.Do(req)
			require.NoError(t, err)
			said, err := io.ReadAll(res.Body)
			require.NoError(t, err)
			require.Equal(t, 200, res.StatusCode, "%s: %s", path, said)
			res.Body.Close()
		}
		before := v.Revision
		s.OK("GET", "/reels/"+v.ID, nil, &v)
		assert.Equal(t, before+1, v.Revision, path)
	}
	thrice("/lay", "a", map[string]any{"takes": []string{s.Takes(production)["Cue.wav"].ID}})
	assert.Len(t, v.Clips, clips+1)
	thrice("/commands", "b", map[string]any{"kind": "addTrack", "command": map[string]any{"name": "Bell", "labels": []string{"M"},
		"stem": "FX"}})
	thrice("/undo", "c", map[string]any{})
	thrice("/undo", "d", map[string]any{})
	assert.Len(t, v.Clips, clips)
	thrice("/redo", "e", map[string]any{})
	assert.Len(t, v.Clips, clips+1)
	thrice("/cutlist", "f", map[string]any{"name": "x.edl", "text": firstCut})
	s.Do(&v, "setReel", map[string]any{"start": 2})
	var p api.Problem
	status := s.Call("POST", "/reels/"+v.ID+"/commands", map[string]any{"revision": 1, "kind": "setReel",
		"command": map[string]any{"start": 1}}, &p)
	assert.Equal(t, []any{409, "urn:zestyloom:stale", v.Revision}, []any{status, p.Type, *p.Revision})
}
