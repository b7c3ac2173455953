package app_test

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/contract"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
	"zestyloom/internal/store"
)

func samples(t testing.TB, file []byte) ([][]float64, *wave.File) {
	f := wavetest.Read(t, file)
	return wavetest.Samples(t, f), f
}

// crossing brings two takes in, lays them out, and chooses the eight-channel spec.
func crossing(t testing.TB, s *apptest.Server) (production string, v api.ReelView) {
	s.Record("day1/12A.wav", 3, "Mix L", "Boom", "Ines lav")
	s.Record("music/Cue.wav", 4, "", "")
	production = s.Production()
	for title, w := range s.Bring(production, "day1/12A.wav", "music/Cue.wav") {
		require.Equal(t, "done", w.State, "%s: %s", title, w.Message)
	}
	takes := s.Takes(production)
	v = s.Reel(production, "Reel 1")
	for _, name := range []string{"12A.wav", "Cue.wav"} {
		s.OK("POST", "/reels/"+v.ID+"/lay", map[string]any{"revision": v.Revision, "takes": []string{takes[name].ID}}, &v)
	}
	s.OK("POST", "/reels/"+v.ID+"/spec", api.SpecChoice{Revision: v.Revision, Spec: "eight-channel-mix"}, &v)
	return production, v
}

// print prints a reel and waits for the report.
func printed(s *apptest.Server, production string, v api.ReelView, request map[string]any) api.Print {
	var p api.Print
	s.OK("POST", "/reels/"+v.ID+"/prints", request, &p)
	s.Settled(production)
	s.OK("GET", "/prints/"+p.ID, nil, &p)
	return p
}

func TestFromCardToDelivery(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	require.Len(t, v.Tracks, 3, "the mix was left out, the cue is one bonded track")
	assert.Equal(t, "Ines lav", v.Tracks[1].Name)
	assert.Equal(t, []string{"L", "R"}, v.Tracks[2].Labels)
	assert.Equal(t, "MX", v.Tracks[2].Stem)
	assert.EqualValues(t, 36001*48000, v.Clips[1].Start)
	assert.Len(t, v.Outputs, 8)
	assert.Empty(t, findings(v, "unreached"))
	assert.Len(t, findings(v, "unfed"), 2, "no effects yet")

	s.Do(&v, "setTrack", map[string]any{"track": v.Tracks[0].ID, "dual": true})
	s.Do(&v, "setTrack", map[string]any{"track": v.Tracks[1].ID, "mute": true})
	var plan api.Plan
	s.OK("POST", "/reels/"+v.ID+"/plan", map[string]any{"packaging": "per-group"}, &plan)
	assert.Len(t, plan.Files, 4)

	p := printed(s, production, v, map[string]any{"packaging": "per-group"})
	require.NotNil(t, p.Report, p.Message)
	for _, f := range p.Report.Findings {
		if f.Rule != "loudness" && f.Rule != "ppm" { // this little reel was not made for a target
			assert.EqualValues(t, "ok", f.Severity, "%+v", f)
		}
	}
	dx := s.File("/prints/" + p.ID + "/files/" + p.Plan.Files[0].Name)
	sum := sha256.Sum256(dx)
	assert.Equal(t, hex.EncodeToString(sum[:]), p.Report.Files[0].SHA256)
	got, f := samples(t, dx)
	assert.EqualValues(t, 36000*48000, f.Bext.TimeReference)
	source, err := os.ReadFile(filepath.Join(s.Card, "day1/12A.wav"))
	require.NoError(t, err)
	want, _ := samples(t, source)
	for side := range 2 {
		assert.Equal(t, want[1], got[side][48000:48000+3*48000], "one iso at unity is bit-identical")
	}

	archive := s.File("/prints/" + p.ID + "/archive")
	z, err := zip.NewReader(bytes.NewReader(archive), int64(len(archive)))
	require.NoError(t, err)
	names := map[string][]byte{}
	for _, entry := range z.File {
		r, err := entry.Open()
		require.NoError(t, err)
		folder, name, _ := strings.Cut(entry.Name, "/")
		assert.Equal(t, p.Plan.Folder(), folder)
		names[name], err = io.ReadAll(r)
		require.NoError(t, err)
	}
	require.Len(t, slices.Collect(maps.Keys(names)), 4+11, "the files, and the papers beside them")
	assert.Contains(t, string(names["manifest.sha256"]), hex.EncodeToString(sum[:])+"  "+p.Plan.Files[0].Name)
	var report api.Report
	require.NoError(t, json.Unmarshal(names["report.json"], &report))
}

func findings(v api.ReelView, rule string) (found []string) {
	for _, f := range v.Findings {
		if string(f.Rule) == rule {
			found = append(found, f.Message)
		}
	}
	return found
}

func TestLoudnessAgreesWithFFmpeg(t *testing.T) {
	ffmpeg, err := exec.LookPath("ffmpeg")
	require.NoError(t, err, "ffmpeg is the peer that loudness is compared with")
	s := apptest.Start(t)
	production, v := crossing(t, s)
	p := printed(s, production, v, map[string]any{"packaging": "per-group"})
	require.NotNil(t, p.Report)
	file := filepath.Join(t.TempDir(), "mix.wav")
	require.NoError(t, os.WriteFile(file, s.File("/prints/"+p.ID+"/files/"+p.Plan.Files[3].Name), 0o600))
	out, err := exec.Command(ffmpeg, "-hide_banner", "-nostats", "-i", file, "-af", "ebur128=peak=true:framelog=verbose", "-f", "null",
		"-").CombinedOutput()
	require.NoError(t, err, string(out))
	figure := func(form string) float64 {
		m := regexp.MustCompile(form).FindStringSubmatch(string(out))
		require.NotNil(t, m, string(out))
		x, err := strconv.ParseFloat(m[1], 64)
		require.NoError(t, err)
		return x
	}
	mix := p.Report.Groups[3]
	assert.InDelta(t, figure(`I:\s+(-?[\d.]+) LUFS`), *mix.IntegratedLUFS, 0.1)
	assert.InDelta(t, figure(`Peak:\s+(-?[\d.]+) dBFS`), *mix.TruePeakMaxDBTP, 0.3)
}

func TestKnots(t *testing.T) {
	s := apptest.Start(t)
	_, v := crossing(t, s)
	boom := v.Tracks[0].ID
	s.OK("POST", "/reels/"+v.ID+"/ties", api.TieRequest{Revision: v.Revision, At: []api.Crossing{{Row: "track", From: boom,
		Output: "effects/L"}}}, &v)
	s.Do(&v, "setKnots", map[string]any{"knots": []map[string]any{{"row": "track", "from": boom, "channel": 0, "output": "effects/L",
		"gainDB": -6}}})
	found := false
	for _, r := range v.Routes {
		found = found || r.Track == boom && r.Output == "effects/L" && r.Direct && math.Abs(r.GainDB+6) < 1e-9
	}
	assert.True(t, found)
	assert.Len(t, findings(v, "one-sided"), 1)
	s.Do(&v, "clearKnots", map[string]any{"at": []map[string]any{{"row": "track", "from": boom, "output": "effects/L"}}})
	assert.Empty(t, findings(v, "one-sided"))
	assert.Equal(t, "clear Boom at Effects L", v.Undo)
	s.OK("POST", "/reels/"+v.ID+"/undo", api.Turning{}, &v)
	assert.Len(t, findings(v, "one-sided"), 1)
	s.OK("POST", "/reels/"+v.ID+"/redo", api.Turning{}, &v)
	assert.Empty(t, findings(v, "one-sided"))
	var steps []api.Step
	s.OK("GET", "/reels/"+v.ID+"/history", nil, &steps)
	assert.Equal(t, "redo", steps[0].Kind)
}

func TestBadFilesHurtNothingElse(t *testing.T) {
	s := apptest.Start(t)
	s.Record("good.wav", 1, "Boom", "Ines lav")
	good, err := os.ReadFile(filepath.Join(s.Card, "good.wav"))
	require.NoError(t, err)
	noChannels := bytes.Clone(good)
	binary.LittleEndian.PutUint16(noChannels[bytes.Index(good, []byte("fmt "))+10:], 0)
	s.Put("text.wav", []byte("The ferry's log, not a recording at all."))
	s.Put("empty.wav", nil)
	s.Put("chunk.wav", good[:30])
	s.Put("cut.wav", good[:len(good)-1001])
	s.Put("nochannels.wav", noChannels)
	s.Put("again.wav", good)
	production := s.Production()
	work := s.Bring(production, "text.wav", "empty.wav", "chunk.wav", "cut.wav", "nochannels.wav", "good.wav")
	for name, says := range map[string]string{
		"text.wav": "not a WAVE", "empty.wav": "empty", "chunk.wav": "ends inside its format chunk", "nochannels.wav": "0 channels",
	} {
		assert.Equal(t, "failed", work[name].State, name)
		assert.Contains(t, work[name].Message, says, name)
	}
	assert.Equal(t, "done", work["good.wav"].State)
	assert.Equal(t, "done", work["cut.wav"].State, "what can be saved is saved")
	assert.Contains(t, work["cut.wav"].Message, "what is there was kept")
	takes := s.Takes(production)
	assert.Len(t, takes, 2)
	assert.True(t, takes["cut.wav"].Description.Recovered)
	work = s.Bring(production, "again.wav", "missing.wav", "../../etc/passwd")
	assert.Equal(t, "done", work["again.wav"].State, "the same sound under another name is another file")
	s.OK("DELETE", "/takes/"+*work["again.wav"].Result, nil, nil)
	work = s.Bring(production, "good.wav", "missing.wav", "../../etc/passwd")
	assert.Contains(t, work["good.wav"].Message, "this very file already, as good.wav")
	assert.Contains(t, work["missing.wav"].Message, "not on card")
	assert.Equal(t, "failed", work["passwd"].State)
	left, err := filepath.Glob(filepath.Join(s.Data, "media/sources/*"))
	require.NoError(t, err)
	assert.Len(t, left, 2, "nothing of the refused files is left")

	assert.Equal(t, takes["good.wav"].ID, *work["good.wav"].Result)
	assert.Len(t, s.Takes(production), 2)
	assert.Equal(t, "again", work["good.wav"].Offer)
	s.OK("POST", "/work/"+work["good.wav"].ID+"/retry", map[string]any{"again": true}, nil)
	assert.Empty(t, s.Settled(production)["good.wav"].Offer)
	var list api.TakeList
	s.OK("GET", "/productions/"+production+"/takes", nil, &list)
	assert.Len(t, list.Takes, 3, "it was wanted all the same")

	s.Put("text.wav", good[:len(good)-6]) // mended on the card
	s.OK("POST", "/work/"+work["text.wav"].ID+"/retry", nil, nil)
	assert.Equal(t, "done", s.Settled(production)["text.wav"].State)
}

func TestCardsStayInTheirFolder(t *testing.T) {
	s := apptest.Start(t)
	s.Record("roll/12A.wav", 0.1, "Boom")
	s.Put("roll/notes.txt", []byte("x"))
	require.NoError(t, os.Symlink("/etc", filepath.Join(s.Card, "out")))
	var cards []string
	s.OK("GET", "/cards", nil, &cards)
	assert.Equal(t, []string{"LF03"}, cards)
	var list []api.CardEntry
	s.OK("GET", "/cards/LF03/files", nil, &list)
	require.Len(t, list, 1, "links are not shown")
	assert.True(t, list[0].Folder)
	s.OK("GET", "/cards/LF03/files?folder=roll", nil, &list)
	require.Len(t, list, 1)
	assert.Equal(t, "roll/12A.wav", list[0].Path)
	s.OK("GET", "/cards/LF03/files?folder=../../..", nil, &list)
	assert.Len(t, list, 1, "climbing ends at the top of the card")
	for _, path := range []string{"/cards/LF03/files?folder=out", "/cards/none/files", "/cards/LF03/files?folder=gone"} {
		assert.GreaterOrEqual(t, s.Call("GET", path, nil, nil), 400, path)
	}
}

// upload speaks tus by hand, so that it can break off and go on.
func upload(t testing.TB, s *apptest.Server, production, name string, size int, extra map[string]string) (location string,
	res *http.Response) {
	req, _ := http.NewRequest("POST", s.Base+api.Base+"/uploads/", nil)
	req.Header.Set("Tus-Resumable", "1.0.0")
	req.Header.Set("Upload-Length", fmt.Sprint(size))
	enc := func(x string) string { return base64.StdEncoding.EncodeToString([]byte(x)) }
	req.Header.Set("Upload-Metadata", "production "+enc(production)+",filename "+enc(name))
	for k, v := range extra {
		req.Header.Set(k, v)
	}
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	res.Body.Close()
	u, err := url.Parse(res.Header.Get("Location"))
	require.NoError(t, err)
	return u.Path, res
}

func patch(s *apptest.Server, location string, offset int, body io.Reader, length int64) (*http.Response, error) {
	req, _ := http.NewRequest("PATCH", s.Base+location, body)
	req.ContentLength = length
	req.Header.Set("Tus-Resumable", "1.0.0")
	req.Header.Set("Upload-Offset", fmt.Sprint(offset))
	req.Header.Set("Content-Type", "application/offset+octet-stream")
	return http.DefaultClient.Do(req)
}

// broken gives some bytes and then fails, as a lost connection does.
type broken struct{ left []byte }

func (b *broken) Read(p []byte) (int, error) {
	if len(b.left) == 0 {
		return 0, io.ErrUnexpectedEOF
	}
	n := copy(p, b.left)
	b.left = b.left[n:]
	return n, nil
}

func TestUploadBrokenOffGoesOn(t *testing.T) {
	s := apptest.Start(t)
	s.Record("12A.wav", 2, "Boom", "Ines lav")
	file, err := os.ReadFile(filepath.Join(s.Card, "12A.wav"))
	require.NoError(t, err)
	production := s.Production()
	location, res := upload(t, s, production, "12A.wav", len(file), nil)
	require.Equal(t, http.StatusCreated, res.StatusCode)
	_, err = patch(s, location, 0, &broken{file[:100_000]}, int64(len(file)))
	require.Error(t, err, "the connection broke")
	assert.Empty(t, s.Takes(production), "half a file is no take")

	s.Stop() // and the server went down as well
	s.Run()
	var offset int
	require.Eventually(t, func() bool {
		req, _ := http.NewRequest("HEAD", s.Base+location, nil)
		req.Header.Set("Tus-Resumable", "1.0.0")
		head, err := http.DefaultClient.Do(req)
		if err != nil || head.StatusCode != http.StatusOK {
			return false
		}
		head.Body.Close()
		offset, err = strconv.Atoi(head.Header.Get("Upload-Offset"))
		return err == nil
	}, 60*time.Second, 20*time.Millisecond)
	assert.LessOrEqual(t, offset, 100_000)
	rest := file[offset:]
	done, err := patch(s, location, offset, bytes.NewReader(rest), int64(len(rest)))
	require.NoError(t, err)
	done.Body.Close()
	require.Equal(t, http.StatusNoContent, done.StatusCode)
	assert.NotEmpty(t, done.Header.Get("Loom-Work"))
	s.Settled(production)
	sum := sha256.Sum256(file)
	take, ok := s.Takes(production)["12A.wav"]
	require.True(t, ok)
	assert.Equal(t, hex.EncodeToString(sum[:]), take.SHA256, "the bytes are those that were sent")
	left, err := filepath.Glob(filepath.Join(s.Data, "uploads/*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestUploadsAreRefusedInWords(t *testing.T) {
	s := apptest.Start(t)
	_, res := upload(t, s, "00000000-0000-0000-0000-000000000000", "x.wav", 10, nil)
	assert.Equal(t, http.StatusNotFound, res.StatusCode)
	_, res = upload(t, s, s.Production(), "x.wav", 0, nil)
	assert.Equal(t, http.StatusBadRequest, res.StatusCode)
	_, res = upload(t, s, another(s), "", 5, nil)
	assert.Equal(t, http.StatusBadRequest, res.StatusCode)
}

func another(s *apptest.Server) string {
	var p api.Production
	s.OK("POST", "/productions", map[string]any{"name": "Another", "frameRate": map[string]any{"num": 24, "den": 1, "drop": false}}, &p)
	return p.ID
}

func TestForeignPagesAreRefused(t *testing.T) {
	s := apptest.Start(t)
	for name, c := range map[string]struct {
		change func(*http.Request)
		status int
	}{
		"host":   {func(r *http.Request) { r.Host = "evil.example" }, http.StatusMisdirectedRequest},
		"origin": {func(r *http.Request) { r.Header.Set("Origin", "http://evil.example") }, http.StatusForbidden},
		"site":   {func(r *http.Request) { r.Header.Set("Sec-Fetch-Site", "cross-site") }, http.StatusForbidden},
		"post":   {func(r *http.Request) { r.Method = "POST"; r.Header.Set("Sec-Fetch-Site", "same-site") }, http.StatusForbidden},
	} {
		req, _ := http.NewRequest("GET", s.Base+api.Base+"/productions", nil)
		c.change(req)
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		res.Body.Close()
		assert.Equal(t, c.status, res.StatusCode, name)
		assert.Contains(t, res.Header.Get("Content-Security-Policy"), "base-uri 'none'", name)
		assert.Equal(t, "DENY", res.Header.Get("X-Frame-Options"), name)
	}
	res, err := http.Get(s.Base + api.Base + "/nothing")
	require.NoError(t, err)
	res.Body.Close()
	assert.Equal(t, http.StatusNotFound, res.StatusCode)
	assert.Equal(t, "application/problem+json", res.Header.Get("Content-Type"))
}

func TestRequestsThatMakeNoSense(t *testing.T) {
	s := apptest.Start(t)
	_, v := crossing(t, s)
	s.Do(&v, "setReel", map[string]any{"start": 2})
	s.OK("GET", "/reels/"+v.ID, nil, &v)
	p := "/reels/" + v.ID
	for _, c := range []struct {
		status       int
		method, path string
		body         any
		says         string
	}{
		{400, "POST", p + "/commands", map[string]any{"revision": v.Revision, "kind": "jump", "command": map[string]any{}},
			"none of the kinds"},
		{400, "POST", p + "/commands", map[string]any{"revision": v.Revision, "kind": "setTrack", "command": map[string]any{"track": "t1",
			"colour": "red"}}, "colour"},
		{400, "POST", p + "/commands", map[string]any{"revision": v.Revision, "kind": "moveClips",
			"command": map[string]any{"clips": []string{"c1"}, "by": 1.5}}, "command/by: "},
		{400, "POST", p + "/commands", map[string]any{"revision": v.Revision, "kind": "trimClip", "command": map[string]any{"clip": "c1",
			"by": 5, "edge": "top"}}, "command/edge: "},
		{400, "POST", p + "/commands", map[string]any{"revision": v.Revision, "kind": "trimClip", "command": map[string]any{"by": 5,
			"edge": "end"}}, "\"clip\" is missing"},
		{404, "POST", p + "/commands", map[string]any{"revision": v.Revision, "kind": "setTrack",
			"command": map[string]any{"track": "t99"}},
			"no longer"},
		{409, "POST", p + "/commands", map[string]any{"revision": 1, "kind": "setReel", "command": map[string]any{"start": 1}},
			"has changed the same in the meantime"},
		{404, "POST", p + "/spec", api.SpecChoice{Revision: v.Revision, Spec: "none"}, "no delivery spec"},
		{404, "POST", p + "/ties", api.TieRequest{Revision: v.Revision, At: []api.Crossing{{Row: "stem", From: "DX", Output: "none/L"}}},
			"no output"},
		{404, "POST", p + "/lay", map[string]any{"revision": v.Revision, "takes": []string{"nonsense"}}, "no such take"},
		{400, "POST", p + "/lay", "revision: 1", "Content-Type"},
		{404, "GET", "/reels/nonsense", nil, "no such reel"},
		{404, "GET", "/prints/nonsense", nil, "no such print"},
		{400, "POST", "/specs", "id: [", "YAML"},
		{400, "POST", "/productions", map[string]any{"name": "", "frameRate": map[string]any{"num": 25, "den": 1, "drop": false}},
			"needs a name"},
	} {
		assert.Contains(t, s.Refused(c.status, c.method, c.path, c.body), c.says, "%s %s", c.method, c.path)
	}
	var same api.ReelView
	s.OK("GET", p, nil, &same)
	assert.Equal(t, v, same, "nothing was changed by any of it")
}

func TestOwnSpecs(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	text := "id: mono-dialogue\ntitle: Mono dialogue\ncontainer: wave\nsampleRate: 48000\nbitDepth: 16\npackaging: [per-group]\nnaming: {interleaved: \"{reel}\", per-group: \"{reel}_{tag}\"}\ngroups: [{id: dx, name: Dialogue, tag: DX, layout: mono, stems: [DX]}]\n"
	assert.Contains(t, s.Refused(400, "POST", "/specs", strings.Replace(text, "mono-dialogue", "as-it-is", 1)), "without a spec")
	s.OK("POST", "/specs", text, nil)
	var specs []api.Spec
	s.OK("GET", "/specs", nil, &specs)
	shipped, err := contract.Shipped()
	require.NoError(t, err)
	assert.Len(t, specs, len(shipped)+1)
	var written api.SpecText
	s.OK("GET", "/specs/mono-dialogue", nil, &written)
	one := 1
	assert.Equal(t, api.SpecText{Id: "mono-dialogue", Title: "Mono dialogue", Text: text, Example: []string{"Reel_1_DX.wav"},
		Kept: store.ForAll, Version: &one}, written)
	s.OK("GET", "/specs/film-order-monos", nil, &written)
	assert.Equal(t, store.Shipped, written.Kept)
	assert.Contains(t, s.Refused(http.StatusBadRequest, "POST", "/specs", strings.Replace(text, "mono-dialogue", "eight-channel-mix", 1)),
		"ships with")
	p := printed(s, production, v, map[string]any{"spec": "mono-dialogue"})
	require.NotNil(t, p.Report, p.Message)
	assert.True(t, p.Report.Pass, "%+v", p.Report.Findings)
	x, f := samples(t, s.File("/prints/"+p.ID+"/files/Reel_1_DX.wav"))
	assert.Equal(t, 16, f.BitDepth)
	assert.Len(t, x, 1)
	var now api.ReelView
	s.OK("GET", "/reels/"+v.ID, nil, &now)
	assert.Equal(t, v, now, "printing for another spec leaves the reel's weave as it is")
	assert.Contains(t, string(s.File("/specs/schema")), "Delivery spec")
	s.OK("DELETE", "/specs/mono-dialogue", nil, nil)
	s.Refused(http.StatusNotFound, "DELETE", "/specs/mono-dialogue", nil)
	s.Refused(http.StatusNotFound, "DELETE", "/specs/eight-channel-mix", nil)
}

// A spec is kept for all or for one production, whose own comes first; each change is a version, and what it was before can be
// had.
func TestSpecsHaveVersionsAndAPlace(t *testing.T) {
	s := apptest.Start(t)
	here := s.Production()
	var there api.Production
	s.OK("POST", "/productions", map[string]any{"name": "Another", "frameRate": map[string]any{"num": 25, "den": 1, "drop": false}}, &there)
	text := func(title string) string { return strings.Replace(movieSpec, "Stereo and mono in a movie", title, 1) }
	keep := func(production, title string) {
		s.OK("POST", "/specs?production="+production, text(title), nil)
	}
	title := func(production string, version int) string {
		path := "/specs/ferry-movie?production=" + production
		if version > 0 {
			path += fmt.Sprintf("&version=%d", version)
		}
		var written api.SpecText
		s.OK("GET", path, nil, &written)
		return written.Title
	}
	listed := func(production string) (found []store.ListedSpec) {
		s.OK("GET", "/specs?production="+production, nil, &found)
		return slices.DeleteFunc(found, func(x store.ListedSpec) bool { return x.Kept == store.Shipped })
	}
	keep(here, "First")
	keep(here, "Second")
	keep(here, "Second") // which is no other
	assert.Empty(t, listed(there.ID))
	require.Len(t, listed(here), 1)
	assert.Equal(t, store.InProduction, listed(here)[0].Kept)
	assert.Equal(t, 2, listed(here)[0].Version)
	s.OK("POST", "/specs", text("For all"), nil)
	assert.Equal(t, "For all", title(there.ID, 0))
	assert.Equal(t, "Second", title(here, 0), "its own comes first")
	assert.Equal(t, "First", title(here, 1))
	assert.Contains(t, s.Refused(http.StatusNotFound, "GET", "/specs/ferry-movie?version=3&production="+here, nil), "not in this version")
	var versions []api.SpecVersion
	s.OK("GET", "/specs/ferry-movie/versions?production="+here, nil, &versions)
	require.Len(t, versions, 2)
	assert.Equal(t, []int{2, 1}, []int{versions[0].Version, versions[1].Version})
	assert.Equal(t, "editor", versions[0].Author)
	s.OK("DELETE", "/specs/ferry-movie?production="+here, nil, nil)
	assert.Equal(t, "For all", title(here, 0), "and with it gone, that for all")
	s.Refused(http.StatusNotFound, "POST", "/specs?production=00000000-0000-4000-8000-000000000000", text("Nowhere"))
}

func TestPrintsCanBeStopped(t *testing.T) {
	s := apptest.Start(t)
	s.Record("long.wav", 240, "Boom", "Ines lav", "Tobiah lav")
	production := s.Production()
	s.Bring(production, "long.wav")
	v := s.Reel(production, "Reel 1")
	s.OK("POST", "/reels/"+v.ID+"/lay", map[string]any{"revision": 0, "takes": []string{s.Takes(production)["long.wav"].ID}}, &v)
	s.OK("POST", "/reels/"+v.ID+"/spec", api.SpecChoice{Revision: v.Revision, Spec: "six-channel-split"}, &v)
	var p api.Print
	s.OK("POST", "/reels/"+v.ID+"/prints", map[string]any{}, &p)
	s.OK("POST", "/work/"+p.ID+"/cancel", nil, nil)
	s.OK("GET", "/prints/"+p.ID, nil, &p)
	assert.Equal(t, "cancelled", p.State)
	assert.Contains(t, s.Refused(404, "GET", "/prints/"+p.ID+"/archive", nil), "not finished")
	require.Eventually(t, func() bool {
		left, err := filepath.Glob(filepath.Join(s.Data, "media/prints/*"))
		return err == nil && len(left) == 0
	}, 60*time.Second, 50*time.Millisecond, "what was written is removed")
	s.Refused(400, "POST", "/work/"+p.ID+"/cancel", nil)
}

// A server that goes down in the middle of its work takes it up again when it comes back.
func TestInterruptedWorkIsTakenUpAgain(t *testing.T) {
	s := apptest.Start(t)
	for i := range 4 {
		s.Record(fmt.Sprintf("take%d.wav", i), 60, "Boom", "Ines lav", "Tobiah lav", "Radio", strings.Repeat("x", i+1))
	}
	production := s.Production()
	s.OK("POST", "/productions/"+production+"/imports", api.CardImport{Card: "LF03", Paths: []string{"take0.wav", "take1.wav", "take2.wav",
		"take3.wav"}}, nil)
	s.Stop()
	s.Run()
	for title, w := range s.Settled(production) {
		assert.Equal(t, "done", w.State, "%s: %s", title, w.Message)
	}
	assert.Len(t, s.Takes(production), 4)
}

// Work that was stopped after its take came into the list is tried again without the card: the take keeps its sound.
func TestRetryDoesNotTouchATakeThatIsThere(t *testing.T) {
	s := apptest.Start(t)
	s.Record("12A.wav", 1, "Boom", "Ines lav")
	production := s.Production()
	work := s.Bring(production, "12A.wav")["12A.wav"]
	before := s.Takes(production)["12A.wav"]
	conn, err := pgx.Connect(t.Context(), s.Database)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	_, err = conn.Exec(t.Context(), "update work set state = 'cancelled' where id = $1", work.ID)
	require.NoError(t, err)
	_, err = conn.Exec(t.Context(), "update takes set findings = null")
	require.NoError(t, err)
	require.NoError(t, os.Remove(filepath.Join(s.Card, "12A.wav")))

	s.OK("POST", "/work/"+work.ID+"/retry", nil, nil)
	again := s.Settled(production)["12A.wav"]
	assert.Equal(t, "done", again.State, again.Message)
	after := s.Takes(production)["12A.wav"]
	assert.Equal(t, before, after, "the same take, with its findings")
	assert.NotNil(t, after.Channels[0].Findings)
	assert.Len(t, s.File("/takes/"+after.ID+"/waveform?level=0&from=0&count=1000"), 375*2*6, "and its files")
}

func TestOverview(t *testing.T) {
	s := apptest.Start(t)
	s.Record("12A.wav", 2, "Boom", "Ines lav")
	production := s.Production()
	s.Bring(production, "12A.wav")
	id := s.Takes(production)["12A.wav"].ID
	assert.Len(t, s.File("/takes/"+id+"/waveform?level=0&from=0&count=65536"), 750*2*6, "96000 frames are 750 bins of 2 channels")
	assert.Len(t, s.File("/takes/"+id+"/waveform?level=1&from=46&count=10"), 1*2*6)
	assert.Empty(t, s.File("/takes/"+id+"/waveform?level=2&from=99&count=10"))
	s.Refused(400, "GET", "/takes/"+id+"/waveform?level=7&from=0&count=1", nil)
	s.Refused(400, "GET", "/takes/"+id+"/waveform?level=0&from=-1&count=1", nil)
}

// Takes from before waveforms had an RMS have theirs drawn anew when they are first looked at, by several at once too.
func TestFormerOverviewsAreDrawnAnew(t *testing.T) {
	s := apptest.Start(t)
	s.Record("12A.wav", 2, "Boom", "Ines lav")
	production := s.Production()
	s.Bring(production, "12A.wav")
	path := "/takes/" + s.Takes(production)["12A.wav"].ID + "/waveform?level=%d&from=0&count=65536"
	var before [3][]byte
	for level := range before {
		before[level] = s.File(fmt.Sprintf(path, level))
	}
	drawn, err := filepath.Glob(filepath.Join(s.Data, "media/sources/*/waveform.*"))
	require.NoError(t, err)
	require.Len(t, drawn, 3)
	for _, file := range drawn {
		require.NoError(t, os.Rename(file, strings.Replace(file, "/waveform.", "/overview.", 1)))
	}
	var wait sync.WaitGroup
	for range 4 {
		for level := range before {
			wait.Go(func() { assert.Equal(t, before[level], s.File(fmt.Sprintf(path, level))) })
		}
	}
	wait.Wait()
	left, err := filepath.Glob(filepath.Join(s.Data, "media/*/*/overview.*"))
	require.NoError(t, err)
	assert.Empty(t, left, "what nobody reads any more")
	left, err = filepath.Glob(filepath.Join(s.Data, "media/attempts/*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestChannelsAreDiagnosedAfterImport(t *testing.T) {
	s := apptest.Start(t)
	s.Put("14.wav", wavetest.Bytes(t, wave.Header{Format: wavetest.PCM24(4), Frames: 96000, IXML: &wave.IXML{Scene: "14", Take: "1"}},
		func(c,
			i int) float64 {
			return []float64{0.3, 0.3, 0, 1.2}[c] * math.Sin(float64(i)*[]float64{0.05, 0.05, 0, 0.031}[c])
		}))
	production := s.Production()
	s.Bring(production, "14.wav")
	take := s.Takes(production)["14.wav"]
	kinds := [][]string{}
	for _, c := range take.Channels {
		found := []string{}
		for _, f := range c.Findings {
			found = append(found, string(f.Kind))
		}
		kinds = append(kinds, found)
	}
	assert.Equal(t, [][]string{{}, {"copy"}, {"empty"}, {"clipped"}}, kinds)
	v := s.Reel(production, "Reel 1")
	s.OK("POST", "/reels/"+v.ID+"/lay", map[string]any{"revision": 0, "takes": []string{take.ID}}, &v)
	assert.Len(t, v.Tracks, 2, "the copy and the empty channel are left out unless asked for")
}

func TestTakeEdits(t *testing.T) {
	s := apptest.Start(t)
	s.Record("12A.wav", 0.5, "Boom", "Ines lav")
	production := s.Production()
	s.Bring(production, "12A.wav")
	take := s.Takes(production)["12A.wav"]
	s.OK("PATCH", "/takes/"+take.ID, map[string]any{"slate": map[string]any{"note": "rope creaks"},
		"channels": []any{map[string]any{"index": 2, "name": "Ines, lav"}}}, &take)
	assert.Equal(t, "Ines, lav", take.Channels[1].Name)
	assert.Equal(t, "rope creaks", take.Description.Note)
	v := s.Reel(production, "Reel 1")
	s.OK("POST", "/reels/"+v.ID+"/lay", map[string]any{"revision": 0, "takes": []string{take.ID}}, &v)
	assert.Equal(t, "Ines, lav", v.Tracks[1].Name, "the name follows the channel")
	s.OK("POST", "/productions/"+production+"/takes/undo", api.AtRevision{}, nil)
	assert.Equal(t, "Ines lav", s.Takes(production)["12A.wav"].Channels[1].Name)
	s.OK("POST", "/productions/"+production+"/takes/redo", api.AtRevision{}, nil)
	s.Refused(404, "PATCH", "/takes/"+take.ID, map[string]any{"slate": map[string]any{},
		"channels": []any{map[string]any{"index": 9, "name": "x"}}})
	assert.Contains(t, s.Refused(400, "DELETE", "/takes/"+take.ID, nil), "Reel 1")
}
