// Package apptest runs the whole application for tests: a server on a port of its own, with a database and folders of
// its own, whose answers are held against the contract. Begin reading at Start.
package apptest

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"math"
	"net"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"
	"github.com/stretchr/testify/require"

	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
	"zestyloom/internal/api"
	"zestyloom/internal/app"
	"zestyloom/internal/cards"
	"zestyloom/internal/receivers"
	"zestyloom/internal/store/storetest"
)

// Server is the whole application on a port of its own, with a card of files.
type Server struct {
	t        testing.TB
	Base     string // http://host:port
	Card     string // folder of the card LF03
	Data     string // folder of media and uploads
	Receiver string // folder that deliveries may be written to
	Stop     func() // ends the server, as a shutdown does
	Database string // PostgreSQL URL
	Pools    app.Pools
	contract routers.Router
}

func init() {
	openapi3filter.RegisterBodyDecoder("application/schema+json", openapi3filter.JSONBodyDecoder)
}

// Start runs the application until the test ends. Other tests that begin with it run beside this one: each has a database and folders of its own.
// What changes the process as a whole, its environment say, is for Alone.
func Start(t testing.TB) *Server {
	if t, is := t.(*testing.T); is && !strings.Contains(t.Name(), "/") {
		if _, again := beside.LoadOrStore(t, true); !again {
			t.Parallel()
		}
	}
	return Alone(t)
}

// beside are the tests that run beside others.
var beside sync.Map

// Alone is Start for a test beside which no other runs.
func Alone(t testing.TB) *Server { return StartOn(t, storetest.URL(t)) }

// StartOn runs the application on a database of the caller's until the test ends.
func StartOn(t testing.TB, database string) *Server {
	s := &Server{t: t, Card: t.TempDir(), Data: t.TempDir(), Receiver: t.TempDir(), Database: database}
	if _, bench := t.(*testing.B); !bench {
		// Whoever asks for a second connection while holding one waits for ever; the queue has one that it listens by.
		s.Pools = app.Pools{Requests: 1, Working: 1, Keeping: 3}
	}
	doc, err := openapi3.NewLoader().LoadFromFile(contractFile())
	require.NoError(t, err)
	doc.Servers = openapi3.Servers{{URL: api.Base}}
	s.contract, err = gorillamux.NewRouter(doc)
	require.NoError(t, err)
	s.Run()
	t.Cleanup(func() { s.Stop() })
	return s
}

// contractFile finds api/openapi.yaml from where this file lies.
func contractFile() string {
	_, here, _, _ := runtime.Caller(0)
	return filepath.Join(filepath.Dir(here), "../../../api/openapi.yaml")
}

// Run starts the application; after stop it can be run again, as after a restart.
func (s *Server) Run() {
	ctx, cancel := context.WithCancel(context.Background())
	a, err := app.Open(ctx, app.Config{Database: s.Database, Data: s.Data, Pools: s.Pools, Cards: cards.Cards{"LF03": s.Card},
		Receivers: receivers.Folders{"Harbour Mile": s.Receiver}, Log: slog.New(slog.NewTextHandler(io.Discard, nil))})
	require.NoError(s.t, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(s.t, err)
	s.Base = "http://" + l.Addr().String()
	served := make(chan error, 1)
	go func() { served <- a.Serve(ctx, l) }()
	stopped := false
	s.Stop = func() {
		if stopped {
			return
		}
		stopped = true
		cancel()
		require.NoError(s.t, ignoreClosed(<-served))
		a.Close()
	}
}

// askedToServe is the variable that makes a test process the server of another one.
const askedToServe = "ZESTYLOOM_TEST_SERVES"

// RunApart starts the application as a process of its own, which kill ends at any moment, as a power cut does. The
// package's tests must have one that calls Serve: it is what the process runs.
func (s *Server) RunApart() (kill func()) {
	settings, err := json.Marshal(map[string]any{"database": s.Database, "data": s.Data, "card": s.Card, "receiver": s.Receiver,
		"pools": s.Pools})
	require.NoError(s.t, err)
	c := exec.Command(os.Args[0], "-test.run=^TestServerProcess$")
	c.Env = append(os.Environ(), askedToServe+"="+string(settings))
	out, err := c.StdoutPipe()
	require.NoError(s.t, err)
	require.NoError(s.t, c.Start())
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if address, ok := strings.CutPrefix(lines.Text(), "at "); ok {
			s.Base = "http://" + address
			break
		}
	}
	require.NoError(s.t, lines.Err())
	done := false
	kill = func() {
		if !done {
			done = true
			_ = c.Process.Kill()
			_ = c.Wait()
		}
	}
	s.t.Cleanup(kill)
	return kill
}

// Serve is the server process of RunApart. In any other process it does nothing.
func Serve(t *testing.T) {
	var settings struct {
		Database, Data, Card, Receiver string
		Pools                          app.Pools
	}
	asked := os.Getenv(askedToServe)
	if asked == "" {
		t.Skip("this is for RunApart")
	}
	require.NoError(t, json.Unmarshal([]byte(asked), &settings))
	a, err := app.Open(t.Context(), app.Config{Database: settings.Database, Data: settings.Data, Pools: settings.Pools,
		Cards:     cards.Cards{"LF03": settings.Card},
		Receivers: receivers.Folders{"Harbour Mile": settings.Receiver}, Log: slog.New(slog.NewTextHandler(io.Discard, nil))})
	require.NoError(t, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	fmt.Printf("at %s\n", l.Addr())
	_ = a.Serve(t.Context(), l)
}

func ignoreClosed(err error) error {
	if err != nil && strings.Contains(err.Error(), http.ErrServerClosed.Error()) {
		return nil
	}
	return err
}

// Call sends a request, holds the answer against the contract and decodes it. It gives the status.
func (s *Server) Call(method, path string, body, into any) int {
	var reader io.Reader
	contentType := "application/json"
	switch b := body.(type) {
	case nil:
	case string:
		reader, contentType = strings.NewReader(b), "application/yaml"
	default:
		j, err := json.Marshal(b)
		require.NoError(s.t, err)
		reader = bytes.NewReader(j)
	}
	req, err := http.NewRequest(method, s.Base+api.Base+path, reader)
	require.NoError(s.t, err)
	if body != nil {
		req.Header.Set("Content-Type", contentType)
	}
	res, err := http.DefaultClient.Do(req)
	require.NoError(s.t, err)
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	require.NoError(s.t, err)
	s.meets(req, res, b)
	if into != nil {
		require.NoError(s.t, json.Unmarshal(b, into), "%s %s: %s", method, path, b)
	}
	return res.StatusCode
}

// meets fails where an answer is not what api/openapi.yaml promises.
func (s *Server) meets(req *http.Request, res *http.Response, body []byte) {
	require.NoError(s.t, s.Meets(req, res, body), "%s %s", req.Method, req.URL.Path)
}

// Meets tells where an answer is not what api/openapi.yaml promises.
func (s *Server) Meets(req *http.Request, res *http.Response, body []byte) error {
	plain := *req
	u := *req.URL
	u.Scheme, u.Host = "", ""
	plain.URL = &u
	route, params, err := s.contract.FindRoute(&plain)
	if err != nil {
		if res.StatusCode < 400 {
			return fmt.Errorf("%s is not in the contract, and is answered", req.URL)
		}
		return nil
	}
	input := &openapi3filter.ResponseValidationInput{
		RequestValidationInput: &openapi3filter.RequestValidationInput{Request: &plain, PathParams: params, Route: route},
		Status:                 res.StatusCode, Header: res.Header, Options: &openapi3filter.Options{IncludeResponseStatus: true,
			MultiError: true},
	}
	input.SetBodyBytes(body)
	return openapi3filter.ValidateResponse(context.Background(), input)
}

// OK calls and expects success.
func (s *Server) OK(method, path string, body, into any) {
	s.t.Helper()
	if into != nil { // what the answer leaves out must not stay
		reflect.ValueOf(into).Elem().SetZero()
	}
	status := s.Call(method, path, body, into)
	require.Less(s.t, status, 300, "%s %s", method, path)
}

// Refused calls and gives the problem's sentence.
func (s *Server) Refused(status int, method, path string, body any) string {
	s.t.Helper()
	var p api.Problem
	require.Equal(s.t, status, s.Call(method, path, body, &p), "%s %s", method, path)
	require.NotEmpty(s.t, p.Title)
	return p.Title
}

// Record puts a polyphonic file on the card: sines that differ from channel to channel, named by tracks.
func (s *Server) Record(name string, seconds float64, tracks ...string) {
	h := wave.Header{Format: wavetest.PCM24(len(tracks)), Frames: int64(seconds * 48000)}
	if tracks[0] != "" {
		list := &wave.IXMLTracks{}
		for i, track := range tracks {
			list.Tracks = append(list.Tracks, wave.IXMLTrack{InterleaveIndex: string(rune('1' + i)), Name: track})
		}
		h.Bext = &wave.Bext{TimeReference: 36001 * 48000}
		h.IXML = &wave.IXML{Scene: "12A", Take: "3", Tape: "LF03", Circled: "TRUE", Tracks: list,
			Speed: &wave.IXMLSpeed{TimecodeRate: "25/1", TimecodeFlag: "NDF"}}
	}
	s.Put(name, wavetest.Bytes(s.t, h, func(c, i int) float64 {
		return 0.1 * math.Sin(float64(i)*0.01*float64(c+1)+float64(len(name)))
	}))
}

// Silence gives a mono WAVE file of digital silence.
func (s *Server) Silence(seconds float64) []byte {
	return wavetest.Bytes(s.t, wave.Header{Format: wavetest.PCM24(1), Frames: int64(seconds * 48000)}, func(int, int) float64 { return 0 })
}

// Put writes a file onto the card.
func (s *Server) Put(name string, b []byte) {
	file := filepath.Join(s.Card, name)
	require.NoError(s.t, os.MkdirAll(filepath.Dir(file), 0o755))
	require.NoError(s.t, os.WriteFile(file, b, 0o644))
}

// Production makes the production that tests work in and gives its ID.
func (s *Server) Production() string {
	var p api.Production
	s.OK("POST", "/productions", map[string]any{"name": "The Lantern Ferry", "frameRate": map[string]any{"num": 25, "den": 1,
		"drop": false}},
		&p)
	return p.ID
}

// Bring imports files of the card and waits; it gives how each went, by title.
func (s *Server) Bring(production string, names ...string) map[string]api.Work {
	s.OK("POST", "/productions/"+production+"/imports", api.CardImport{Card: "LF03", Paths: names}, nil)
	return s.Settled(production)
}

// Settled waits until no work goes on.
func (s *Server) Settled(production string) map[string]api.Work {
	deadline := time.Now().Add(2 * time.Minute)
	for {
		var list []api.Work
		s.OK("GET", "/productions/"+production+"/work", nil, &list)
		open := false
		byTitle := map[string]api.Work{}
		for _, w := range list {
			open = open || w.State == "queued" || w.State == "running"
			if _, newer := byTitle[w.Title]; !newer {
				byTitle[w.Title] = w
			}
		}
		if !open {
			for title, w := range byTitle {
				s.OK("GET", "/work/"+w.ID, nil, &w) // with its report
				byTitle[title] = w
			}
			return byTitle
		}
		require.True(s.t, time.Now().Before(deadline), "work does not end: %+v", list)
		time.Sleep(20 * time.Millisecond)
	}
}

// Takes gives a production's takes by file name.
func (s *Server) Takes(production string) map[string]api.Take {
	byName := map[string]api.Take{}
	for after := ""; ; {
		var list api.TakeList
		s.OK("GET", "/productions/"+production+"/takes?after="+url.QueryEscape(after), nil, &list)
		for _, t := range list.Takes {
			byName[t.FileName] = t
		}
		if after = list.Next; after == "" {
			return byName
		}
	}
}

// Reel makes an empty reel that starts at 10:00:00:00.
func (s *Server) Reel(production, name string) api.ReelView {
	var v api.ReelView
	s.OK("POST", "/productions/"+production+"/reels", api.NewReel{Name: name, Start: new("10:00:00:00")}, &v)
	return v
}

// Do sends a command and updates the view.
func (s *Server) Do(v *api.ReelView, kind string, command any) {
	s.t.Helper()
	b, err := json.Marshal(command)
	require.NoError(s.t, err)
	s.OK("POST", "/reels/"+v.ID+"/commands", map[string]any{"revision": v.Revision, "kind": kind, "command": json.RawMessage(b)}, v)
}

// File fetches bytes.
func (s *Server) File(path string) []byte {
	u, err := url.Parse(s.Base + api.Base + path)
	require.NoError(s.t, err)
	res, err := http.Get(u.String())
	require.NoError(s.t, err)
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	require.NoError(s.t, err)
	require.Equal(s.t, http.StatusOK, res.StatusCode, "%s: %s", path, b)
	return b
}

// Copied gives the bytes of a file on the card.
func (s *Server) Copied(name string) []byte {
	b, err := os.ReadFile(filepath.Join(s.Card, name))
	require.NoError(s.t, err)
	return b
}
