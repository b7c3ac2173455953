package app_test

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"mime/multipart"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/contract"
	"zestyloom/core/desk"
	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
	"zestyloom/internal/store"
)

// received takes files to the desk and waits for what it says.
func received(t *testing.T, s *apptest.Server, production, query string, files map[string][]byte) store.Receipt {
	var body bytes.Buffer
	form := multipart.NewWriter(&body)
	for name, b := range files {
		w, err := form.CreateFormFile("file", name)
		require.NoError(t, err)
		_, err = w.Write(b)
		require.NoError(t, err)
	}
	require.NoError(t, form.Close())
	res, err := http.Post(s.Base+"/api/v1/productions/"+production+"/receipts?"+query, form.FormDataContentType(), &body)
	require.NoError(t, err)
	defer res.Body.Close()
	answer, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	require.Equal(t, http.StatusAccepted, res.StatusCode, "%s", answer)
	var r store.Receipt
	require.NoError(t, json.Unmarshal(answer, &r))
	s.Settled(production)
	s.OK("GET", "/receipts/"+r.ID, nil, &r)
	return r
}

// A print of ours is accepted by the desk; what somebody has changed in it is refused, at its place, and can be heard there; what
// comes without a spec is said to be what it is.
func TestTheDesk(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	p := printed(s, production, v, map[string]any{"packaging": "per-group"})
	require.NotNil(t, p.Report, p.Message)
	var r store.Receipt
	s.OK("POST", "/prints/"+p.ID+"/receipts", nil, &r)
	s.Settled(production)
	s.OK("GET", "/receipts/"+r.ID, nil, &r)
	require.NotNil(t, r.Receipt, r.Message)
	wrong := func(r store.Receipt) (rules []string) {
		for _, f := range r.Receipt.Findings {
			if f.Severity == contract.Error {
				rules = append(rules, f.Rule)
			}
		}
		return rules
	}
	ours := map[string]bool{}
	for _, f := range p.Report.Findings {
		if f.Severity == contract.Error {
			ours[f.Rule] = true
		}
	}
	for _, rule := range wrong(r) {
		assert.True(t, ours[rule], "the desk finds nothing that the printer has not: %s", rule)
	}
	assert.Len(t, r.Receipt.Files, 4)
	assert.Equal(t, p.ID, *r.Print)

	files := map[string][]byte{}
	for _, f := range p.Report.Files {
		files[f.Name] = s.File("/prints/" + p.ID + "/files/" + f.Name)
	}
	var mx string
	for name := range files {
		if strings.Contains(name, "_MX_") {
			mx = name
		}
	}
	loud := slices.Clone(files[mx])
	for i := len(loud) - 60000; i < len(loud)-30000; i += 6 { // some of the left channel
		loud[i+2] = byte(int8(loud[i+2]) / 2)
	}
	changed := map[string][]byte{}
	for name, b := range files {
		changed[name] = b
	}
	changed[mx] = loud
	r = received(t, s, production, "spec=eight-channel-mix&name=From+the+mixer", changed)
	require.NotNil(t, r.Receipt, r.Message)
	assert.Contains(t, wrong(r), "stems-sum-to-mix")
	assert.Contains(t, r.Message, "Refused")
	assert.Equal(t, "From the mixer", r.Name)
	at := slices.IndexFunc(r.Receipt.Findings, func(f contract.Finding) bool { return f.Rule == "stems-sum-to-mix" })
	f := r.Receipt.Findings[at]
	require.NotNil(t, f.Seconds)
	sound := s.File(fmt.Sprintf("/receipts/%s/sound?file=%s&channel=%d&from=%f&seconds=0.5", r.ID, f.File, f.Channel, *f.Seconds))
	x, w := samples(t, sound)
	assert.Equal(t, 1, w.Channels)
	assert.Greater(t, len(x[0]), 5000)
	s.Refused(http.StatusNotFound, "GET", "/receipts/"+r.ID+"/sound?file=../x.wav", nil)

	var list []store.Receipt
	s.OK("GET", "/productions/"+production+"/receipts", nil, &list)
	require.Len(t, list, 2)
	var found desk.Comparison
	s.OK("GET", "/receipts/"+list[0].ID+"/comparison?with="+list[1].ID, nil, &found)
	assert.False(t, found.Equal)
	for _, d := range found.Differences {
		assert.Equal(t, mx, d.File)
		assert.Equal(t, 1, d.Channel, "one side was changed")
	}
	s.OK("GET", "/receipts/"+r.ID+"/comparison?with="+r.ID, nil, &found)
	assert.True(t, found.Equal)

	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range files {
		w, err := z.Create("a/" + name)
		require.NoError(t, err)
		_, err = w.Write(text)
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	r = received(t, s, production, "", map[string][]byte{"all.zip": b.Bytes()})
	require.NotNil(t, r.Receipt, r.Message)
	assert.Equal(t, "Looked at", r.Message)
	require.Len(t, r.Receipt.Seen, 4)
	assert.Equal(t, "stereo", r.Receipt.Seen[0].Layout)
	assert.Equal(t, "by the names of its channels", r.Receipt.Seen[0].Why)
	assert.NotEmpty(t, s.File("/receipts/"+r.ID+"/sound?file="+r.Receipt.Files[0].Name), "what came in a ZIP can be heard")

	r = received(t, s, production, "spec=eight-channel-mix", map[string][]byte{"x.wav": []byte("no sound")})
	require.NotNil(t, r.Receipt, r.Message)
	assert.False(t, r.Receipt.Pass)
	s.OK("GET", "/productions/"+production+"/receipts", nil, &list)
	assert.Len(t, list, 4)
	s.OK("DELETE", "/receipts/"+r.ID, nil, nil)
	s.Refused(http.StatusNotFound, "GET", "/receipts/"+r.ID, nil)
	assert.IsType(t, &desk.Receipt{}, list[0].Receipt)
}

// A delivery becomes a reel whose print is the delivery again, bit for bit: interleaved, as monos with a leader, and in a movie.
func TestDeliveriesAreLoadedAgain(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	s.OK("POST", "/specs?production="+production, movieSpec, nil)
	for i, asked := range []map[string]any{{"spec": "six-channel-split", "packaging": "interleaved"}, {"spec": "film-order-monos"}, {"spec": "ferry-movie", "packaging": "mov"}} {
		p := printed(s, production, v, asked)
		require.NotNil(t, p.Report, p.Message)
		var r store.Receipt
		s.OK("POST", "/prints/"+p.ID+"/receipts", nil, &r)
		s.Settled(production)
		s.OK("GET", "/receipts/"+r.ID, nil, &r)
		require.NotNil(t, r.Receipt, r.Message)
		name := map[string]any{"name": fmt.Sprint("Again ", i)}
		assert.Contains(t, s.Refused(http.StatusNotFound, "POST", "/receipts/"+r.ID+"/reel", name), "is not in the production yet")
		var brought api.BroughtIn
		s.OK("POST", "/receipts/"+r.ID+"/takes", nil, &brought)
		require.Len(t, brought.Work, len(p.Report.Files))
		s.Settled(production)
		var again api.ReelView
		s.OK("POST", "/receipts/"+r.ID+"/reel", name, &again)
		assert.Equal(t, v.Head.FrameRate, again.Head.FrameRate)
		assert.Equal(t, v.Head.Start, again.Head.Start, "it begins with the programme, not with its leader")
		assert.Equal(t, asked["spec"], again.Head.Spec)
		asked["restamp"] = true
		q := printed(s, production, again, asked)
		require.NotNil(t, q.Report, q.Message)
		require.Len(t, q.Report.Files, len(p.Report.Files))
		for k := range p.Report.Files {
			before, after := s.File("/prints/"+p.ID+"/files/"+p.Report.Files[k].Name), s.File("/prints/"+q.ID+"/files/"+q.Report.Files[k].Name)
			if strings.HasSuffix(p.Report.Files[k].Name, ".mov") {
				before, after = decoded(t, before), decoded(t, after)
				require.Equal(t, len(before), len(after))
				assert.True(t, bytes.Equal(before, after), "the movie's sound")
				continue
			}
			x, _ := samples(t, before)
			y, _ := samples(t, after)
			require.Len(t, y, len(x))
			for c := range x {
				require.Len(t, y[c], len(x[c]), p.Report.Files[k].Name)
				for i := range x[c] { // the leader is dithered anew, in another reel by other channels
					if math.Abs(x[c][i]-y[c][i]) > 2.0/(1<<23) {
						require.InDelta(t, x[c][i], y[c][i], 2.0/(1<<23), "%s: channel %d at %d", p.Report.Files[k].Name, c, i)
					}
				}
			}
		}
	}
}

// decoded gives all sound of a movie as it is decoded.
func decoded(t *testing.T, movie []byte) []byte {
	path := filepath.Join(t.TempDir(), "x.mov")
	require.NoError(t, os.WriteFile(path, movie, 0o644))
	out, err := exec.Command("ffmpeg", "-v", "error", "-i", path, "-map", "0:a:0", "-f", "s24le", "-").Output()
	require.NoError(t, err)
	return out
}
