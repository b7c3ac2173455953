package reception

import (
	"archive/zip"
	"fmt"
	"maps"
	"math/rand"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zestyloom/core/adm"
	"zestyloom/core/contract"
	"zestyloom/core/layout"
	"zestyloom/core/sums"
	"zestyloom/core/wave/wavetest"
)

// consignment is a delivery as it lies in a folder, while something is done to it.
type consignment struct {
	testing.TB
	at    string   // the folder, or the file that it was made into
	files []string // that are delivered, in order
	spec  contract.Spec
	n     int // tells one of them, and one of their streams, from the others
}

func consigned(t testing.TB, dir string, spec contract.Spec, n int) *consignment {
	c := &consignment{TB: t, at: dir, spec: spec, n: n}
	for _, ending := range []string{"wav", "flac", "mov", "mp4", "mkv", "mxf"} {
		found, err := filepath.Glob(filepath.Join(dir, "*."+ending))
		require.NoError(t, err)
		c.files = append(c.files, found...)
	}
	slices.Sort(c.files)
	return c
}

func (c *consignment) file() string { return c.files[c.n%len(c.files)] }

func isWave(at string) bool { return strings.HasSuffix(at, ".wav") }

func (c *consignment) read(at string) []byte {
	b, err := os.ReadFile(at)
	require.NoError(c, err)
	return b
}

func (c *consignment) put(name, text string) {
	at := filepath.Join(c.at, name)
	require.NoError(c, os.MkdirAll(filepath.Dir(at), 0o700))
	require.NoError(c, os.WriteFile(at, []byte(text), 0o600))
}

func (c *consignment) names() (list []string) {
	for _, f := range c.files {
		list = append(list, filepath.Base(f))
	}
	return list
}

// convert has ffmpeg write a WAVE again with options.
func (c *consignment) convert(options ...string) bool {
	at := c.file()
	if !isWave(at) {
		return false
	}
	out := at + ".new.wav"
	ffmpeg(c, append(append([]string{"-guess_layout_max", "0", "-i", at, "-write_bext", "1", "-c:a", "pcm_s24le"}, options...), out)...)
	require.NoError(c, os.Rename(out, at))
	return true
}

// described changes the description after BS.2076 of the one file that has one: its first object that stands for loudspeakers.
func described(change func(d *adm.Document, o *adm.Object) bool) func(c *consignment) bool {
	return func(c *consignment) bool {
		for _, at := range c.files {
			if !isWave(at) {
				continue
			}
			b := c.read(at)
			w := wavetest.Read(c, slices.Clone(b))
			axml, there := w.Raw("axml")
			chna, _ := w.Raw("chna")
			if !there {
				continue
			}
			d, err := adm.Read(axml, chna)
			require.NoError(c, err)
			first := slices.IndexFunc(d.Objects, func(o adm.Object) bool { return layout.Speakers[o.Channels[0].Label].Label != "" })
			if first < 0 || !change(&d, &d.Objects[first]) {
				return false
			}
			now, _, err := adm.Write(d, w.SampleRate, w.BitDepth)
			require.NoError(c, err)
			require.NoError(c, os.WriteFile(at, replaceChunk(b, "axml", now), 0o600))
			return true
		}
		return false
	}
}

// replaceChunk puts another body in the place of a chunk's, by making the old one one that says nothing and adding the new at the end.
func replaceChunk(b []byte, id string, body []byte) []byte {
	b = []byte(strings.Replace(string(b), id, "junk", 1))
	return addChunk(b, id, body)
}

func addChunk(b []byte, id string, body []byte) []byte {
	b = append(slices.Clone(b), id...)
	b = append(b, byte(len(body)), byte(len(body)>>8), byte(len(body)>>16), byte(len(body)>>24))
	b = append(b, body...)
	if len(body)%2 == 1 {
		b = append(b, 0)
	}
	if size := len(b) - 8; string(b[:4]) == "RIFF" {
		b[4], b[5], b[6], b[7] = byte(size), byte(size>>8), byte(size>>16), byte(size>>24)
	} else { // the size stands in ds64, the first chunk
		b[20], b[21], b[22], b[23] = byte(size), byte(size>>8), byte(size>>16), byte(size>>24)
	}
	return b
}

// fileWays are ways in which a delivery as a whole, or a file of it, is other than was asked for.
var fileWays = map[string]func(c *consignment) bool{
	"a file missing": func(c *consignment) bool { return os.Remove(c.file()) == nil && len(c.files) > 0 },
	"an empty file":  func(c *consignment) bool { return os.WriteFile(c.file(), nil, 0o600) == nil },
	"a text as a file": func(c *consignment) bool {
		return os.WriteFile(c.file(), []byte("to follow"), 0o600) == nil
	},
	"half a file": func(c *consignment) bool {
		b := c.read(c.file())
		return os.WriteFile(c.file(), b[:len(b)/2], 0o600) == nil
	},
	"another name": func(c *consignment) bool {
		return os.Rename(c.file(), filepath.Join(c.at, "Final"+filepath.Ext(c.file()))) == nil
	},
	"a name with two changed over": func(c *consignment) bool {
		if len(c.files) < 2 {
			return false
		}
		a, b := c.read(c.files[0]), c.read(c.files[1])
		return filepath.Ext(c.files[0]) == filepath.Ext(c.files[1]) && string(a) != string(b) && os.WriteFile(c.files[0], b, 0o600) == nil &&
			os.WriteFile(c.files[1], a, 0o600) == nil
	},
	"another production": func(c *consignment) bool {
		name := strings.Replace(filepath.Base(c.file()), "Lantern", "Harbour", 1)
		return len(c.files) > 1 && os.Rename(c.file(), filepath.Join(c.at, name)) == nil
	},
	"the file of another twice": func(c *consignment) bool {
		if len(c.files) < 2 || filepath.Ext(c.files[0]) != filepath.Ext(c.files[1]) {
			return false
		}
		return os.WriteFile(c.files[0], c.read(c.files[1]), 0o600) == nil
	},
	"at another rate": func(c *consignment) bool {
		w := c.file()
		if !isWave(w) {
			return false
		}
		if wavetest.Read(c, c.read(w)).SampleRate == 44100 {
			return c.convert("-ar", "48000", "-c:a", "pcm_s16le")
		}
		return c.convert("-ar", "44100")
	},
	"in fewer bits": func(c *consignment) bool { return c.convert("-c:a", "pcm_u8") },
	"in float":      func(c *consignment) bool { return c.convert("-c:a", "pcm_f32le") },
	"a channel less": func(c *consignment) bool {
		n := 0
		if isWave(c.file()) {
			n = wavetest.Read(c, c.read(c.file())).Channels
		}
		if n < 2 {
			return false
		}
		return c.convert("-filter:a", "channelmap="+strings.Join(numbers(n-1), "|"))
	},
	"no time stamp": func(c *consignment) bool {
		return (len(c.files) > 1 || c.spec.Programme.Start != "") && c.without("bext")
	},
	"a list that says otherwise": func(c *consignment) bool {
		listings["md5"](c, c.at, c.names())
		list := filepath.Join(c.at, "checksums.md5")
		text := []byte(c.read(list))
		text[0] = "10"[(text[0]&1)^('1'&1)]
		text[1] = map[bool]byte{true: 'b', false: 'a'}[text[1] == 'a']
		return os.WriteFile(list, text, 0o600) == nil
	},
	"a list with a file that is not there": func(c *consignment) bool {
		listings["sha256"](c, c.at, c.names())
		return os.Remove(c.file()) == nil
	},
	"a chain of lists that was changed": func(c *consignment) bool {
		listings["mhl 2"](c, c.at, c.names())
		at := filepath.Join(c.at, "ascmhl", "0001_x.mhl")
		return os.WriteFile(at, append(c.read(at), ' '), 0o600) == nil
	},
	"a paper of sums that is damaged": func(c *consignment) bool {
		at := filepath.Join(c.at, sums.Paper)
		b, err := os.ReadFile(at)
		return err == nil && os.WriteFile(at, b[:len(b)/2], 0o600) == nil
	},
	"no description":           func(c *consignment) bool { return c.without("axml") },
	"a place of a loudspeaker": described(func(_ *adm.Document, o *adm.Object) bool { o.Channels[0].Azimuth = -30; return true }),
	"a height":                 described(func(_ *adm.Document, o *adm.Object) bool { o.Channels[0].Elevation = 45; return true }),
	"another label":            described(func(_ *adm.Document, o *adm.Object) bool { o.Channels[0].Label = "R"; return true }),
	"another object":           described(func(_ *adm.Document, o *adm.Object) bool { o.Name = "Song"; return true }),
	"a language": described(func(_ *adm.Document, o *adm.Object) bool {
		asked := o.Language != ""
		o.Language = "fra"
		return asked
	}),
	"an object that ends": described(func(d *adm.Document, o *adm.Object) bool { o.Lasts = d.Seconds / 2; return true }),
	"an object in nothing": described(func(d *adm.Document, _ *adm.Object) bool {
		if len(d.Programmes) == 0 {
			return false // one alone has all objects
		}
		d.Programmes[0].Objects = nil
		return true
	}),
	"a low pass too many": described(func(_ *adm.Document, o *adm.Object) bool {
		o.Channels[0].LFE = !o.Channels[0].LFE
		return true
	}),
}

func numbers(n int) (list []string) {
	for i := range n {
		list = append(list, fmt.Sprint(i))
	}
	return list
}

// without makes a chunk one that says nothing.
func (c *consignment) without(id string) bool {
	at := c.file()
	if !isWave(at) || !strings.Contains(string(c.read(at)), id) {
		return false
	}
	return os.WriteFile(at, []byte(strings.Replace(string(c.read(at)), id, "junk", 1)), 0o600) == nil
}

// harmless are ways in which a delivery may differ that nobody minds.
var harmless = map[string]func(c *consignment) bool{
	"as it is": func(*consignment) bool { return true },
	"companions": func(c *consignment) bool {
		for _, name := range []string{"Ferry.edl", "Cues.xlsx", "Thumbs.db", ".DS_Store", "desktop.ini", "Notes.docx", "still.png", "Read me.rtf"} {
			c.put(name, "whatever")
		}
		return true
	},
	"papers in a folder": func(c *consignment) bool { c.put("Papers/Cue sheet.pdf", "whatever"); return true },
	"endings in capitals": func(c *consignment) bool {
		for _, f := range c.files {
			require.NoError(c, os.Rename(f, strings.TrimSuffix(f, filepath.Ext(f))+strings.ToUpper(filepath.Ext(f))))
		}
		return true
	},
	"in folders": func(c *consignment) bool {
		for i, f := range c.files {
			c.put(fmt.Sprintf("Part %d/notes.txt", i), "whatever")
			require.NoError(c, os.Rename(f, filepath.Join(c.at, fmt.Sprintf("Part %d", i), filepath.Base(f))))
		}
		return true
	},
	"in a ZIP": func(c *consignment) bool {
		to, err := os.Create(filepath.Join(c.TempDir(), "delivery.zip"))
		require.NoError(c, err)
		defer to.Close()
		z := zip.NewWriter(to)
		require.NoError(c, z.AddFS(os.DirFS(c.at)))
		require.NoError(c, z.Close())
		c.at = to.Name()
		return true
	},
	"copied at another time": func(c *consignment) bool {
		then := time.Date(2026, 5, 6, 7, 8, 9, 0, time.UTC)
		return os.Chtimes(c.file(), then, then) == nil
	},
	"without the paper of sums": func(c *consignment) bool { return os.Remove(filepath.Join(c.at, sums.Paper)) == nil },
	"dithered once more": func(c *consignment) bool {
		return c.waves(func(h *harmed) {
			rnd := rand.New(rand.NewSource(int64(len(h.b))))
			for i := range int(h.f.Frames) {
				for k := range h.f.Channels {
					h.set(k, i, h.get(k, i)+rnd.Intn(2)-rnd.Intn(2))
				}
			}
		})
	},
	"a trifle quieter": func(c *consignment) bool { // by 0.0003 dB
		return c.waves(func(h *harmed) {
			for i := range int(h.f.Frames) {
				for k := range h.f.Channels {
					h.set(k, i, int(float64(h.get(k, i))*0.99997))
				}
			}
		})
	},
	"a chunk more": func(c *consignment) bool {
		at := c.file()
		return isWave(at) && os.WriteFile(at, addChunk(c.read(at), "note", []byte("made in the Harbour")), 0o600) == nil
	},
	"no iXML": func(c *consignment) bool { return c.without("iXML") },
	"written again by another program": func(c *consignment) bool {
		if isWave(c.file()) {
			return false
		}
		openMovie(c, c.file()).write()
		return true
	},
	"the picture coded again": func(c *consignment) bool {
		if isWave(c.file()) {
			return false
		}
		m := openMovie(c, c.file())
		if m.picture == nil || filepath.Ext(m.at) == ".mxf" {
			return false
		}
		m.picture = []string{"libx264", "-preset", "ultrafast"}
		m.write()
		return true
	},
	"the sound coded again without loss": func(c *consignment) bool {
		if isWave(c.file()) {
			return false
		}
		m := openMovie(c, c.file())
		if filepath.Ext(m.at) == ".mxf" || m.tracks[0].width > 2 {
			return false
		}
		m.extract(0)
		m.write()
		return true
	},
}

func init() {
	for name, list := range listings {
		harmless["a list of checksums, "+name] = func(c *consignment) bool { list(c, c.at, c.names()); return true }
	}
}

// waves changes every WAVE of a delivery.
func (c *consignment) waves(change func(h *harmed)) (any bool) {
	for _, at := range c.files {
		if isWave(at) {
			any = harm(c, at, func(h *harmed, _ string) { change(h) }) || any
		}
	}
	return any
}

// waysToBreak are all of them; each tells whether there was anything to break.
func waysToBreak() map[string]func(c *consignment) bool {
	all := maps.Clone(fileWays)
	for name, change := range harms {
		all["sound: "+name] = func(c *consignment) bool {
			if isWave(c.file()) {
				return harm(c, c.file(), change)
			}
			if slices.Contains(heads, name) {
				return false
			}
			m := openMovie(c, c.file())
			if filepath.Ext(m.at) == ".mxf" {
				return false // which ffmpeg writes in one way only
			}
			at := c.n % len(m.tracks)
			if !harm(c, m.extract(at), change) {
				return false
			}
			m.write()
			return true
		}
	}
	for name, change := range movieWays {
		all["movie: "+name] = func(c *consignment) bool {
			if isWave(c.file()) || strings.HasSuffix(c.file(), ".flac") || c.spec.Programme.Start == "" && strings.Contains(name, "timecode") {
				return false // or nobody asks where it begins
			}
			m := openMovie(c, c.file())
			if !change(m, c.n%len(m.tracks)) || filepath.Ext(m.at) == ".mxf" && strings.Contains(name, "title") {
				return false
			}
			m.write()
			return true
		}
	}
	return all
}
