package demo

import (
	"crypto/sha256"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/align"
	"zestyloom/core/cutlist"
	"zestyloom/core/diagnose"
	"zestyloom/core/overview"
	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/core/wave"
)

// hashes gives the SHA-256 of every file below dir.
func hashes(t *testing.T, dir string) map[string][32]byte {
	out := map[string][32]byte{}
	require.NoError(t, filepath.WalkDir(dir, func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := os.ReadFile(p)
		rel, _ := filepath.Rel(dir, p)
		out[rel] = sha256.Sum256(b)
		return err
	}))
	return out
}

func TestGenerate(t *testing.T) {
	a, b := t.TempDir(), t.TempDir()
	var lock sync.Mutex
	var made []File
	require.NoError(t, Generate(t.Context(), a, func(f File) error {
		lock.Lock()
		defer lock.Unlock()
		_, err := os.Stat(filepath.Join(Cards(a)[f.Card], f.Path))
		made = append(made, f)
		return err
	}))
	assert.ElementsMatch(t, Files(), made)
	require.NoError(t, Generate(t.Context(), b, func(File) error { return nil }))
	first := hashes(t, a)
	assert.Len(t, first, len(Files())+len(cutLists))
	assert.Equal(t, first, hashes(t, b), "the same bytes at every run")

	f, err := os.Open(filepath.Join(a, "card", "LF03", "LF03_12A_T03.wav"))
	require.NoError(t, err)
	defer f.Close()
	info, err := f.Stat()
	require.NoError(t, err)
	w, err := wave.Open(f, info.Size())
	require.NoError(t, err)
	d := take.Describe(w, f.Name())
	assert.Equal(t, []string{"12A", "3", "LF03", "10:00:32:00"}, []string{d.Scene, d.Take, d.Roll, *d.StartTimecode})
	assert.True(t, d.Circled)
	assert.Equal(t, take.Mix, d.Tracks[1].Use)
	assert.Equal(t, "Ines lav", d.Tracks[3].Name)
	levels, _, err := overview.Survey(t.Context(), w, discard(), nil)
	require.NoError(t, err)
	for i, l := range levels {
		assert.Equal(t, i == 6, l.Empty(), "only the unused input is empty, channel %d", i+1)
		assert.Less(t, *l.PeakDBFS, 0.0)
	}
	t.Run("cameras line up", func(t *testing.T) { camerasLineUp(t, a) })
	t.Run("channels are what they are", func(t *testing.T) { channelsAreTold(t, a) })
}

func discard() []io.Writer {
	out := make([]io.Writer, len(overview.OverviewFrames))
	for i := range out {
		out[i] = io.Discard
	}
	return out
}

// camerasLineUp finds what must be found, which is known, because the cameras' sound was made with it.
func camerasLineUp(t *testing.T, dir string) {
	open := func(name string) *wave.File { return extracted(t, name) }
	for _, truth := range Truths() {
		movie, recording := open(filepath.Join(dir, "camera", CameraRoll, truth.Movie)), open(filepath.Join(dir, "card", Roll, truth.Take))
		m, err := align.Waveforms(t.Context(), movie, recording)
		require.NoError(t, err)
		if !assert.True(t, m.Matched, "%s: %+v", truth.Movie, m) {
			continue
		}
		assert.InDelta(t, truth.Offset, m.OffsetSamples, 1, truth.Movie)
		assert.InDelta(t, truth.DriftPPM, m.DriftPPM, 2, truth.Movie)
		t.Logf("%s: offset %d (true %d), drift %.2f ppm (true %g), confidence %.2f, runner-up %.2f", truth.Movie, m.OffsetSamples, truth.Offset,
			m.DriftPPM, truth.DriftPPM, m.Confidence, m.RunnerUp)
	}
	stranger, err := align.Waveforms(t.Context(), open(filepath.Join(dir, "camera", CameraRoll, "A003C004.mov")),
		open(filepath.Join(dir, "card", Roll, "LF03_12A_T03.wav")))
	require.NoError(t, err)
	assert.False(t, stranger.Matched)
}

// extracted opens a file's sound; a movie's is taken out of it by ffmpeg.
func extracted(t *testing.T, name string) *wave.File {
	if filepath.Ext(name) == ".mov" {
		out := filepath.Join(t.TempDir(), "sound.wav")
		said, err := exec.Command("ffmpeg", "-v", "error", "-i", name, "-map", "0:a", "-c:a", "pcm_s24le", out).CombinedOutput()
		require.NoError(t, err, "%s", said)
		name = out
	}
	f, err := os.Open(name)
	require.NoError(t, err)
	t.Cleanup(func() { f.Close() })
	info, err := f.Stat()
	require.NoError(t, err)
	w, err := wave.Open(f, info.Size())
	require.NoError(t, err)
	return w
}

// channelsAreTold finds on the recorders' channels what is there, and nothing else.
func channelsAreTold(t *testing.T, dir string) {
	known := map[string]diagnose.Kind{"Mix L": diagnose.Mix, "Mix R": diagnose.Mix, "Input 7": diagnose.Empty, "Radio safety": diagnose.Copy}
	for _, s := range shots {
		if s.scene == "wild" || s.files == set || s.files == loose { // the wild track is low, and told so
			continue
		}
		f := extracted(t, filepath.Join(dir, s.folder(), s.names()[0]))
		a := diagnose.New(rate, take.Describe(f, s.names()[0]).Names())
		require.NoError(t, f.EachBlock(8192, func(_ int64, block [][]float64) error { a.Write(block); return nil }))
		for i, c := range a.Findings() {
			var want []diagnose.Kind
			if kind, ok := known[s.channels[i]]; ok {
				want = []diagnose.Kind{kind}
			}
			var got []diagnose.Kind
			for _, finding := range c.Findings {
				got = append(got, finding.Kind)
			}
			assert.Equal(t, want, got, "%s, %s", s.names()[0], s.channels[i])
		}
	}
}

// The cut list that the demo's reel follows has its takes where the reel has them; the next one has one that is not here.
func TestCutLists(t *testing.T) {
	at := map[string]string{}
	for _, p := range Layout() {
		at[p.File] = p.At
	}
	read := func(name string) []cutlist.Event {
		l, err := cutlist.Read(strings.NewReader(CutListText(name)), FrameRate, rate)
		require.NoError(t, err)
		assert.Empty(t, l.Notes)
		return l.Spoken()
	}
	before, after := read(CutList), read(NextCut)
	require.Len(t, before, 4)
	require.Len(t, after, 6)
	for _, e := range before[:3] {
		assert.Equal(t, e.SourceIn, e.From, "%s lies at its own timecode", e.Name)
	}
	assert.Equal(t, at["B02_18C_T02"], FrameRate.LabelAt(before[3].From, rate))
	for i, e := range after[1:4] {
		assert.EqualValues(t, -2*rate, e.From-before[i+1].From)
	}
}

func TestEpisodeIsDense(t *testing.T) {
	takes := map[string]EpisodeTake{}
	for _, file := range EpisodeFiles() {
		takes[file] = EpisodeTake{ID: file, Frames: 24 * rate}
	}
	lay := func() *reel.Reel {
		stems := []reel.Stem{}
		for i, id := range []string{"DX", "NX", "MX", "FX", "AX"} {
			stems = append(stems, reel.Stem{ID: id, Name: id, Order: i + 1, Labels: stereo})
		}
		r := reel.New(EpisodeReel, rate, FrameRate, 36000*rate, stems)
		command, err := EpisodeEdits(takes)[0](r)
		require.NoError(t, err)
		change, _, err := command.Plan(r, nil)
		require.NoError(t, err)
		require.NoError(t, r.Apply(change))
		return r
	}
	r := lay()
	assert.Len(t, r.Tracks, 48)
	assert.InDelta(t, 900, len(r.Clips), 100)
	assert.InDelta(t, 22*60, float64(r.End()-r.Head.Start)/rate, 60)
	assert.Equal(t, r.ClipList(), lay().ClipList(), "the same at every run")
}
