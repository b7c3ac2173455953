package reception

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/md5"
	"fmt"
	"maps"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/adm"
	"zestyloom/core/contract"
	"zestyloom/core/desk"
	"zestyloom/core/fault"
	"zestyloom/core/wave"
	"zestyloom/core/wave/wavetest"
)

// asked uses all of the language that the desk looks at, in three ways of packing.
const asked = `spec: 2
id: ferry-desk
title: For the desk
programme:
  frameRate: "25"
  start: "10:00:00:00"
  lead:
    - {at: "-00:00:04:00", tone: 1000, level: -18, lasts: 1}
    - {at: "-00:00:02:00", pop: 1000, level: -20}
  tail:
    - {at: "+00:00:02:00", pop: 1000, level: -20}
groups:
  - {id: mix, name: Full mix, tag: MIX, layout: stereo, language: eng, from: {stems: [DX, MX]}}
  - {id: dx, name: Dialogue, tag: DX, layout: stereo, language: eng, from: {stems: [DX]}}
  - {id: mx, name: Music, tag: MX, layout: stereo, from: {stems: [MX]}}
  - {id: mono, name: Mono, tag: MONO, layout: mono, from: {fold: {of: mix, mono: -6}}}
  - {id: spare, name: Spare, tag: SPARE, layout: mono, from: {silence: true}}
packaging: [poly, movie, monos]
files:
  - {packaging: poly, name: "{production}_{reel}_POLY", of: [mix, dx, mx, mono, spare], container: bw64, depth: 24, rate: 48000, adm: {}}
  - packaging: movie
    name: "{production}_{reel}_MOVIE"
    container: mov
    depth: 24
    rate: 48000
    picture: reference
    streams:
      - {of: [mix], title: Full mix, language: eng, default: true}
      - {of: [dx], title: Dialogue, language: eng}
      - {of: [mx], title: Music}
      - {of: [mono], title: Mono}
      - {of: [spare], title: Spare}
  - {packaging: monos, name: "{production}_{reel}_{tag}_{number}.{channel}", each: channel, of: [mix, dx, mx, mono, spare], container: wave, depth: 24, rate: 48000}
limits:
  - {of: [mix], integrated: -22, tolerance: 3, truePeak: -3, ppmMax: 6, shortTermMax: -15, momentaryMax: -12, rangeMax: 15}
checks:
  silence: {as: error, longer: 3}
  copy: {as: error}
  topped: {as: error}
`

const (
	second = 48000
	lead   = 4 * second
	length = lead + 6*second + 2*second + 1920
)

var order = []string{"mix L", "mix R", "dx L", "dx R", "mx L", "mx R", "mono M", "spare M"}

// delivery is what is delivered, before it is written.
type delivery struct {
	form    string
	spec    contract.Spec
	sound   map[string][]float64
	cut     map[string]int // samples that are taken out of the programme of a channel
	header  func(h *wave.Header)
	adm     func(d *adm.Document)
	name    func(file, channel string) string // of the file and of a channel in it
	mux     func(args []string) []string
	picture string
	after   func(dir string)
}

func step(x float64) float64 { return math.Round(x*(1<<23)) / (1 << 23) }

// good makes a delivery in which nothing is wrong.
func good(t testing.TB, form string) *delivery {
	spec, err := contract.Parse([]byte(asked))
	require.NoError(t, err)
	d := &delivery{form: form, spec: spec, sound: map[string][]float64{}, cut: map[string]int{}, header: func(*wave.Header) {},
		adm:  func(*adm.Document) {},
		name: func(file, _ string) string { return file }, mux: func(a []string) []string { return a }, picture: "r=25:d=12.04",
		after: func(string) {}}
	for i, name := range order {
		d.sound[name] = make([]float64, length)
		for at := range 6 * second {
			x := 0.0
			switch {
			case strings.HasPrefix(name, "dx") && at/second%2 == 0: // a second of it, and one of silence
				x = 0.1 * math.Sin(float64(at)*float64(300+40*i)*2*math.Pi/second)
			case strings.HasPrefix(name, "mx"):
				x = 0.05 * math.Sin(float64(at)*float64(200+30*i)*2*math.Pi/second)
			}
			d.sound[name][lead+at] = step(x)
		}
	}
	d.sum()
	for _, x := range d.sound {
		sine(x, 0, second, -18)
		sine(x, 2*second, 1920, -20)
		sine(x, length-1920, 1920, -20)
	}
	return d
}

// sine writes a sine of 1 kHz.
func sine(x []float64, at, frames int, dB float64) {
	for i := range frames {
		x[at+i] = step(math.Pow(10, dB/20) * math.Sin(float64(i)*2*math.Pi*1000/second))
	}
}

// sum makes the mix and its fold-down of what the stems are, within the programme.
func (d *delivery) sum() {
	for i := lead; i < lead+6*second; i++ {
		for _, side := range []string{" L", " R"} {
			d.sound["mix"+side][i] = d.sound["dx"+side][i] + d.sound["mx"+side][i]
		}
		d.sound["mono M"][i] = step(math.Pow(10, -6.0/20) * (d.sound["mix L"][i] + d.sound["mix R"][i]))
	}
}

// title is what a channel is called in its file.
func title(channel string) string {
	group, label, _ := strings.Cut(channel, " ")
	name := map[string]string{"mix": "Full mix", "dx": "Dialogue", "mx": "Music", "mono": "Mono", "spare": "Spare"}[group]
	if label != "M" {
		name += " " + label
	}
	return name
}

// write writes a WAVE of some channels.
func (d *delivery) write(t testing.TB, path string, channels []string) {
	var sound [][]float64
	for _, c := range channels {
		x := d.sound[c]
		at := lead + 100
		sound = append(sound, slices.Concat(x[:at], x[at+d.cut[c]:]))
	}
	h := wave.Header{Format: wavetest.PCM24(len(channels)), Frames: int64(len(sound[0])),
		Bext: &wave.Bext{TimeReference: 36000*second - lead}}
	h.IXML = &wave.IXML{Version: "2.10", Speed: &wave.IXMLSpeed{TimecodeRate: "25/1", TimecodeFlag: "NDF"}, Tracks: &wave.IXMLTracks{}}
	doc := adm.Document{Programme: "The Lantern Ferry", Seconds: float64(len(sound[0])) / second}
	for i, c := range channels {
		h.IXML.Tracks.Tracks = append(h.IXML.Tracks.Tracks, wave.IXMLTrack{ChannelIndex: fmt.Sprint(i + 1),
			InterleaveIndex: fmt.Sprint(i + 1),
			Name:            d.name(title(c), c)})
		group, label, _ := strings.Cut(c, " ")
		if n := len(doc.Objects); n == 0 || !strings.HasPrefix(channels[i-1], group) {
			doc.Objects = append(doc.Objects, adm.Object{Name: strings.TrimSuffix(title(c), " "+label),
				Language: map[string]string{"mix": "eng", "dx": "eng"}[group]})
		}
		o := &doc.Objects[len(doc.Objects)-1]
		o.Channels = append(o.Channels, adm.Channel{Track: i + 1, Label: label, Azimuth: map[string]float64{"L": 30, "R": -30}[label]})
	}
	doc.Programmes = []adm.Programme{{Name: "Mix", Objects: []int{0}}, {Name: "Stems", Objects: []int{1, 2}}, {Name: "Rest",
		Objects: []int{3, 4}}}
	if d.form == "poly" {
		h.Wide = true
		d.adm(&doc)
		axml, chna, err := adm.Write(doc, second, 24)
		require.NoError(t, err)
		h.Extra = []wave.RawChunk{{ID: "axml", Body: axml}, {ID: "chna", Body: chna}}
	}
	d.header(&h)
	require.NoError(t, os.WriteFile(path, wavetest.Bytes(t, h, func(c, i int) float64 { return sound[c][i] }), 0o644))
}

// lay writes the delivery into a folder.
func (d *delivery) lay(t testing.TB) string {
	dir := t.TempDir()
	at := func(file string) string { return filepath.Join(dir, d.name(file, "")) }
	switch d.form {
	case "poly":
		d.write(t, at("The_Lantern_Ferry_Reel_1_POLY.wav"), order)
	case "monos":
		for _, c := range order {
			group, label, _ := strings.Cut(c, " ")
			number := map[string]int{"L": 1, "R": 2, "M": 1}[label]
			d.write(t, at(fmt.Sprintf("The_Lantern_Ferry_Reel_1_%s_%d.%s.wav", strings.ToUpper(group), number, label)), []string{c})
		}
	default:
		parts := t.TempDir()
		args := []string{"-y", "-v", "error", "-f", "lavfi", "-i", "testsrc2=s=64x36:" + d.picture}
		var maps, says []string
		for i, group := range []string{"mix", "dx", "mx", "mono", "spare"} {
			part := filepath.Join(parts, group+".wav")
			channels := slices.DeleteFunc(slices.Clone(order), func(c string) bool { return !strings.HasPrefix(c, group+" ") })
			d.write(t, part, channels)
			args = append(args, "-i", part)
			maps = append(maps, "-map", fmt.Sprint(i+1, ":a"))
			name, _, _ := strings.Cut(title(channels[0]), " L")
			says = append(says, fmt.Sprintf("-metadata:s:a:%d", i), "handler_name="+name, fmt.Sprintf("-disposition:a:%d", i),
				map[bool]string{true: "default", false: "0"}[i == 0])
			if i < 2 {
				says = append(says, fmt.Sprintf("-metadata:s:a:%d", i), "language=eng")
			}
		}
		args = slices.Concat(args, []string{"-map", "0:v"}, maps, []string{"-map_metadata", "-1", "-c:v", "libx264", "-preset", "ultrafast",
			"-c:a", "pcm_s24le"}, says, []string{"-timecode", "09:59:56:00", "-f", "mov", at("The_Lantern_Ferry_Reel_1_MOVIE.mov")})
		out, err := exec.Command("ffmpeg", d.mux(args)...).CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
	d.after(dir)
	return dir
}

// check lays the delivery and has the desk look at it. It gives what is wrong, by rule.
func (d *delivery) check(t testing.TB) (wrong map[string]contract.Finding, receipt desk.Receipt) {
	opened, err := Open(context.Background(), d.lay(t), t.TempDir())
	require.NoError(t, err)
	defer opened.Close()
	receipt, err = desk.Check(context.Background(), opened.Files, opened.Sums, d.spec, contract.Packaging(d.form), func(float64) {})
	require.NoError(t, err)
	wrong = map[string]contract.Finding{}
	for _, f := range receipt.Findings {
		if _, there := wrong[f.Rule]; f.Severity != contract.OK && !there {
			wrong[f.Rule] = f
		}
	}
	return wrong, receipt
}

func instead(args []string, old, now string) []string {
	args = slices.Clone(args)
	for i := range args {
		args[i] = strings.ReplaceAll(args[i], old, now)
	}
	return args
}

// change changes the spec's limit.
func limit(change func(l *contract.Limit)) func(d *delivery) {
	return func(d *delivery) { change(&d.spec.Limits[0]) }
}

func file(change func(f *contract.File)) func(d *delivery) {
	return func(d *delivery) {
		for i := range d.spec.Files {
			change(&d.spec.Files[i])
		}
	}
}

func describe(change func(d *adm.Document)) func(d *delivery) {
	return func(d *delivery) { d.adm = change }
}

func number(x float64) *float64 { return &x }

func first(dir string) string {
	found, _ := filepath.Glob(filepath.Join(dir, "*"))
	return found[len(found)-1]
}

// broken is a delivery for each rule, broken in exactly that; forms are the ways of packing in which that can be.
var broken = []struct {
	rule   string
	forms  string
	breaks func(d *delivery)
}{
	{"file", "poly movie monos", func(d *delivery) {
		d.after = func(dir string) { _ = os.WriteFile(first(dir), []byte("this is no sound"), 0o644) }
	}},
	{"extra", "poly movie monos", func(d *delivery) {
		d.after = func(dir string) {
			b, _ := os.ReadFile(first(dir))
			_ = os.WriteFile(filepath.Join(dir, "Z"+filepath.Base(first(dir))+".mkv"), b, 0o644)
		}
	}},
	{"naming", "poly movie monos", func(d *delivery) {
		d.after = func(dir string) {
			_ = os.Rename(first(dir), filepath.Join(dir, "Crossing"+filepath.Ext(first(dir))))
		}
	}},
	{"checksum", "poly movie monos", func(d *delivery) {
		d.after = func(dir string) {
			list := ""
			files, _ := filepath.Glob(filepath.Join(dir, "*"))
			out, _ := exec.Command("sha256sum", files...).Output()
			for line := range strings.Lines(string(out)) {
				sum, path, _ := strings.Cut(strings.TrimSpace(line), "  ")
				list += sum + "  " + filepath.Base(path) + "\n"
			}
			_ = os.WriteFile(filepath.Join(dir, "manifest.sha256"), []byte(strings.Repeat("0", 10)+list[10:]), 0o644)
		}
	}},
	{"container", "poly movie monos", func(d *delivery) {
		d.header = func(h *wave.Header) { h.Wide = d.form == "monos" }
		d.mux = func(args []string) []string {
			for i := range args {
				if args[i] == "mov" {
					args[i] = "matroska"
				}
			}
			args = instead(args, "handler_name=", "title=")
			return append([]string{"-y"}, append(args[:len(args)-1], "-metadata", "timecode=09:59:56:00", args[len(args)-1])...)
		}
	}},
	{"codec", "movie", func(d *delivery) { d.mux = func(args []string) []string { return instead(args, "pcm_s24le", "alac") } }},
	{"sample-rate", "poly movie monos", file(func(f *contract.File) { f.Rate = 96000 })},
	{"bit-depth", "poly movie monos", file(func(f *contract.File) { f.Depth = 16 })},
	{"channels", "poly movie monos", func(d *delivery) {
		i := slices.IndexFunc(d.spec.Groups, func(g contract.Group) bool { return g.ID == "spare" })
		if d.form == "monos" {
			d.after = func(dir string) { d.write(nil, first(dir), []string{"spare M", "spare M"}) }
			return
		}
		d.spec.Groups[i].Layout = "stereo"
	}},
	{"stream", "movie", func(d *delivery) {
		d.mux = func(args []string) []string {
			i := slices.Index(args, "-disposition:a:1")
			args[i+1] = "default"
			return args
		}
	}},
	{"order", "poly", func(d *delivery) {
		d.name = func(name, channel string) string {
			return map[string]string{"mix L": "Full mix R", "mix R": "Full mix L"}[channel] + strings.Repeat(name, 1-strings.Count(channel,
				"mix"))
		}
	}},
	{"names", "poly movie monos", func(d *delivery) {
		d.name = func(name, channel string) string {
			if channel == "mx L" {
				return "Song L"
			}
			return name
		}
		d.mux = func(args []string) []string { return instead(args, "handler_name=Music", "handler_name=Song") }
	}},
	{"language", "movie", func(d *delivery) {
		d.mux = func(args []string) []string { return instead(args, "language=eng", "language=por") }
	}},
	{"length", "poly movie monos", func(d *delivery) {
		if d.form == "monos" {
			d.cut["spare M"] = 1920
			return
		}
		for _, c := range order {
			d.cut[c] = map[string]int{"poly": 1, "movie": 1920}[d.form]
		}
	}},
	{"start", "poly movie monos", func(d *delivery) {
		d.header = func(h *wave.Header) { h.Bext.TimeReference++ }
		d.mux = func(args []string) []string { return instead(args, "09:59:56:00", "09:59:56:01") }
	}},
	{"start", "movie", func(d *delivery) { // one stream of it a frame later than the others and the picture
		d.mux = func(args []string) []string {
			inputs := 0
			for i := range args {
				if args[i] == "-i" {
					if inputs++; inputs == 4 {
						return slices.Insert(args, i, "-itsoffset", "0.04")
					}
				}
			}
			return args
		}
	}},
	{"frame-rate", "movie", func(d *delivery) { d.picture = "r=50:d=12.04" }},
	{"picture", "movie", func(d *delivery) {
		d.mux = func(args []string) []string {
			i := slices.Index(args, "0:v")
			args = slices.Delete(args, i-1, i+1)
			i = slices.Index(args, "-timecode")
			return slices.Delete(args, i, i+2)
		}
	}},
	{"adm", "poly", func(d *delivery) { d.header = func(h *wave.Header) { h.Extra = nil } }},
	{"adm", "poly", describe(func(d *adm.Document) { d.Objects[0].Channels[0].Azimuth = -30 })},
	{"adm", "poly", describe(func(d *adm.Document) { d.Objects[0].Channels[0].Label = "R" })},
	{"adm", "poly", describe(func(d *adm.Document) { d.Objects[0].Channels[0].Elevation = 45 })},
	{"adm", "poly", describe(func(d *adm.Document) { d.Objects[1].Channels[1].LFE = true })},
	{"adm", "poly", describe(func(d *adm.Document) { d.Objects[1].Language = "por" })},
	{"adm", "poly", describe(func(d *adm.Document) { d.Objects[2].Name = "Song" })},
	{"adm", "poly", describe(func(d *adm.Document) { d.Programmes[0].Objects = nil })},
	{"adm", "poly", describe(func(d *adm.Document) { d.Objects[0].Lasts = 5 })},
	{"adm", "poly", describe(func(d *adm.Document) { d.Objects[0].From = 1 })},
	{"adm", "poly", describe(func(d *adm.Document) { d.Seconds /= 2 })},
	{"adm", "poly", describe(func(d *adm.Document) {
		d.Objects[0].Channels[0].Track, d.Objects[0].Channels[1].Track = 2, 1
	})},
	{"adm", "poly", describe(func(d *adm.Document) {
		d.Objects[1].Channels, d.Objects[2].Channels = d.Objects[2].Channels, d.Objects[1].Channels
	})},
	{"lead", "poly movie monos", func(d *delivery) {
		for _, c := range order {
			sine(d.sound[c], 0, second, -18.5)
		}
	}},
	{"loudness", "poly movie monos", limit(func(l *contract.Limit) { l.Integrated = number(-30) })},
	{"true-peak", "poly movie monos", limit(func(l *contract.Limit) { l.TruePeak = number(-20) })},
	{"ppm", "poly movie monos", limit(func(l *contract.Limit) { l.PPMMax = number(2) })},
	{"short-term", "poly movie monos", limit(func(l *contract.Limit) { l.ShortTermMax = number(-30) })},
	{"momentary", "poly movie monos", limit(func(l *contract.Limit) { l.MomentaryMax = number(-30) })},
	{"loudness-range", "poly movie monos", limit(func(l *contract.Limit) { l.RangeMax = number(0.1) })},
	{"clipped", "poly movie monos", func(d *delivery) {
		for i := range 3 {
			d.sound["spare M"][2*second-200+i] = 1 // so near the pop that nothing else is wrong with it
		}
	}},
	{"dropout", "poly movie monos", func(d *delivery) {
		for _, c := range []string{"mx L", "mix L"} {
			hold := d.sound[c][lead+second]
			for i := range 300 {
				d.sound[c][lead+second+i] = hold
			}
		}
		d.sum()
	}},
	{"click", "poly movie monos", func(d *delivery) {
		d.sound["mx L"][lead+second] += 0.2
		d.sum()
	}},
	{"topped", "poly movie monos", func(d *delivery) {
		for i := lead; i < lead+6*second; i++ {
			x := d.sound["mx R"][i] * (1 + 0.5*math.Sin(float64(i)/20000))
			d.sound["mx R"][i] = max(-0.04, min(0.04, x))
		}
		d.sum()
	}},
	{"hum", "poly movie monos", func(d *delivery) {
		for i := lead; i < lead+6*second; i++ {
			w := float64(i) * 2 * math.Pi * 50 / second
			d.sound["mx L"][i] += step(0.002*math.Sin(w) + 0.001*math.Sin(2*w))
		}
		d.sum()
	}},
	{"copy", "poly movie monos", func(d *delivery) {
		copy(d.sound["mx L"][lead:lead+6*second], d.sound["mx R"][lead:])
		d.sum()
	}},
	{"silent", "poly movie monos", func(d *delivery) { sine(d.sound["spare M"], lead+second, 480, -60) }},
	{"unfed", "poly movie monos", func(d *delivery) {
		clear(d.sound["mx L"][lead : lead+6*second])
		clear(d.sound["mx R"][lead : lead+6*second])
		d.sum()
	}},
	{"silence", "poly movie monos", func(d *delivery) { d.spec.Checks["silence"] = contract.Check{As: contract.Error, Longer: 0.5} }},
	{"fold", "poly movie monos", func(d *delivery) {
		for i := lead; i < lead+6*second; i++ {
			d.sound["mono M"][i] = step(d.sound["mono M"][i] * 0.99)
		}
	}},
	{"stems-sum-to-mix", "poly movie monos", func(d *delivery) {
		for i := lead; i < lead+6*second; i++ {
			d.sound["mx L"][i] = step(d.sound["mx L"][i] * 1.01)
		}
	}},
	{"measurable", "poly movie monos", func(d *delivery) {
		d.spec.Groups = append(d.spec.Groups, contract.Group{ID: "ghost", Name: "Ghost", Layout: "stereo",
			From: contract.Source{Stem: "FX"}})
		d.spec.Limits = append(d.spec.Limits, contract.Limit{Of: []string{"ghost"}, TruePeak: number(-1)})
	}},
}

// Each rule finds a delivery that is broken in exactly that, in every way of packing in which it can be, and nothing else is
// wrong with it then. A rule without such a delivery fails the test.
func TestEveryRuleRefusesWhatBreaksItAndNothingElse(t *testing.T) {
	cases := map[string]bool{"readers": true, "lfe": true, "copy-rate": true} // have tests of their own
	for _, b := range broken {
		cases[b.rule] = true
		for _, form := range strings.Fields(b.forms) {
			t.Run(b.rule+" "+form, func(t *testing.T) {
				t.Parallel()
				d := good(t, form)
				b.breaks(d)
				wrong, receipt := d.check(t)
				assert.Equal(t, []string{b.rule}, slices.Sorted(maps.Keys(wrong)), "%+v", wrong)
				if !slices.Contains([]string{"extra", "unfed"}, b.rule) { // which warn
					assert.False(t, receipt.Pass)
				}
			})
		}
	}
	assert.ElementsMatch(t, slices.Sorted(maps.Keys(desk.Rules)), slices.Sorted(maps.Keys(cases)),
		"each rule has a delivery that breaks it")
}

func TestWhatIsAsAskedIsAccepted(t *testing.T) {
	for _, form := range []string{"poly", "movie", "monos"} {
		wrong, receipt := good(t, form).check(t)
		assert.Empty(t, wrong, form)
		assert.True(t, receipt.Pass)
		assert.Len(t, receipt.Groups, 5)
		assert.Equal(t, form, string(receipt.Packaging))
	}
}

// A fault says where it is, and what would set it right.
func TestAFaultSaysWhereItIs(t *testing.T) {
	d := good(t, "monos")
	d.sound["dx L"], d.sound["dx R"] = d.sound["dx R"], d.sound["dx L"]
	wrong, _ := d.check(t)
	assert.Contains(t, wrong["stems-sum-to-mix"].Message, "L and R of Dialogue are changed over")
	assert.Equal(t, "10:00:00:00", wrong["stems-sum-to-mix"].Timecode)
	assert.Contains(t, wrong["stems-sum-to-mix"].File, "_DX_", "the file that it is about")

	d = good(t, "poly")
	sine(d.sound["spare M"], lead+3*second, 480, -60)
	wrong, _ = d.check(t)
	assert.Equal(t, "10:00:03:00", wrong["silent"].Timecode)
	assert.Equal(t, 8, wrong["silent"].Channel)
	assert.InDelta(t, 7, *wrong["silent"].Seconds, 0.001)

	d = good(t, "poly")
	d.spec.Limits[0].MomentaryMax = number(-30)
	wrong, _ = d.check(t)
	assert.Equal(t, "10:00:00:00", wrong["momentary"].Timecode, "dialogue and music are there from the first frame on")

	d = good(t, "monos")
	for i := range 3 {
		d.sound["mix L"][lead+2*second+i] = 1
	}
	wrong, _ = d.check(t)
	assert.Equal(t, "10:00:02:00", wrong["true-peak"].Timecode)
	assert.Contains(t, wrong["true-peak"].File, "MIX_1.L")
	assert.Equal(t, "10:00:02:00", wrong["stems-sum-to-mix"].Timecode)
}

// What could not be held against anything is not said to be right: a fold-down that the desk can't follow warns, one file alone is
// not as long as itself, and a signal of some groups is not looked for, nor found, in others.
func TestWhatWasNotComparedIsNotRight(t *testing.T) {
	d := good(t, "poly")
	i := slices.IndexFunc(d.spec.Groups, func(g contract.Group) bool { return g.ID == "mono" })
	fold := *d.spec.Groups[i].From.Fold
	fold.Of = "room"
	d.spec.Groups[i].From.Fold = &fold
	d.spec.Groups = append(d.spec.Groups, contract.Group{ID: "room", Name: "Room", Layout: "5.1", Optional: true,
		From: contract.Source{Stems: []string{"DX", "MX"}}})
	wrong, receipt := d.check(t)
	assert.Equal(t, []string{"fold"}, slices.Sorted(maps.Keys(wrong)))
	assert.Equal(t, contract.Warning, wrong["fold"].Severity)
	assert.Equal(t, "not measured", wrong["fold"].Measured)
	assert.False(t, slices.ContainsFunc(receipt.Findings, func(f contract.Finding) bool { return f.Rule == "length" }))

	d = good(t, "monos")
	d.spec.Programme.Lead[0].Of = []string{"mix"}
	for _, c := range order[2:] {
		clear(d.sound[c][:second])
	}
	wrong, receipt = d.check(t)
	assert.Empty(t, wrong)
	tones := map[string]bool{}
	for _, f := range receipt.Findings {
		if strings.HasPrefix(f.Message, "Tone") {
			tones[f.File] = true
		}
	}
	assert.Len(t, tones, 2, "left and right of the mix")
	clear(d.sound["mix R"][:second])
	wrong, _ = d.check(t)
	assert.Equal(t, []string{"lead"}, slices.Sorted(maps.Keys(wrong)))
}

// Where ffprobe sees something else in a WAVE than we do, the desk does not trust it.
func TestReadersMustAgree(t *testing.T) {
	d := good(t, "poly")
	real, err := exec.LookPath("ffprobe")
	require.NoError(t, err)
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "ffprobe"),
		[]byte("#!/bin/sh\n"+real+" \"$@\" | sed 's/\"channels\": 8/\"channels\": 6/'\n"), 0o700))
	t.Setenv("PATH", dir+":"+os.Getenv("PATH"))
	wrong, _ := d.check(t)
	assert.Equal(t, []string{"readers"}, slices.Sorted(maps.Keys(wrong)))
}

// A delivery is taken from a ZIP; one that is broken, or that unpacks to far more than it is, is refused with a sentence.
func TestDeliveriesInAZIP(t *testing.T) {
	d := good(t, "monos")
	dir := d.lay(t)
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	require.NoError(t, z.AddFS(os.DirFS(dir)))
	require.NoError(t, z.Close())
	at := filepath.Join(t.TempDir(), "delivery.zip")
	open := func(b []byte) (*Delivery, error) {
		require.NoError(t, os.WriteFile(at, b, 0o644))
		return Open(context.Background(), at, t.TempDir())
	}
	opened, err := open(b.Bytes())
	require.NoError(t, err)
	assert.Len(t, opened.Files, 8)
	receipt, err := desk.Check(context.Background(), opened.Files, opened.Sums, d.spec, "", func(float64) {})
	require.NoError(t, err)
	assert.True(t, receipt.Pass)
	assert.Equal(t, contract.Packaging("monos"), receipt.Packaging, "the way of packing is found out")
	unpacked := opened.unzip
	require.NoError(t, opened.Close())
	assert.NoDirExists(t, unpacked)

	var reels bytes.Buffer // a folder for each reel, each with its list of the same name
	z = zip.NewWriter(&reels)
	sound, err := os.ReadFile(first(dir))
	require.NoError(t, err)
	for reel, name := range []string{"a.wav", "b.wav"} {
		for path, b := range map[string][]byte{name: sound, "MD5SUMS": fmt.Appendf(nil, "%x  %s\n", md5.Sum(sound), name)} {
			w, err := z.Create(fmt.Sprintf("Reel %d/%s", reel, path))
			require.NoError(t, err)
			_, err = w.Write(b)
			require.NoError(t, err)
		}
	}
	require.NoError(t, z.Close())
	opened, err = open(reels.Bytes())
	require.NoError(t, err)
	require.Len(t, opened.Files, 2)
	for _, f := range opened.Files {
		assert.True(t, slices.ContainsFunc(f.Doubts, func(d contract.Finding) bool { return d.Rule == "checksum" && d.Severity == contract.OK }))
	}
	require.NoError(t, opened.Close())

	_, err = open(b.Bytes()[:b.Len()/2])
	assert.Equal(t, fault.Damaged, fault.KindOf(err))
	var bomb bytes.Buffer
	z = zip.NewWriter(&bomb)
	w, err := z.Create("../../a.wav")
	require.NoError(t, err)
	_, err = w.Write(make([]byte, 50<<20))
	require.NoError(t, err)
	require.NoError(t, z.Close())
	_, err = open(bomb.Bytes())
	assert.ErrorContains(t, err, "far more than it is")
	_, err = Open(context.Background(), t.TempDir(), t.TempDir())
	assert.ErrorContains(t, err, "no files of a delivery")
}

// A described master that somebody else has made is read by its description, where it has no other names.
func TestADescriptionNamesTheChannels(t *testing.T) {
	speaker := func(track int, label string, azimuth float64) adm.Channel {
		return adm.Channel{Track: track, Label: label, Azimuth: azimuth}
	}
	axml, chna, err := adm.Write(adm.Document{Programme: "Crossing", Seconds: 1, Objects: []adm.Object{
		{Name: "Full mix", Channels: []adm.Channel{speaker(1, "L", 30), speaker(2, "R", -30)}}, {Name: "Voice",
			Channels: []adm.Channel{speaker(3, "M", 0)}}}}, second, 24)
	require.NoError(t, err)
	h := wave.Header{Format: wavetest.PCM24(3), Frames: second, Wide: true, Extra: []wave.RawChunk{{ID: "axml", Body: axml},
		{ID: "chna", Body: chna}}}
	dir := t.TempDir()
	path := filepath.Join(dir, "foreign.wav")
	require.NoError(t, os.WriteFile(path, wavetest.Bytes(t, h, func(int, int) float64 { return 0 }), 0o644))
	d, err := Open(context.Background(), path, t.TempDir())
	require.NoError(t, err)
	defer d.Close()
	r := desk.Look(d.Files)
	assert.True(t, r.Pass, "%+v", r.Findings)
	assert.Equal(t, 3, d.Files[0].Described)
	require.Len(t, r.Seen, 2)
	assert.Equal(t, []string{"Full mix", "Voice"}, []string{r.Seen[0].Name, r.Seen[1].Name})
	assert.Equal(t, []string{"stereo", "mono"}, []string{r.Seen[0].Layout, r.Seen[1].Layout})
	assert.Equal(t, 2, r.Seen[1].First)

	chna[4] ^= 0xff // what the table says is another track
	h.Extra[1].Body = chna
	require.NoError(t, os.WriteFile(path, wavetest.Bytes(t, h, func(int, int) float64 { return 0 }), 0o644))
	broken, err := Open(context.Background(), path, t.TempDir())
	require.NoError(t, err)
	defer broken.Close()
	assert.False(t, desk.Look(broken.Files).Pass)
}

// Nothing at all at either end of the programme is said, with its place; where one group is heard there nothing is.
func TestSilentEndsAreSaid(t *testing.T) {
	for name, c := range map[string]struct {
		from, to int // seconds of the programme that are cleared
		but      string
		said     string
		at       float64
	}{
		"the beginning":     {0, 4, "", "Nothing is heard at the beginning of the programme", 4},
		"the end":           {2, 6, "", "Nothing is heard at the end of the programme", 6},
		"all but one":       {0, 4, "mx R", "", 0},
		"in the middle":     {1, 5, "", "", 0},
		"not for very long": {0, 2, "", "", 0},
	} {
		d := good(t, "poly")
		for channel, x := range d.sound {
			if channel != c.but {
				clear(x[lead+c.from*second : lead+c.to*second])
			}
		}
		_, receipt := d.check(t)
		said := ""
		for _, f := range receipt.Findings {
			if strings.HasPrefix(f.Message, "Nothing is heard") {
				said += f.Message
				require.NotNil(t, f.Seconds)
				assert.InDelta(t, c.at, *f.Seconds, 0.1, name)
				assert.Equal(t, contract.Warning, f.Severity)
			}
		}
		assert.Equal(t, c.said, said, name)
	}
}

// Two groups that hold the same sound are said to, and channels of a wide group; the two sides of a voice in the middle are not.
func TestGroupsThatAreTheSame(t *testing.T) {
	d := good(t, "monos")
	for _, side := range []string{" L", " R"} {
		copy(d.sound["mx"+side][lead:lead+6*second], d.sound["dx"+side][lead:])
	}
	wrong, _ := d.check(t)
	assert.NotContains(t, wrong, "copy", "the two are parts of one mix, which does not add up then")
	assert.Contains(t, wrong, "stems-sum-to-mix")
	d = good(t, "monos")
	d.spec.Groups[3].From = contract.Source{Silence: false, Stem: "FX"} // of which the mix has nothing
	d.spec.Groups[4].From = contract.Source{Stem: "AX"}
	copy(d.sound["spare M"], d.sound["mono M"])
	wrong, _ = d.check(t)
	assert.Contains(t, wrong["copy"].Message, "Mono and Spare hold the same sound")
	d = good(t, "monos")
	copy(d.sound["dx R"][lead:lead+6*second], d.sound["dx L"][lead:])
	d.sum()
	wrong, _ = d.check(t)
	assert.NotContains(t, wrong, "copy")
}

// Names that no disk can keep, files of one name in several folders, and lists with names that nobody can write are read or refused in
// words.
func TestStrangeNamesInDeliveries(t *testing.T) {
	d := good(t, "monos")
	sound, err := os.ReadFile(first(d.lay(t)))
	require.NoError(t, err)
	at := filepath.Join(t.TempDir(), "delivery.zip")
	open := func(files map[string][]byte) (*Delivery, error) {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		for name, body := range files {
			w, err := z.CreateHeader(&zip.FileHeader{Name: name, NonUTF8: !utf8.ValidString(name)})
			require.NoError(t, err)
			_, err = w.Write(body)
			require.NoError(t, err)
		}
		require.NoError(t, z.Close())
		require.NoError(t, os.WriteFile(at, b.Bytes(), 0o644))
		return Open(context.Background(), at, t.TempDir())
	}
	for _, name := range []string{"a\x00b.wav", strings.Repeat("long", 75) + ".wav", strings.Repeat("long", 75) + "/a.wav"} {
		_, err := open(map[string][]byte{name: sound})
		if !strings.HasSuffix(name, "/a.wav") { // of sound files only the last part counts
			require.Equal(t, fault.BadInput, fault.KindOf(err), "%q: %v", name, err)
			assert.Contains(t, fault.Sentence(err), "name")
		}
	}
	sum := fmt.Appendf(nil, "%x  a.wav\n", md5.Sum(sound))
	opened, err := open(map[string][]byte{"Reel 1/a.wav": sound, "Reel 2/a.wav": sound, "Reel 2/MD5SUMS": sum, "b.wav": sound})
	require.NoError(t, err)
	var names []string
	for _, f := range opened.Files {
		names = append(names, f.Name)
	}
	slices.Sort(names)
	assert.Equal(t, []string{"Reel 1/a.wav", "Reel 2/a.wav", "b.wav"}, names, "told apart by their folders")
	require.NoError(t, opened.Close())

	opened, err = open(map[string][]byte{"a.wav": sound, "MD5SUMS": append(bytes.Clone(sum), fmt.Appendf(nil, "%x  b\x00c.wav\n",
		md5.Sum(sound))...)})
	require.NoError(t, err)
	said := false
	for _, f := range opened.Files {
		assert.NotContains(t, f.Name, "\x00")
		for _, doubt := range f.Doubts {
			said = said || strings.Contains(doubt.Message, "no file has")
		}
	}
	assert.True(t, said)
	require.NoError(t, opened.Close())
}
