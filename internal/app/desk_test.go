package app_test

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"math/rand"
	"mime/multipart"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/contract"
	"zestyloom/core/desk"
	"zestyloom/core/reel"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
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

// wrongs gives the rules that the desk has found broken.
func wrongs(r store.Receipt) (rules []string) {
	for _, f := range r.Receipt.Findings {
		if f.Severity == contract.Error {
			rules = append(rules, f.Rule)
		}
	}
	return rules
}

// splits is a print of four stereo files, with what is in them by name, and the name of the music.
func splits(t *testing.T, s *apptest.Server) (production string, p api.Print, files map[string][]byte, music string) {
	production, v := crossing(t, s)
	p = printed(s, production, v, map[string]any{"packaging": "per-group"})
	require.NotNil(t, p.Report, p.Message)
	files = map[string][]byte{}
	for _, f := range p.Report.Files {
		if files[f.Name] = s.File("/prints/" + p.ID + "/files/" + f.Name); strings.Contains(f.Name, "_MX_") {
			music = f.Name
		}
	}
	require.Len(t, files, 4)
	return production, p, files, music
}

// A print of ours is refused by the desk for nothing but the loudness that our own report refuses; what somebody has changed in it is
// refused at its place, can be heard there, and is found again by comparing.
func TestTheDesk(t *testing.T) {
	s := apptest.Start(t)
	production, p, files, music := splits(t, s)
	var ours store.Receipt
	s.OK("POST", "/prints/"+p.ID+"/receipts", nil, &ours)
	s.Settled(production)
	s.OK("GET", "/receipts/"+ours.ID, nil, &ours)
	require.NotNil(t, ours.Receipt, ours.Message)
	assert.Equal(t, []string{"loudness"}, wrongs(ours), "as in the report")
	assert.True(t, slices.ContainsFunc(p.Report.Findings, func(f contract.Finding) bool {
		return f.Rule == "loudness" &&
			f.Severity == contract.Error
	}))
	assert.Len(t, ours.Receipt.Files, 4)
	assert.Equal(t, p.ID, *ours.Print)

	files[music] = slices.Clone(files[music])
	for i := len(files[music]) - 60000; i < len(files[music])-30000; i += 6 { // some of the left channel
		files[music][i+2] = byte(int8(files[music][i+2]) / 2)
	}
	r := received(t, s, production, "spec=eight-channel-mix&name=From+the+mixer", files)
	require.NotNil(t, r.Receipt, r.Message)
	assert.Contains(t, wrongs(r), "stems-sum-to-mix")
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

	var found desk.Comparison
	s.OK("GET", "/receipts/"+r.ID+"/comparison?with="+ours.ID, nil, &found)
	assert.False(t, found.Equal)
	for _, d := range found.Differences {
		assert.Equal(t, music, d.File)
		assert.Equal(t, 1, d.Channel, "one side was changed")
	}
	s.OK("GET", "/receipts/"+r.ID+"/comparison?with="+r.ID, nil, &found)
	assert.True(t, found.Equal)
}

// What comes without a spec, singly or in a ZIP, is said to be what it is; what can't be read is refused. A receipt goes with the
// files that came for it, and a print stays.
func TestFilesFromElsewhereAtTheDesk(t *testing.T) {
	s := apptest.Start(t)
	production, p, files, music := splits(t, s)
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range files {
		w, err := z.Create("a/" + name)
		require.NoError(t, err)
		_, err = w.Write(text)
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	for _, sent := range []map[string][]byte{{"all.zip": b.Bytes()}, {"all.zip": b.Bytes(),
		music: files[music]}} { // also where an attempt had unpacked some
		r := received(t, s, production, "", sent)
		require.NotNil(t, r.Receipt, r.Message)
		assert.Equal(t, "Looked at", r.Message)
		require.Len(t, r.Receipt.Files, 4)
		require.Len(t, r.Receipt.Seen, 4)
		assert.Equal(t, "stereo", r.Receipt.Seen[0].Layout)
		assert.Equal(t, "by the names of its channels", r.Receipt.Seen[0].Why)
		assert.NotEmpty(t, s.File("/receipts/"+r.ID+"/sound?file="+r.Receipt.Files[0].Name), "what came in a ZIP can be heard")
	}
	r := received(t, s, production, "spec=eight-channel-mix", map[string][]byte{"x.wav": []byte("no sound")})
	require.NotNil(t, r.Receipt, r.Message)
	assert.Contains(t, wrongs(r), "file")
	var list []store.Receipt
	s.OK("GET", "/productions/"+production+"/receipts", nil, &list)
	assert.Len(t, list, 3)
	folders := func() int {
		there, err := filepath.Glob(filepath.Join(s.Data, "media", "received", "*"))
		require.NoError(t, err)
		return len(there)
	}
	assert.Equal(t, 3, folders())
	s.OK("DELETE", "/receipts/"+r.ID, nil, nil)
	assert.Equal(t, 2, folders(), "its files go with it")
	s.Refused(http.StatusNotFound, "GET", "/receipts/"+r.ID, nil)
	s.OK("GET", "/prints/"+p.ID, nil, &p)
}

// A delivery becomes a reel whose print is the delivery again, bit for bit: interleaved, as monos with a leader, and in a movie.
func TestDeliveriesAreLoadedAgain(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	s.OK("POST", "/specs?production="+production, movieSpec, nil)
	for i, asked := range []map[string]any{{"spec": "six-channel-split", "packaging": "interleaved"}, {"spec": "film-order-monos"},
		{"spec": "ferry-movie", "packaging": "mov"}} {
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
				lead, end := int(r.Receipt.Lead*48000), len(x[c])-int(r.Receipt.Tail*48000)
				require.Equal(t, x[c][lead:end], y[c][lead:end], "%s: the programme, bit for bit", p.Report.Files[k].Name)
				for i := range x[c] { // the leader is dithered anew, in another reel by other channels
					if math.Abs(x[c][i]-y[c][i]) > 2.0/(1<<23) {
						require.InDelta(t, x[c][i], y[c][i], 2.0/(1<<23), "%s: channel %d at %d", p.Report.Files[k].Name, c, i)
					}
				}
			}
		}
	}
}

// decoded gives the sound of both streams of a movie as it is decoded.
func decoded(t *testing.T, movie []byte) (all []byte) {
	path := filepath.Join(t.TempDir(), "x.mov")
	require.NoError(t, os.WriteFile(path, movie, 0o644))
	for _, stream := range []string{"0:a:0", "0:a:1"} {
		out, err := exec.Command("ffmpeg", "-v", "error", "-i", path, "-map", stream, "-f", "s24le", "-").Output()
		require.NoError(t, err)
		require.NotEmpty(t, out)
		all = append(all, out...)
	}
	return all
}

const foreignSpec = `spec: 2
id: foreign
title: Eight and two
groups:
  - {id: wide, name: Wide, tag: W, layout: discrete, width: 8, from: {track: none}}
  - {id: pair, name: Pair, tag: P, layout: stereo, from: {track: none}}
files:
  - {name: "{reel}", container: mov, depth: 24, streams: [{of: [wide], title: Wide, default: true}, {of: [pair], title: Pair}]}
checks: {unfed: {as: ok}}
`

// A movie that somebody else has made, with eight and two channels, and six monos: said what they are, held against a spec, loaded,
// and printed as they came.
func TestForeignDeliveriesAreLoaded(t *testing.T) {
	s := apptest.Start(t)
	production := s.Production()
	dir := t.TempDir()
	movie := filepath.Join(dir, "Foreign.mov")
	out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		"aevalsrc=0.1*sin(300*t)|0.1*sin(400*t)|0.1*sin(500*t)|0.1*sin(600*t)|0.1*sin(700*t)|0.1*sin(800*t)|0.1*sin(900*t)|0.1*sin(990*t):s=48000:d=2:c=octagonal",
		"-f", "lavfi", "-i", "aevalsrc=0.2*sin(350*t)|0.2*sin(450*t):s=48000:d=2:c=stereo", "-map", "0", "-map", "1", "-c:a", "pcm_s24le",
		"-metadata:s:a:0", "handler_name=Wide", "-metadata:s:a:1", "handler_name=Pair", "-disposition:a:0", "default", "-disposition:a:1", "0",
		movie).CombinedOutput()
	require.NoError(t, err, "%s", out)
	b, err := os.ReadFile(movie)
	require.NoError(t, err)
	s.OK("POST", "/specs?production="+production, foreignSpec, nil)
	load := func(r store.Receipt, name string) (v api.ReelView) {
		require.NotNil(t, r.Receipt, r.Message)
		s.OK("POST", "/receipts/"+r.ID+"/takes", nil, &api.BroughtIn{})
		s.Settled(production)
		s.OK("POST", "/receipts/"+r.ID+"/reel", map[string]any{"name": name}, &v)
		return v
	}
	r := received(t, s, production, "", map[string][]byte{"Foreign.mov": b})
	require.NotNil(t, r.Receipt, r.Message)
	require.Len(t, r.Receipt.Seen, 2)
	assert.Equal(t, []int{1, 2}, []int{r.Receipt.Seen[0].Stream, r.Receipt.Seen[1].Stream})
	assert.Len(t, r.Receipt.Seen[0].Labels, 8)
	v := load(r, "As it is")
	assert.Len(t, v.Groups, 2)
	assert.Len(t, v.Tracks, 2)

	r = received(t, s, production, "spec=foreign", map[string][]byte{"Foreign.mov": b})
	assert.True(t, r.Receipt.Pass, "%+v", r.Receipt.Findings)
	v = load(r, "Foreign")
	p := printed(s, production, v, map[string]any{"spec": "foreign"})
	require.NotNil(t, p.Report, p.Message)
	assert.True(t, p.Receipt.Pass, "%+v", p.Receipt.Findings)
	again := s.File("/prints/" + p.ID + "/files/" + p.Report.Files[0].Name)
	assert.True(t, bytes.Equal(decoded(t, b), decoded(t, again)), "the print is what came, bit for bit")

	monos := map[string][]byte{}
	for i, label := range []string{"L", "C", "R", "Ls", "Rs", "LFE"} {
		h := wave.Header{Format: wavetest.PCM24(1), Frames: 48000}
		monos[fmt.Sprintf("Ferry_%d.%s.wav", i+1, label)] = wavetest.Bytes(t, h, func(_,
			n int) float64 {
			return 0.1 * math.Sin(float64(n*(i+1))/50)
		})
	}
	r = received(t, s, production, "name=Six", monos)
	require.NotNil(t, r.Receipt, r.Message)
	require.Len(t, r.Receipt.Seen, 1)
	assert.Equal(t, "5.1", r.Receipt.Seen[0].Layout)
	v = load(r, "Six")
	assert.Len(t, v.Tracks, 6)
	require.Len(t, v.Groups, 1)
	assert.Equal(t, []string{"L", "C", "R", "Ls", "Rs", "LFE"}, v.Groups[0].Labels)
	assert.Len(t, v.Knots, 6)
}

// What the desk says of files is what sox and mediainfo say of them, who share no code with it: rates, bits, channels, lengths.
func TestTheDeskAgreesWithOtherReaders(t *testing.T) {
	for _, peer := range []string{"sox", "mediainfo"} {
		if _, err := exec.LookPath(peer); err != nil {
			t.Skip(peer + " is not installed")
		}
	}
	s := apptest.Start(t)
	production, v := crossing(t, s)
	s.OK("POST", "/specs?production="+production, movieSpec, nil)
	for _, asked := range []map[string]any{{"spec": "eight-channel-mix", "packaging": "per-group"}, {"spec": "film-order-monos"},
		{"spec": "ferry-movie", "packaging": "mov"}} {
		p := printed(s, production, v, asked)
		require.NotNil(t, p.Receipt, p.Message)
		for _, f := range p.Receipt.Files {
			path := filepath.Join(t.TempDir(), f.Name)
			require.NoError(t, os.WriteFile(path, s.File("/prints/"+p.ID+"/files/"+f.Name), 0o600))
			assert.Equal(t, streamsByMediainfo(t, path), heardByDesk(f), f.Name)
			if filepath.Ext(f.Name) == ".wav" {
				out, err := exec.Command("sox", "--i", path).CombinedOutput()
				require.NoError(t, err, string(out))
				d := f.Streams[0]
				for _, says := range []string{fmt.Sprintf("Channels       : %d\n", d.Channels), fmt.Sprintf("Sample Rate    : %d\n", d.Rate),
					fmt.Sprintf("Precision      : %d-bit\n", d.Depth), fmt.Sprintf(" = %d samples", d.Frames)} {
					assert.Contains(t, string(out), says, f.Name)
				}
			}
		}
	}
}

// heardByDesk lists rate, bits, channels and milliseconds of each stream.
func heardByDesk(f desk.File) (list []string) {
	for _, d := range f.Streams {
		list = append(list, fmt.Sprintf("%d Hz, %d bits, %d channels, %.0f ms", d.Rate, d.Depth, d.Channels,
			float64(d.Frames)/float64(d.Rate)*1000))
	}
	return list
}

func streamsByMediainfo(t *testing.T, path string) (list []string) {
	out, err := exec.Command("mediainfo", "--Output=JSON", path).Output()
	require.NoError(t, err)
	var found struct {
		Media struct {
			Track []struct {
				Type                                       string `json:"@type"`
				SamplingRate, BitDepth, Channels, Duration json.Number
			}
		}
	}
	require.NoError(t, json.Unmarshal(out, &found), string(out))
	for _, tr := range found.Media.Track {
		if tr.Type == "Audio" {
			seconds, err := tr.Duration.Float64()
			require.NoError(t, err)
			list = append(list, fmt.Sprintf("%s Hz, %s bits, %s channels, %.0f ms", tr.SamplingRate, tr.BitDepth, tr.Channels, seconds*1000))
		}
	}
	return list
}

// One part of a delivery gets other sound, of another width and level and a little late: it lands where it belongs, as loud as what it
// replaces; all other parts are printed as they came, byte for byte.
func TestAPartOfADeliveryIsRevised(t *testing.T) {
	s := apptest.Start(t)
	production, p, files, music := splits(t, s)
	noisy, rnd := slices.Clone(files[music]), rand.New(rand.NewSource(1)) // which has one place alone
	_, w := samples(t, noisy)
	loud := 0
	for i := w.DataOffset; i < w.DataOffset+w.Frames*6; i += 3 {
		if (i-w.DataOffset)%(3*9600) == 0 {
			loud = 1<<14 + rnd.Intn(1<<20) // as of somebody who speaks
		}
		v := rnd.Intn(loud) - loud/2
		noisy[i], noisy[i+1], noisy[i+2] = byte(v), byte(v>>8), byte(v>>16)
	}
	files[music] = noisy
	was, _ := samples(t, noisy)
	const late = 2400
	for _, name := range []string{"Waltz.wav", "Waltz alone.wav"} {
		h := wave.Header{Format: wavetest.PCM24(2), Frames: w.Frames + late}
		if name == "Waltz alone.wav" {
			h.Format = wavetest.PCM24(1)
		}
		s.Put(name, wavetest.Bytes(t, h, func(c, i int) float64 {
			if i < late {
				return 0
			}
			return was[c][i-late] / 2
		}))
	}
	s.Bring(production, "Waltz.wav", "Waltz alone.wav")
	for name, left := range map[string]float64{"Waltz.wav": 1e-4, "Waltz alone.wav": 1} { // a mono is not the same sound
		r := received(t, s, production, "spec=eight-channel-mix&name="+url.QueryEscape("From "+name), files)
		s.OK("POST", "/receipts/"+r.ID+"/takes", nil, &api.BroughtIn{})
		s.Settled(production)
		var v api.ReelView
		s.OK("POST", "/receipts/"+r.ID+"/reel", map[string]any{"name": name}, &v)
		at := slices.IndexFunc(v.Groups, func(g reel.Group) bool { return g.Name == "Music" })
		require.GreaterOrEqual(t, at, 0)
		s.OK("POST", "/reels/"+v.ID+"/revision", map[string]any{"group": v.Groups[at].ID, "take": s.Takes(production)[name].ID}, nil)
		work := s.Settled(production)["Replace Music"]
		require.Equal(t, "done", work.State, work.Message)
		assert.Contains(t, work.Message, "Music is replaced by ")
		assert.Contains(t, work.Message, "placed by its sound")
		assert.Contains(t, work.Message, "dB, which makes it as loud")
		s.OK("GET", "/reels/"+v.ID, nil, &v)
		again := printed(s, production, v, map[string]any{"spec": "eight-channel-mix", "packaging": "per-group"})
		require.NotNil(t, again.Report, again.Message)
		require.Len(t, again.Report.Files, len(p.Report.Files))
		for _, f := range again.Report.Files {
			now, _ := samples(t, s.File("/prints/"+again.ID+"/files/"+f.Name))
			for old, text := range files {
				tag := regexp.MustCompile(`_(DX|FX|MX|MIX)_`)
				if tag.FindString(old) != tag.FindString(f.Name) {
					continue
				}
				came, _ := samples(t, text)
				require.Len(t, now, len(came))
				most := 0.0
				for c := range came {
					require.Len(t, now[c], len(came[c]))
					for i := range came[c] {
						most = max(most, math.Abs(now[c][i]-came[c][i]))
					}
				}
				if old == music {
					assert.LessOrEqual(t, most, left, name)
					assert.Positive(t, most)
				} else {
					assert.Zero(t, most, "%s, as it came", f.Name)
				}
			}
		}
	}
	assert.Contains(t, s.Refused(http.StatusNotFound, "POST", "/reels/"+p.Reel+"/revision", map[string]any{"group": "nothing",
		"take": s.Takes(production)["Waltz.wav"].ID}), "no such group")
}
