package reception

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zestyloom/core/contract"
	printer "zestyloom/core/delivery"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/internal/intake"
)

func ffmpeg(t testing.TB, args ...string) {
	out, err := exec.Command("ffmpeg", append([]string{"-y", "-nostdin", "-v", "error"}, args...)...).CombinedOutput()
	require.NoError(t, err, "%v: %s", args, out)
}

// muxed puts together the files of a plan that are no WAVE, of their parts in a folder, with a picture.
func muxed(t testing.TB, plan printer.Plan, laid *reel.Reel, dir string) {
	picture := filepath.Join(t.TempDir(), "picture.mov")
	made := false
	for i, f := range plan.Files {
		if f.Container == contract.Wave || f.Container == contract.BW64 {
			continue
		}
		var how *printer.Picture
		if f.Picture {
			if !made {
				ffmpeg(t, "-f", "lavfi", "-i", "testsrc2=s=64x36:r=25:d=4", "-c:v", "libx264", "-preset", "ultrafast", picture)
				made = true
			}
			p := plan.PictureOf(f, laid.Head, printer.Movie{Codec: "h264", Rate: timecode.Rate{Num: 25, Den: 1}, Seconds: 4})
			how = &p
		}
		m := plan.Muxing(i, laid.Head, how)
		var parts []string
		for _, name := range m.Parts {
			parts = append(parts, filepath.Join(dir, name))
		}
		require.NoError(t, intake.Mux(context.Background(), m, parts, picture, filepath.Join(dir, f.Name), 60, func(float64) {}))
		for _, part := range parts {
			require.NoError(t, os.Remove(part))
		}
	}
}

// track is a stream of sound of a movie, and what it is written again with.
type track struct {
	input  []string // a file that it is taken from, with its options; nil for the movie itself
	index  int      // which stream of sound of that it is
	coding []string // options; nil for a copy
	width  int
	tags   map[string]string
	chosen bool
}

// movie is a file, of any kind, while it is put together otherwise.
type movie struct {
	testing.TB
	at       string
	tracks   []track
	picture  []string // options of its coding; nil where there is none
	timecode string
}

func openMovie(t testing.TB, at string) *movie {
	out, err := exec.Command("ffprobe", "-v", "error", "-show_streams", "-show_format", "-of", "json", at).Output()
	require.NoError(t, err)
	var p struct {
		Streams []struct {
			Type     string            `json:"codec_type"`
			Channels int               `json:"channels"`
			Tags     map[string]string `json:"tags"`
			Chosen   struct {
				Default int `json:"default"`
			} `json:"disposition"`
		}
		Format struct{ Tags map[string]string }
	}
	require.NoError(t, json.Unmarshal(out, &p))
	m := &movie{TB: t, at: at, timecode: p.Format.Tags["timecode"]}
	for _, s := range p.Streams {
		switch s.Type {
		case "video":
			m.picture, m.timecode = []string{"copy"}, max(m.timecode, s.Tags["timecode"])
		case "audio":
			tags := map[string]string{}
			for _, name := range []string{"language", "title", "handler_name"} {
				tags[name] = s.Tags[name]
			}
			m.tracks = append(m.tracks, track{index: len(m.tracks), width: s.Channels, tags: tags, chosen: s.Chosen.Default == 1})
		}
	}
	return m
}

// args gives ffmpeg's arguments that write the movie to a place.
func (m *movie) args(out string) []string {
	inputs, maps, options := []string{"-i", m.at}, []string{}, []string{"-map_metadata", "0", "-c:a", "copy"}
	if m.picture != nil {
		maps, options = append(maps, "-map", "0:v:0"), append(append(options, "-c:v"), m.picture...)
	}
	more := 0
	for i, k := range m.tracks {
		input := 0
		if k.input != nil {
			more++
			input, inputs = more, append(append(inputs, k.input[:len(k.input)-1]...), "-i", k.input[len(k.input)-1])
		}
		maps = append(maps, "-map", fmt.Sprintf("%d:a:%d", input, k.index))
		for _, name := range []string{"language", "title", "handler_name"} {
			if mkv := strings.HasSuffix(out, ".mkv"); mkv == (name != "handler_name") || name == "language" {
				options = append(options, fmt.Sprintf("-metadata:s:a:%d", i), name+"="+k.tags[name])
			}
		}
		options = append(options, fmt.Sprintf("-disposition:a:%d", i), map[bool]string{true: "default", false: "0"}[k.chosen])
		for n := 0; n+1 < len(k.coding); n += 2 {
			options = append(options, fmt.Sprintf("%s:a:%d", k.coding[n], i), k.coding[n+1])
		}
	}
	if m.picture != nil && m.timecode != "" && !strings.HasSuffix(out, ".mkv") {
		options = append(options, "-timecode", m.timecode)
	} else if m.timecode != "" {
		options = append(options, "-metadata", "timecode="+m.timecode)
	}
	return append(slices.Concat(inputs, maps, options), out)
}

// write writes the movie again in its place.
func (m *movie) write() {
	out := strings.TrimSuffix(m.at, filepath.Ext(m.at)) + ".new" + filepath.Ext(m.at)
	ffmpeg(m, m.args(out)...)
	require.NoError(m, os.Rename(out, m.at))
}

// extract gives a stream of sound as a WAVE, and writes it again from there.
func (m *movie) extract(i int) string {
	k := &m.tracks[i]
	at := filepath.Join(m.TempDir(), "stream.wav")
	ffmpeg(m, "-i", m.at, "-map", fmt.Sprintf("0:a:%d", k.index), "-c:a", "pcm_s24le", at)
	k.input, k.index = []string{at}, 0
	switch coding, _ := exec.Command("ffprobe", "-v", "error", "-select_streams", fmt.Sprintf("a:%d", i), "-show_entries", "stream=codec_name",
		"-of", "csv=p=0", m.at).Output(); strings.TrimSpace(string(coding)) {
	case "flac":
		k.coding = []string{"-c", "flac", "-sample_fmt", "s32", "-bits_per_raw_sample", "24"}
	case "alac":
		k.coding = []string{"-c", "alac", "-sample_fmt", "s32p", "-bits_per_raw_sample", "24"}
	}
	return at
}

// labels names the channels of a stream of so many, as containers have them in order.
func labels(channels int) (list []string) {
	list = map[int][]string{1: {"M"}, 2: {"L", "R"}, 6: {"L", "R", "C", "LFE", "Ls", "Rs"}}[channels]
	for len(list) < channels {
		list = append(list, fmt.Sprint("X", len(list)))
	}
	return list
}

func (m *movie) spoken(k track) bool {
	return k.tags["language"] == "eng" || k.tags["language"] == "por"
}

// change changes the first stream that is such; it tells whether there is one.
func (m *movie) change(is func(track) bool, change func(k *track)) bool {
	at := slices.IndexFunc(m.tracks, is)
	if at >= 0 {
		change(&m.tracks[at])
	}
	return at >= 0
}

func (m *movie) titled(k track) bool {
	return k.tags["title"] != "" || k.tags["handler_name"] != "" && k.tags["handler_name"] != "SoundHandler"
}

func (k *track) retitle(to string) { k.tags["title"], k.tags["handler_name"] = to, to }

// movieWays are ways in which a movie, but not its sound, is other than was asked for; each tells whether there was anything to change.
// at is one of its streams.
var movieWays = map[string]func(m *movie, at int) bool{
	"a stream a frame late": func(m *movie, at int) bool {
		m.tracks[at].input = []string{"-itsoffset", "0.04", m.at}
		return m.picture != nil
	},
	"a stream 5 ms late": func(m *movie, at int) bool {
		m.tracks[at].input = []string{"-itsoffset", "0.005", m.at}
		return m.picture != nil
	},
	"another language": func(m *movie, _ int) bool {
		return m.change(m.spoken, func(k *track) { k.tags["language"] = "fra" })
	},
	"no language": func(m *movie, _ int) bool {
		return m.change(m.spoken, func(k *track) { k.tags["language"] = "" })
	},
	"another title": func(m *movie, _ int) bool { return m.change(m.titled, func(k *track) { k.retitle("Song") }) },
	"no title":      func(m *movie, _ int) bool { return m.change(m.titled, func(k *track) { k.retitle("SoundHandler") }) },
	"titles changed over": func(m *movie, _ int) bool {
		if len(m.tracks) < 2 || !m.titled(m.tracks[0]) {
			return false
		}
		m.tracks[0].tags, m.tracks[1].tags = m.tracks[1].tags, m.tracks[0].tags
		return true
	},
	"streams changed over": func(m *movie, _ int) bool {
		last := len(m.tracks) - 1
		if last < 1 {
			return false
		}
		m.tracks[0], m.tracks[last] = m.tracks[last], m.tracks[0]
		return true
	},
	"none is chosen": func(m *movie, _ int) bool {
		return len(m.tracks) > 1 && m.change(func(k track) bool { return k.chosen }, func(k *track) { k.chosen = false })
	},
	"another is chosen": func(m *movie, _ int) bool {
		return m.change(func(k track) bool { return !k.chosen }, func(k *track) { k.chosen = true })
	},
	"a stream missing": func(m *movie, at int) bool {
		many := len(m.tracks) > 1
		m.tracks = slices.Delete(m.tracks, at, at+1)
		return many
	},
	"a stream too many": func(m *movie, at int) bool {
		m.tracks = append(m.tracks, m.tracks[at])
		return m.picture != nil
	},
	"no picture": func(m *movie, _ int) bool {
		had := m.picture != nil
		m.picture = nil
		return had
	},
	"pictures at 24": func(m *movie, _ int) bool {
		had := m.picture != nil
		m.picture = []string{"libx264", "-preset", "ultrafast", "-r", "24"}
		return had
	},
	"the picture is cut short": func(m *movie, _ int) bool {
		had := m.picture != nil
		m.picture = []string{"libx264", "-preset", "ultrafast", "-frames:v", "30"}
		return had
	},
	"a timecode a frame late":  func(m *movie, _ int) bool { return m.late(1) },
	"a timecode an hour early": func(m *movie, _ int) bool { return m.late(-90000) },
	"coded with loss": func(m *movie, at int) bool {
		m.extract(at)
		m.tracks[at].coding = []string{"-c", "aac"}
		return m.picture != nil && m.tracks[at].width <= 8
	},
	"in 16 bits": func(m *movie, at int) bool {
		m.extract(at)
		m.tracks[at].coding = []string{"-c", "pcm_s16le"}
		return m.picture != nil && filepath.Ext(m.at) != ".mp4"
	},
	"at 44.1 kHz": func(m *movie, at int) bool {
		m.extract(at)
		if m.tracks[at].coding == nil {
			m.tracks[at].coding = []string{"-c", "pcm_s24le"}
		}
		m.tracks[at].coding = append(m.tracks[at].coding, "-ar", "44100")
		return filepath.Ext(m.at) != ".mxf"
	},
	"folded to mono": func(m *movie, at int) bool {
		wide := m.tracks[at].width == 2
		m.extract(at)
		if m.tracks[at].coding == nil {
			m.tracks[at].coding = []string{"-c", "pcm_s24le"}
		}
		m.tracks[at].coding = append(m.tracks[at].coding, "-ac", "1")
		return wide && filepath.Ext(m.at) != ".mxf"
	},
}

// late has the timecode so many frames later, at 25 a second.
func (m *movie) late(frames int64) bool {
	rate := timecode.Rate{Num: 25, Den: 1}
	at, err := rate.ParseSample(m.timecode, 48000)
	if err != nil {
		return false
	}
	m.timecode = rate.LabelAt(int64(at)+1920*frames, 48000)
	return m.picture != nil
}
