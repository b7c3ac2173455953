package app_test

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/contract"
	"zestyloom/core/delivery"
	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
	"zestyloom/internal/store"
)

const movieSpec = `spec: 2
id: ferry-movie
title: Stereo and mono in a movie
mixes: [{id: full, name: Full mix, layout: stereo}]
groups:
  - {id: mix, name: Full mix, tag: MIX, layout: stereo, language: eng, from: {mix: full}}
  - {id: voice, name: Dialogue, tag: DX, layout: mono, from: {stem: DX}}
packaging: [mov, mkv, mp4, flac]
files:
  - {packaging: mov, name: "{reel}_{version}", container: mov, depth: 24}
  - {packaging: mkv, name: "{reel}", container: mkv, depth: 16}
  - {packaging: mp4, name: "{reel}", container: mp4}
  - {packaging: flac, name: "{reel}_{tag}", each: group, container: flac, rate: 96000}
`

// A movie of two streams, in each container and as FLAC at another rate: decoded, the samples are those that were printed, and
// nothing that was made on the way is left.
func TestMoviesAndFLAC(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	var plan api.Plan
	s.OK("POST", "/reels/"+v.ID+"/plan", map[string]any{"text": movieSpec}, &plan)
	require.Len(t, plan.Files, 1)
	assert.Equal(t, "Reel_1_1.mov", plan.Files[0].Name)
	var specs []api.Spec
	s.OK("GET", "/specs", nil, &specs)
	assert.False(t, slices.ContainsFunc(specs, func(x api.Spec) bool { return x.ID == "ferry-movie" }), "trying a spec does not store it")
	assert.Contains(t, s.Refused(http.StatusBadRequest, "POST", "/reels/"+v.ID+"/plan",
		map[string]any{"text": strings.Replace(movieSpec, "stem: DX", "stem: d", 1)}), "stem")
	s.OK("POST", "/specs", movieSpec, nil)
	for packaging, files := range map[string]int{"mov": 1, "mkv": 1, "mp4": 1, "flac": 2} {
		p := printed(s, production, v, map[string]any{"spec": "ferry-movie", "packaging": packaging})
		require.NotNil(t, p.Report, p.Message)
		assert.True(t, p.Report.Pass, "%s: %+v", packaging, p.Report.Findings)
		require.Len(t, p.Report.Files, files)
		decoded := 0
		for _, f := range p.Report.Findings {
			if f.Rule == "audio" && strings.Contains(f.Message, "decoded") {
				decoded++
			}
		}
		assert.Equal(t, 2, decoded, packaging)
		for _, f := range p.Report.Files {
			assert.Len(t, s.File("/prints/"+p.ID+"/files/"+f.Name), int(f.Size))
		}
		again := printed(s, production, v, map[string]any{"spec": "ferry-movie", "packaging": packaging})
		require.NotNil(t, again.Report, again.Message)
		assert.Equal(t, files, linked(again), packaging)
		assert.Zero(t, again.Report.Made)
		assert.Contains(t, fmt.Sprint(again.Report.Findings), "made and checked")
		assert.Equal(t, p.Report.Groups, again.Report.Groups, "what was measured is known")
		assert.Len(t, again.Receipt.Findings, len(p.Receipt.Findings), "and so is what the desk says of the same files")
		text, err := json.Marshal(again.Receipt)
		require.NoError(t, err)
		for i, f := range p.Report.Files {
			now := again.Report.Files[i].Name
			assert.Equal(t, packaging == "mov", f.Name != now, "of this one the name tells the version")
			assert.Positive(t, strings.Count(string(text), now))
			assert.True(t, f.Name == now || !strings.Contains(string(text), f.Name))
		}
		for i, f := range again.Report.Files {
			assert.Equal(t, p.Report.Files[i].SHA256, f.SHA256)
			assert.Len(t, s.File("/prints/"+again.ID+"/files/"+f.Name), int(f.Size))
		}
	}
	made, err := filepath.Glob(filepath.Join(s.Data, "media", "prints", "*", "*.mov"))
	require.NoError(t, err)
	assert.Len(t, made, 2)
	left, err := filepath.Glob(filepath.Join(s.Data, "media", "prints", "*", "*.wav"))
	require.NoError(t, err)
	assert.Empty(t, left, "what was made on the way does not stay")
}

// Without ffmpeg a movie fails with a sentence, and nothing lies under a final name.
func TestAMovieWithoutFFmpeg(t *testing.T) {
	if _, err := exec.LookPath("ffmpeg"); err != nil {
		t.Skip("it is not there anyway")
	}
	s := apptest.Alone(t)
	production, v := crossing(t, s)
	s.OK("POST", "/specs", movieSpec, nil)
	t.Setenv("PATH", t.TempDir())
	p := printed(s, production, v, map[string]any{"spec": "ferry-movie"})
	assert.Nil(t, p.Report)
	assert.Contains(t, p.Message, "ffmpeg, which is not installed")
	left, err := filepath.Glob(filepath.Join(s.Data, "media", "prints", "*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

// Several prints are queued at once; what can't be printed says why and keeps nothing else. Those that wait change places.
func TestTheQueueOfPrints(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	want := []map[string]any{}
	for _, spec := range []string{"six-channel-split", "none-such", "eight-channel-mix", "promo-kit", "six-channel-split",
		"film-order-monos"} {
		want = append(want, map[string]any{"reel": v.ID, "spec": spec})
	}
	var answers []api.QueueAnswer
	s.OK("POST", "/productions/"+production+"/queue", want, &answers)
	require.Len(t, answers, 6)
	assert.Contains(t, answers[1].Message, `no delivery spec "none-such"`)
	assert.Empty(t, answers[1].Print)
	last, fourth := answers[5].Print, answers[3].Print
	status := s.Call("POST", "/work/"+last+"/turn", map[string]any{"before": fourth}, nil)
	assert.Contains(t, []int{http.StatusNoContent, http.StatusConflict}, status, "or one of them runs already")
	if s.Call("POST", "/work/"+last+"/turn", map[string]any{"hold": true}, nil) == http.StatusNoContent {
		require.Eventually(t, func() bool { // it is left when all others are done
			var left []store.Queued
			s.OK("GET", "/productions/"+production+"/queue", nil, &left)
			return len(left) == 1 && left[0].ID == last && left[0].Held
		}, time.Minute, 100*time.Millisecond)
		time.Sleep(3 * time.Second) // longer than from one beat of the runner to the next
		var left []store.Queued
		s.OK("GET", "/productions/"+production+"/queue", nil, &left)
		require.Len(t, left, 1, "and waits")
		s.OK("POST", "/work/"+last+"/turn", map[string]any{}, nil)
	}
	var queue []store.Queued
	require.Eventually(t, func() bool {
		s.OK("GET", "/productions/"+production+"/queue", nil, &queue)
		return len(queue) == 0
	}, time.Minute, 100*time.Millisecond)
	for i, a := range answers {
		if i == 1 {
			continue
		}
		var p store.Print
		s.OK("GET", "/prints/"+a.Print, nil, &p)
		assert.Equal(t, "done", p.State, p.Message)
	}
	assert.Contains(t, s.Refused(http.StatusConflict, "POST", "/work/"+last+"/turn", map[string]any{}), "does not wait any more")
}

// An ffmpeg that is killed fails the print with a sentence, one that hangs is stopped with it; nothing lies under a final name, and
// tried again with one that works the print is whole.
func TestAnFFmpegThatDiesOrHangs(t *testing.T) {
	real, err := exec.LookPath("ffmpeg")
	require.NoError(t, err)
	s := apptest.Alone(t)
	production, v := crossing(t, s)
	s.OK("POST", "/specs", movieSpec, nil)
	path := os.Getenv("PATH")
	stub := func(does string) {
		dir := t.TempDir()
		require.NoError(t, os.WriteFile(filepath.Join(dir, "ffmpeg"), []byte("#!/bin/sh\n"+does+"\n"), 0o700))
		t.Setenv("PATH", dir+":"+path)
	}
	left := func() []string {
		files, err := filepath.Glob(filepath.Join(s.Data, "media", "*", "*", "*.mov"))
		require.NoError(t, err)
		return files
	}

	stub("kill -9 $$")
	p := printed(s, production, v, map[string]any{"spec": "ferry-movie"})
	assert.Equal(t, "failed", p.State)
	assert.Contains(t, p.Message, "could not be put together by ffmpeg, so nothing of it is delivered")
	assert.Empty(t, left())

	stub(`echo "Error writing trailer: No space left on device" >&2; exit 1`)
	s.OK("POST", "/work/"+p.ID+"/retry", map[string]any{}, nil)
	s.Settled(production)
	s.OK("GET", "/prints/"+p.ID, nil, &p)
	assert.Equal(t, "failed", p.State)
	assert.Contains(t, p.Message, "The disk is full. Make room on the server, then try again")
	assert.Empty(t, left())

	hangs := filepath.Join(t.TempDir(), "hangs")
	stub("touch " + hangs + "; exec sleep 1000")
	s.OK("POST", "/work/"+p.ID+"/retry", map[string]any{}, nil)
	require.Eventually(t, func() bool {
		_, err := os.Stat(hangs)
		return err == nil
	}, 60*time.Second, 50*time.Millisecond)
	s.OK("POST", "/work/"+p.ID+"/cancel", nil, nil)
	s.OK("GET", "/prints/"+p.ID, nil, &p)
	assert.Equal(t, "cancelled", p.State)
	require.Eventually(t, func() bool {
		staged, err := filepath.Glob(filepath.Join(s.Data, "media", "attempts", "*"))
		return err == nil && len(staged) == 0
	}, 60*time.Second, 100*time.Millisecond, "what was begun is cleared away")
	assert.Empty(t, left())

	stub("exec " + real + ` "$@"`)
	s.OK("POST", "/work/"+p.ID+"/retry", map[string]any{}, nil)
	s.Settled(production)
	s.OK("GET", "/prints/"+p.ID, nil, &p)
	require.NotNil(t, p.Report, p.Message)
	assert.True(t, p.Report.Pass, "%+v", p.Report.Findings)
	assert.Equal(t, 2, linked(p), "the sound of both streams was whole when ffmpeg was killed, and is not rendered again")
	require.Eventually(t, func() bool {
		kept, err := filepath.Glob(filepath.Join(s.Data, "media", "kept", "*"))
		return err == nil && len(kept) == 0
	}, 60*time.Second, 100*time.Millisecond, "what was kept for another attempt goes with its end")
	p = printed(s, production, v, map[string]any{"spec": "ferry-movie"})
	require.NotNil(t, p.Report, p.Message)
	assert.True(t, p.Report.Pass, "%+v", p.Report.Findings)
	assert.NotEmpty(t, p.Report.Files[0].Linked, "the movie was not put together again")
	assert.Equal(t, "Reel_1_2.mov", p.Report.Files[0].Name)
}

// A print that runs is paused: it stops, keeps what is whole, and goes on with that when it is given a turn again.
func TestAPrintIsPaused(t *testing.T) {
	s := apptest.Alone(t)
	production, v := crossing(t, s)
	s.OK("POST", "/specs", movieSpec, nil)
	real, err := exec.LookPath("ffmpeg")
	require.NoError(t, err)
	dir := t.TempDir()
	hangs, free := filepath.Join(dir, "hangs"), filepath.Join(dir, "free")
	stub := "#!/bin/sh\nif [ ! -e " + free + " ]; then touch " + hangs + "; exec sleep 1000; fi\nexec " + real + " \"$@\"\n"
	require.NoError(t, os.WriteFile(filepath.Join(dir, "ffmpeg"), []byte(stub), 0o700))
	t.Setenv("PATH", dir+":"+os.Getenv("PATH"))
	var p api.Print
	s.OK("POST", "/reels/"+v.ID+"/prints", map[string]any{"spec": "ferry-movie"}, &p)
	require.Eventually(t, func() bool {
		_, err := os.Stat(hangs)
		return err == nil
	}, 60*time.Second, 50*time.Millisecond)
	s.OK("POST", "/work/"+p.ID+"/turn", map[string]any{"hold": true}, nil)
	var queue []store.Queued
	s.OK("GET", "/productions/"+production+"/queue", nil, &queue)
	require.Len(t, queue, 1)
	assert.True(t, queue[0].Held)
	assert.Equal(t, "queued", queue[0].State)
	require.Eventually(t, func() bool {
		staged, err := filepath.Glob(filepath.Join(s.Data, "media", "attempts", "*"))
		return err == nil && len(staged) == 0
	}, 60*time.Second, 100*time.Millisecond)
	require.NoError(t, os.WriteFile(free, nil, 0o600))
	s.OK("POST", "/work/"+p.ID+"/turn", map[string]any{}, nil)
	s.Settled(production)
	s.OK("GET", "/prints/"+p.ID, nil, &p)
	require.NotNil(t, p.Report, p.Message)
	assert.Equal(t, 2, linked(p), "it goes on with what was whole")
	assert.Contains(t, s.Refused(http.StatusConflict, "POST", "/work/"+p.ID+"/turn", map[string]any{"hold": true}), "is over")
}

// linked counts what a report says was not made again.
func linked(p api.Print) (n int) {
	for _, f := range p.Report.Findings {
		if strings.Contains(f.Message, "has changed, so it was not") {
			n++
		}
	}
	return n
}

// A second print makes those files alone that an edit is heard in; the others are copies, byte for byte, which nothing that happens to
// the first print harms, and are made again where somebody has touched them.
func TestWhatHasNotChangedIsLinked(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	request := map[string]any{"packaging": "per-group"}
	first := printed(s, production, v, request)
	require.NotNil(t, first.Report, first.Message)
	assert.Zero(t, linked(first))
	files := func(name string) []string {
		found, err := filepath.Glob(filepath.Join(s.Data, "media", "prints", "*", name))
		require.NoError(t, err)
		return found
	}
	music := v.Tracks[2]
	require.Equal(t, "MX", music.Stem)
	s.Do(&v, "setTrack", map[string]any{"track": music.ID, "gainDB": -3})
	second := printed(s, production, v, request)
	require.NotNil(t, second.Report, second.Message)
	assert.True(t, slices.EqualFunc(first.Report.Findings, second.Report.Findings,
		func(a, b contract.Finding) bool { return a.Rule == b.Rule && a.Severity == b.Severity }))
	assert.Equal(t, 2, linked(second), "dialogue and effects; music and the full mix are new")
	for i, f := range second.Report.Files {
		pair := files(f.Name)
		require.Len(t, pair, 2)
		a, err := os.Stat(pair[0])
		require.NoError(t, err)
		b, err := os.Stat(pair[1])
		require.NoError(t, err)
		assert.False(t, os.SameFile(a, b), "%s: a bit that flips in one would in the other", f.Name)
		assert.Equal(t, f.Linked != "", f.SHA256 == first.Report.Files[i].SHA256, f.Name)
	}
	s.OK("DELETE", "/prints/"+first.ID, nil, nil)
	untouched := second.Report.Files[slices.IndexFunc(second.Report.Files, func(f delivery.DeliveredFile) bool { return f.Linked != "" })]
	require.Eventually(t, func() bool { return len(files(untouched.Name)) == 1 }, 60*time.Second, 100*time.Millisecond)
	assert.Len(t, s.File("/prints/"+second.ID+"/files/"+untouched.Name), int(untouched.Size))

	touched, err := os.OpenFile(files(untouched.Name)[0], os.O_WRONLY, 0)
	require.NoError(t, err)
	_, err = touched.WriteAt([]byte{1, 2, 3}, untouched.Size-30)
	require.NoError(t, err)
	require.NoError(t, touched.Close())
	third := printed(s, production, v, request)
	require.NotNil(t, third.Report, third.Message)
	assert.Equal(t, 3, linked(third), "all but the one that is no longer what it was")
	assert.NotZero(t, third.Report.Made)
	for i, f := range third.Report.Files {
		if f.Linked != "" {
			assert.Equal(t, second.Report.Files[i].SHA256, f.SHA256)
		}
	}
}

// A delivery is written into a folder of the server under a name of its own, whole or not at all; what lies there stays.
func TestDeliveriesAreHandedOver(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	p := printed(s, production, v, map[string]any{"packaging": "per-group"})
	require.NotNil(t, p.Report, p.Message)
	var folders []string
	s.OK("GET", "/receivers", nil, &folders)
	require.Equal(t, []string{"Harbour Mile"}, folders)
	over := func() (w api.Work) {
		s.OK("POST", "/prints/"+p.ID+"/handover", map[string]any{"folder": "Harbour Mile"}, &w)
		s.Settled(production)
		s.OK("GET", "/work/"+w.ID, nil, &w)
		return w
	}
	w := over()
	assert.Equal(t, "done", w.State, w.Message)
	assert.Equal(t, p.ID, *w.Result)
	name := "The_Lantern_Ferry_Reel_1_eight-channel-mix_v1"
	assert.Equal(t, "Written to Harbour Mile as "+name, w.Message)
	sums, err := exec.Command("sh", "-c", "cd "+filepath.Join(s.Receiver,
		name)+" && sha256sum -c manifest.sha256 && ls -A").CombinedOutput()
	require.NoError(t, err, string(sums))
	assert.Equal(t, 4, strings.Count(string(sums), ": OK"))
	assert.Contains(t, string(sums), "report.json")

	again := over()
	assert.Equal(t, "done", again.State, "it is there")
	assert.Contains(t, again.Message, "lies in Harbour Mile, whole")
	part := filepath.Join(s.Receiver, name, p.Plan.Files[0].Name)
	whole, err := os.ReadFile(part)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(part, whole[1:], 0o644)) // somebody else's, by the looks of it
	again = over()
	assert.Equal(t, "failed", again.State)
	assert.Contains(t, again.Message, "already; it was left as it is")

	// The delivery is taken away, and a file of it is spoiled on the server's disk.
	require.NoError(t, os.RemoveAll(filepath.Join(s.Receiver, name)))
	files, err := filepath.Glob(filepath.Join(s.Data, "media", "prints", "*", "*MX*"))
	require.NoError(t, err)
	require.Len(t, files, 1)
	require.NoError(t, os.WriteFile(files[0], []byte("spoiled"), 0o644))
	spoiled := over()
	assert.Equal(t, "failed", spoiled.State)
	assert.Contains(t, spoiled.Message, "no longer what was printed")
	left, err := os.ReadDir(s.Receiver)
	require.NoError(t, err)
	assert.Empty(t, left, "nothing half is left")
	assert.Contains(t, s.Refused(http.StatusNotFound, "POST", "/prints/"+p.ID+"/handover", map[string]any{"folder": "../x"}), "no folder")
}

// Another movie in the place of the picture is not delivered, though it can be read; and what was damaged on the disk since it was
// printed is not handed out as if it were whole, and can be printed again.
func TestWhatWasChangedOnTheDiskIsNotDelivered(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	movie := func(colour string) []byte {
		at := filepath.Join(t.TempDir(), "cut.mov")
		out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "color="+colour+":s=64x36:r=25:d=6", "-f", "lavfi", "-i",
			"sine=d=6:r=48000", "-c:v", "mpeg4", "-c:a", "pcm_s24le", "-timecode", "10:00:00:00", at).CombinedOutput()
		require.NoError(t, err, "%s", out)
		b, err := os.ReadFile(at)
		require.NoError(t, err)
		return b
	}
	s.Put("cut.mov", movie("red"))
	s.Bring(production, "cut.mov")
	cut := s.Takes(production)["cut.mov"]
	s.Do(&v, "setReel", map[string]any{"picture": map[string]any{"take": cut.ID, "start": v.Head.Start}})
	s.OK("POST", "/specs", strings.Replace(movieSpec, "container: mov,", "container: mov, picture: reference,", 1), nil)
	p := printed(s, production, v, map[string]any{"spec": "ferry-movie"})
	require.NotNil(t, p.Report, p.Message)
	sources, err := filepath.Glob(filepath.Join(s.Data, "media", "*", "*", "source.mov"))
	require.NoError(t, err)
	require.Len(t, sources, 1)
	real, err := os.ReadFile(sources[0])
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(sources[0], movie("blue"), 0o600))
	other := printed(s, production, v, map[string]any{"spec": "ferry-movie"})
	assert.Nil(t, other.Report)
	assert.Contains(t, other.Message, "is not the movie that was brought in")
	require.NoError(t, os.WriteFile(sources[0], real, 0o600))

	name := p.Report.Files[0].Name
	found, err := filepath.Glob(filepath.Join(s.Data, "media", "prints", "*", name))
	require.NoError(t, err)
	require.Len(t, found, 1)
	made := found[0]
	b, err := os.ReadFile(made)
	require.NoError(t, err)
	b[len(b)/2] ^= 1
	require.NoError(t, os.WriteFile(made, b, 0o600))
	answer, err := http.Get(s.Base + api.Base + "/prints/" + p.ID + "/files/" + name)
	require.NoError(t, err)
	defer answer.Body.Close()
	_, err = io.ReadAll(answer.Body)
	require.Error(t, err, "it breaks off")
	again := printed(s, production, v, map[string]any{"spec": "ferry-movie"})
	require.NotNil(t, again.Report, again.Message)
	assert.True(t, again.Report.Pass, again.Report.Findings)
	assert.Empty(t, again.Report.Files[0].Linked, "what was damaged is not linked")
	assert.Len(t, s.File("/prints/"+again.ID+"/files/"+again.Report.Files[0].Name), int(again.Report.Files[0].Size))
}
