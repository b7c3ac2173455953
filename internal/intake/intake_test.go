package intake

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/desk"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/take"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

// recording writes a WAVE file of so many channels, each with a tone of its own, and gives its samples.
func recording(t *testing.T, file string, channels, frames int, x *wave.IXML) [][]float64 {
	h := wave.Header{Format: wavetest.PCM24(channels), Frames: int64(frames), IXML: x}
	b := wavetest.Bytes(t, h, func(c, i int) float64 { return 0.4 * math.Sin(float64(i)*0.01*float64(c+1)) })
	require.NoError(t, os.WriteFile(file, b, 0o600))
	return wavetest.Samples(t, wavetest.Read(t, b))
}

func ffmpeg(t *testing.T, args ...string) {
	out, err := exec.Command("ffmpeg", append([]string{"-v", "error", "-y"}, args...)...).CombinedOutput()
	require.NoError(t, err, "%s", out)
}

func samplesOf(t *testing.T, local string, stream int) (take.Description, [][]float64) {
	w, d, closer, err := Open(context.Background(), local, filepath.Base(local), stream)
	require.NoError(t, err)
	defer closer.Close()
	return d, wavetest.Samples(t, w)
}

func TestMovieWithTwoStreams(t *testing.T) {
	dir := t.TempDir()
	eight, two := filepath.Join(dir, "8.wav"), filepath.Join(dir, "2.wav")
	want8, want2 := recording(t, eight, 8, 48000, nil), recording(t, two, 2, 48000, nil)
	movie := filepath.Join(dir, "A003.mov")
	ffmpeg(t, "-f", "lavfi", "-i", "testsrc2=s=320x180:r=25:d=1", "-i", eight, "-i", two, "-map", "0", "-map", "1", "-map", "2", "-c:v",
		"libx264", "-preset", "ultrafast", "-c:a", "pcm_s24le", "-timecode", "10:00:00:05", movie)
	c, err := Probe(context.Background(), movie, "A003.mov")
	require.NoError(t, err)
	require.Len(t, c.Streams, 2)
	require.NotNil(t, c.Movie)
	assert.Equal(t, []int{320, 180}, []int{c.Movie.Width, c.Movie.Height})
	assert.Equal(t, "25", c.Movie.FrameRate.Number())
	assert.EqualValues(t, "mov", c.Streams[0].Description.Container)
	assert.Equal(t, layout.Seven1, c.Streams[0].Description.Layout, "eight channels are one bonded set")
	assert.Equal(t, layout.Stereo, c.Streams[1].Description.Layout)
	d, got8 := samplesOf(t, movie, 0)
	assert.EqualValues(t, 36000*48000+48000/5, *d.StartSamples)
	assert.Equal(t, want8, got8, "bit for bit")
	_, got2 := samplesOf(t, movie, 1)
	assert.Equal(t, want2, got2)
	_, _, _, err = Open(context.Background(), movie, "A003.mov", 2)
	assert.Equal(t, fault.BadInput, fault.KindOf(err))

	proxy := filepath.Join(dir, "proxy.mp4")
	share := 0.0
	seconds, err := Proxy(context.Background(), movie, *c.Movie, proxy, func(s float64) { share = s })
	require.NoError(t, err)
	assert.InDelta(t, 1, seconds, 0.05)
	p, err := Probe(context.Background(), proxy, "proxy.mp4")
	require.NoError(t, err)
	assert.Equal(t, "h264", p.Movie.Codec)
	assert.Empty(t, p.Streams)
	assert.Positive(t, share)
}

func TestOtherContainers(t *testing.T) {
	dir := t.TempDir()
	sound := filepath.Join(dir, "s.wav")
	want := recording(t, sound, 2, 48000, nil)
	for _, c := range []struct {
		name, codec string
		exact       bool
	}{{"a.mkv", "flac", true}, {"a.mxf", "pcm_s24le", true}, {"a.mp4", "aac", false}} {
		movie := filepath.Join(dir, c.name)
		args := []string{"-f", "lavfi", "-i", "color=s=128x96:r=25:d=1", "-i", sound, "-c:v", "mpeg2video", "-c:a", c.codec}
		if c.codec == "aac" {
			args = append(args, "-b:a", "256k")
		}
		ffmpeg(t, append(args, movie)...)
		d, got := samplesOf(t, movie, 0)
		assert.Equal(t, filepath.Ext(c.name)[1:], string(d.Container))
		if c.exact {
			require.GreaterOrEqual(t, len(got[0]), 48000)
			for ch := range want {
				assert.Equal(t, want[ch], got[ch][:48000], c.name)
			}
			continue
		}
		for i := 5000; i < 43000; i += 7 { // coded sound is not the same, but it lies where it should
			require.InDelta(t, want[0][i], got[0][i], 0.02, "%s frame %d", c.name, i)
		}
	}
}

func TestFLAC(t *testing.T) {
	dir := t.TempDir()
	sound, packed := filepath.Join(dir, "s.wav"), filepath.Join(dir, "s.flac")
	want := recording(t, sound, 3, 10000, nil)
	ffmpeg(t, "-i", sound, "-metadata", "SCENE=12A", "-metadata", "TAKE=3", packed)
	d, got := samplesOf(t, packed, 0)
	assert.Equal(t, want, got)
	assert.Equal(t, []string{"12A", "3"}, []string{d.Scene, d.Take})
	assert.EqualValues(t, "flac", d.Container)

	whole, err := os.ReadFile(packed)
	require.NoError(t, err)
	padding := 4
	for whole[padding]&0x7f != 1 { // the kinds of the head's blocks; 1 is padding
		padding += 4 + int(whole[padding+1])<<16 + int(whole[padding+2])<<8 + int(whole[padding+3])
	}
	flipped := bytes.Clone(whole)
	flipped[padding+9] ^= 0x10
	require.NoError(t, os.WriteFile(packed, flipped, 0o600))
	d, got = samplesOf(t, packed, 0)
	assert.Equal(t, want, got, "what nobody reads is no reason to refuse the sound")
	assert.Equal(t, "12A", d.Scene)
	comments := 4
	for whole[comments]&0x7f != 4 {
		comments += 4 + int(whole[comments+1])<<16 + int(whole[comments+2])<<8 + int(whole[comments+3])
	}
	damaged := bytes.Clone(whole)
	copy(damaged[comments+4:], []byte{0xff, 0xff, 0xff, 0x7f}) // longer than all of it
	tag := append([]byte("ID3\x04\x00\x00\x00\x00\x02\x03"), bytes.Repeat([]byte{'x'}, 2<<7|3)...)
	for name, c := range map[string]struct {
		file []byte
		code []string
	}{"damaged comments": {damaged, []string{"comments-damaged"}}, "a tag before": {append(bytes.Clone(tag), whole...), []string{"id3"}},
		"both": {append(bytes.Clone(tag), damaged...), []string{"id3", "comments-damaged"}}} {
		require.NoError(t, os.WriteFile(packed, c.file, 0o600))
		found, err := Probe(context.Background(), packed, "s.flac")
		require.NoError(t, err, name)
		var codes []string
		for _, w := range found.Streams[0].Description.Warnings {
			codes = append(codes, w.Code)
		}
		assert.Equal(t, c.code, codes, name)
		_, got = samplesOf(t, packed, 0)
		assert.Equal(t, want, got, name)
		require.NoError(t, checkFLAC(context.Background(), packed), name)
	}
	require.NoError(t, os.WriteFile(packed, whole[:len(whole)*2/3], 0o600))
	d, got = samplesOf(t, packed, 0)
	assert.True(t, d.Recovered)
	assert.NotEmpty(t, d.Warnings)
	n := len(got[0])
	assert.Greater(t, n, 4000)
	assert.Equal(t, want[1][:n], got[1], "what is there was saved")
	require.NoError(t, os.WriteFile(packed, whole[:30], 0o600))
	_, _, _, err = Open(context.Background(), packed, "s.flac", 0)
	assert.Equal(t, fault.Damaged, fault.KindOf(err))
}

// A FLAC file that was made of a recorder's WAVE keeps its chunks.
func TestForeignMetadataOfFLAC(t *testing.T) {
	x, _ := wave.Header{Format: wavetest.PCM24(1), IXML: &wave.IXML{Scene: "14", Take: "2",
		Tracks: &wave.IXMLTracks{Tracks: []wave.IXMLTrack{{InterleaveIndex: "1", Name: "Boom"}}}}}.Marshal()
	at := bytes.Index(x, []byte("iXML"))
	require.Positive(t, at)
	end := bytes.Index(x, []byte("</BWFXML>")) + len("</BWFXML>")
	dir := t.TempDir()
	sound, file := filepath.Join(dir, "s.wav"), filepath.Join(dir, "x.flac")
	want := recording(t, sound, 1, 1000, nil)
	ffmpeg(t, "-i", sound, file)
	b, err := os.ReadFile(file)
	require.NoError(t, err)
	const afterInfo = 4 + 4 + 34 // the signature and the block that stands first
	data := append([]byte("riff"), x[at:end]...)
	block := append([]byte{2, byte(len(data) >> 16), byte(len(data) >> 8), byte(len(data))}, data...)
	require.NoError(t, os.WriteFile(file, slices.Concat(b[:afterInfo], block, b[afterInfo:]), 0o600))
	d, got := samplesOf(t, file, 0)
	assert.Equal(t, []string{"14", "2", "Boom"}, []string{d.Scene, d.Take, d.Tracks[0].Name})
	assert.Equal(t, want, got)
}

func TestNotAMovie(t *testing.T) {
	dir := t.TempDir()
	for name, b := range map[string][]byte{
		"empty.mov":    nil,
		"torn.mov":     append([]byte{0, 0, 0, 20}, "ftypqt  \x00\x00\x02\x00qt  "...),
		"playlist.mp4": []byte("#EXTM3U\n#EXTINF:1,\nfile:///etc/passwd\n"),
		"words.mxf":    []byte("these are words, not essence"),
	} {
		file := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(file, b, 0o600))
		_, err := Probe(context.Background(), file, name)
		assert.NotEmpty(t, fault.KindOf(err), "%s: %v", name, err)
	}
}

func TestWithoutFfmpeg(t *testing.T) {
	t.Setenv("PATH", t.TempDir())
	file := filepath.Join(t.TempDir(), "a.mov")
	require.NoError(t, os.WriteFile(file, []byte("\x00\x00\x00\x14ftypqt  \x00\x00\x02\x00qt  "), 0o600))
	_, err := Probe(context.Background(), file, "a.mov")
	assert.Equal(t, fault.Unsupported, fault.KindOf(err))
	assert.Contains(t, fault.Sentence(err), "ffmpeg")
}

// A8. A small file that says its sound begins hours in would unfold to gigabytes of silence.
func TestSoundThatBeginsFarIntoASmallFileIsRefused(t *testing.T) {
	dir := t.TempDir()
	movie := filepath.Join(dir, "late.mkv")
	ffmpeg(t, "-f", "lavfi", "-i", "testsrc2=s=64x36:r=25:d=1", "-itsoffset", "80000", "-f", "lavfi", "-i", "sine=d=1", "-c:v", "libx264",
		"-c:a", "aac", movie)
	c, err := Probe(context.Background(), movie, "late.mkv")
	require.NoError(t, err)
	out := filepath.Join(dir, "x.wav")
	_, err = Extract(context.Background(), movie, c.Streams[0], out, nil)
	assert.Equal(t, fault.Damaged, fault.KindOf(err), "%v", err)
	assert.NoFileExists(t, out)
}

// A8. A child goes with its parent, also where that is killed.
func TestFfmpegDiesWithItsParent(t *testing.T) {
	if os.Getenv("LOOM_TEST_PARENT") != "" {
		_ = encode(context.Background(), 0, nil, "-re", "-f", "lavfi", "-i", "sine=d=600", "-f", "null", "-metadata",
			"comment="+os.Getenv("LOOM_TEST_PARENT"), "-")
		return
	}
	mark := fmt.Sprintf("parent-%d-%d", os.Getpid(), time.Now().UnixNano())
	parent := exec.Command(os.Args[0], "-test.run=^TestFfmpegDiesWithItsParent$")
	parent.Env = append(os.Environ(), "LOOM_TEST_PARENT="+mark)
	require.NoError(t, parent.Start())
	require.Eventually(t, func() bool { return runs(mark) }, 60*time.Second, 10*time.Millisecond)
	require.NoError(t, parent.Process.Kill())
	_ = parent.Wait()
	assert.Eventually(t, func() bool { return !runs(mark) }, 60*time.Second, 10*time.Millisecond)
}

// runs tells whether a process goes on that has a word in its command line.
func runs(word string) bool {
	lines, _ := filepath.Glob("/proc/[0-9]*/cmdline")
	for _, l := range lines {
		if b, err := os.ReadFile(l); err == nil && bytes.Contains(b, []byte(word)) {
			return true
		}
	}
	return false
}

func TestStopped(t *testing.T) {
	dir := t.TempDir()
	movie := filepath.Join(dir, "a.mkv")
	ffmpeg(t, "-f", "lavfi", "-i", "sine=d=2", "-c:a", "flac", movie)
	c, err := Probe(context.Background(), movie, "a.mkv")
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	assert.Equal(t, fault.Cancelled, fault.KindOf(extractError(Extract(ctx, movie, c.Streams[0], filepath.Join(dir, "x.wav"), nil))))
}

func FuzzContentsOf(f *testing.F) {
	f.Add([]byte(`{"streams":[{"codec_type":"video","r_frame_rate":"25/1"},{"codec_type":"audio","codec_name":"aac","sample_rate":"48000","channels":2,"duration":"1.5"}],"format":{"duration":"1e300","tags":{"timecode":"10:00:00;02"}}}`))
	f.Fuzz(func(t *testing.T, b []byte) {
		c, err := contentsOf(b, "x.mov")
		if err != nil && fault.KindOf(err) == "" {
			t.Fatal(err)
		}
		for _, s := range c.Streams {
			if s.Description.Frames < 0 || len(s.Description.Tracks) != s.Description.Channels {
				t.Fatalf("%+v", s)
			}
		}
	})
}

func extractError(_ []take.Warning, err error) error { return err }

// encoded makes a FLAC of noise with ffmpeg, of so many channels at that layout.
func encoded(t testing.TB, channels int, more ...string) string {
	at := filepath.Join(t.TempDir(), "x.flac")
	args := append([]string{"-v", "error", "-f", "lavfi", "-i", fmt.Sprintf("anoisesrc=d=2:r=48000:a=0.3,aformat=sample_fmts=s32,pan=%dc|c0=c0", channels)}, more...)
	out, err := exec.Command("ffmpeg", append(args, "-c:a", "flac", "-sample_fmt", "s32", "-bits_per_raw_sample", "24", "-frame_size",
		"4096", "-y", at)...).CombinedOutput()
	require.NoError(t, err, "%s", out)
	return at
}

// A FLAC's channels are in the order of RFC 9639, unless it says that they are in none.
func TestChannelsOfAFLACAreThoseOfTheStandard(t *testing.T) {
	for channels, want := range map[int]string{2: "", 6: "5.1", 5: "5.0"} {
		c, err := Probe(context.Background(), encoded(t, channels), "x.flac")
		require.NoError(t, err)
		assert.Equal(t, want, string(c.Streams[0].Description.Layout), channels)
	}
	c, err := Probe(context.Background(), encoded(t, 6, "-metadata", "WAVEFORMATEXTENSIBLE_CHANNEL_MASK=0x0"), "x.flac")
	require.NoError(t, err)
	assert.Empty(t, c.Streams[0].Description.Layout)
}

// A bit that is flipped anywhere in the sound of a FLAC is found, by the checksum of its block or of all its samples; what comes
// before it is saved, and it is said that this is not all.
func TestAFlippedBitInAFLACIsFound(t *testing.T) {
	whole, err := os.ReadFile(encoded(t, 2))
	require.NoError(t, err)
	at := filepath.Join(t.TempDir(), "x.flac")
	look := func(b []byte) (desk.File, take.Description) {
		require.NoError(t, os.WriteFile(at, b, 0o600))
		f, closing, err := Received(context.Background(), at, "x.flac", "")
		require.NoError(t, err)
		closing.Close()
		_, d, closing, err := Open(context.Background(), at, "x.flac", 0)
		if err != nil {
			assert.Equal(t, fault.Damaged, fault.KindOf(err))
			return f, take.Description{Recovered: true}
		}
		closing.Close()
		return f, d
	}
	good, d := look(whole)
	assert.Empty(t, good.Doubts)
	assert.False(t, d.Recovered)
	for i := range 12 {
		b := slices.Clone(whole)
		b[9000+i*(len(b)-9100)/12] ^= 1 << (i % 8)
		f, d := look(b)
		assert.NotEmpty(t, f.Doubts, "bit %d", i)
		assert.True(t, d.Recovered || slices.ContainsFunc(d.Warnings, func(w take.Warning) bool { return w.Code == "checksum" }), "bit %d: %v",
			i, d.Warnings)
	}
	b := slices.Clone(whole) // the MD5 of the head
	b[8+18] ^= 1
	f, d := look(b)
	assert.NotEmpty(t, f.Doubts)
	require.NotEmpty(t, d.Warnings)
	assert.Contains(t, d.Warnings[len(d.Warnings)-1].Message, "MD5")
}
