package demo

import (
	"bytes"
	"context"
	"embed"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"

	"github.com/mewkiz/flac"
	"golang.org/x/sync/errgroup"

	"zestyloom/core/timecode"
	"zestyloom/core/wave"
)

//go:embed voices/*.flac
var voices embed.FS

// Production and Reel are the names of the demo's own.
const (
	Production = "The Lantern Ferry"
	Reel       = "Reel 1, Crossing"
)

// FrameRate is the picture's.
var FrameRate = timecode.Rate{Num: 25, Den: 1}

// voice reads a line that is shipped.
func voice(name string) (sound, error) {
	b, err := voices.ReadFile("voices/" + name + ".flac")
	if err != nil {
		return nil, err
	}
	s, err := flac.New(bytes.NewReader(b))
	if err != nil {
		return nil, fmt.Errorf("voice %s: %w", name, err)
	}
	var out sound
	for {
		f, err := s.ParseNext()
		if err == io.EOF {
			return out.toPeak(-6), nil
		}
		if err != nil {
			return nil, fmt.Errorf("voice %s: %w", name, err)
		}
		for _, v := range f.Subframes[0].Samples {
			out = append(out, float64(v)/(1<<15))
		}
	}
}

// line is a voice at a time of a take.
type line struct {
	voice string
	at    float64 // seconds
	pace  float64 // 1 as it is shipped; two takes of a line are never the same
}

// shot is one take of a recorder.
type shot struct {
	roll              string
	scene, take, note string
	circled           bool
	start             string // timecode
	seconds           float64
	lines             []line
	channels          []string
	winch, bell       []float64 // when they are heard on the set, in seconds
	files             filing
}

// filing is how the recorder wrote a take.
type filing string

const (
	poly     filing = ""         // one file of all channels
	set      filing = "set"      // a file for each channel, which iXML holds together
	loose    filing = "loose"    // a file for each channel, told apart by their names; the last one is a second short
	unclosed filing = "unclosed" // one file whose header was never finished, because power was lost
)

var (
	full  = []string{"Mix L", "Mix R", "Boom", "Ines lav", "Tobiah lav", "Wheelhouse plant", "Input 7", "Radio"}
	six   = []string{"Mix L", "Mix R", "Boom", "Ines lav", "Tobiah lav", "Wheelhouse plant"}
	four  = []string{"Boom", "Ines lav", "Tobiah lav", "Wheelhouse plant"}
	twice = []string{"Mix L", "Mix R", "Boom", "Ines lav", "Tobiah lav", "Wheelhouse plant", "Radio", "Radio safety"}
	deck  = []string{"Boom", "Ines lav", "Tobiah lav", "Deck plant"}
	shots = []shot{
		{roll: Roll, scene: "12A", take: "1", note: "aircraft over the last line", start: "10:00:02:10", seconds: 17, channels: six,
			lines: []line{{"ines-1", 1.5, 1.03}, {"tobiah-1", 5.4, 1.03}, {"ines-2", 9.6, 1.03}, {"tobiah-2", 13.2, 1.03}}},
		{roll: Roll, scene: "12A", take: "2", note: "false start", start: "10:00:21:05", seconds: 8, channels: six,
			lines: []line{{"ines-false", 1.2, 1}}},
		{roll: Roll, scene: "12A", take: "3", note: "rope creaks in the first lines", circled: true, start: "10:00:32:00", seconds: 20,
			channels: full,
			lines:    []line{{"ines-1", 2, 1}, {"tobiah-1", 6.1, 1}, {"ines-2", 10.4, 1}, {"tobiah-2", 14.2, 1}, {"dispatcher-2", 16.2, 1.02}}},
		{roll: Roll, scene: "12B", take: "1", note: "", circled: true, start: "10:00:54:21", seconds: 17, channels: full,
			lines: []line{{"dispatcher-1", 1.4, 1}, {"ines-3", 6.6, 1}, {"dispatcher-2", 10.2, 1}}},
		{roll: Roll, scene: "12B", take: "2", note: "power lost at the end", start: "10:01:40:00", seconds: 14, channels: twice, files: unclosed,
			lines: []line{{"dispatcher-1", 1.2, 0.97}, {"ines-3", 6.2, 0.97}, {"dispatcher-2", 9.8, 0.97}}},
		{roll: Roll, scene: "14", take: "1", note: "winch starts by itself", circled: true, start: "10:01:14:00", seconds: 16, channels: four,
			lines: []line{{"tobiah-3", 1.2, 1}, {"ines-4", 5, 1}, {"tobiah-4", 9.4, 1}}, winch: []float64{3.6}, bell: []float64{13}},
		{roll: Roll, scene: "wild", take: "1", note: "water at the ramp", circled: true, start: "10:06:40:00", seconds: 12,
			channels: []string{"Boom", "Boom 2"}},
		{roll: Second, scene: "18C", take: "1", note: "lamp flickers", start: "10:02:10:00", seconds: 15, channels: deck, files: set,
			lines: []line{{"tobiah-4", 1.5, 1.05}, {"ines-2", 6.5, 1.05}, {"tobiah-2", 10.5, 1.05}}},
		{roll: Second, scene: "18C", take: "2", note: "", circled: true, start: "10:02:40:12", seconds: 16, channels: deck, files: set,
			lines: []line{{"tobiah-4", 2, 0.96}, {"ines-2", 7, 0.96}, {"tobiah-2", 11, 0.96}}},
		{roll: Second, scene: "18C", take: "3", note: "pick-up", start: "10:03:05:00", seconds: 9, channels: deck[:3], files: loose,
			lines: []line{{"tobiah-4", 1, 1.025}, {"ines-2", 5, 1.025}}},
	}
)

// Roll is the first recorder's, Second the second's.
const (
	Roll   = "LF03"
	Second = "B02"
)

// Generate writes the scenario into a folder: card/ and second/ with the recorders' takes, camera/ with movies, library/
// with music, effects, ambience and narration. Files that are there already are left as they are. Its result does not
// depend on time or place. Movies are left out where ffmpeg is not installed. made is told of each file that is there, from
// several goroutines; the files of a shot come together.
func Generate(ctx context.Context, dir string, made func(File) error) error {
	if err := writeCutLists(dir); err != nil {
		return err
	}
	var work errgroup.Group
	work.SetLimit(runtime.GOMAXPROCS(0))
	recorded := recordAll()
	then := func(err error, files ...File) error {
		for _, f := range files {
			if err == nil {
				err = made(f)
			}
		}
		return err
	}
	for i, s := range shots {
		work.Go(func() error { return then(s.write(dir, recorded[i]), s.arrives()...) })
	}
	for _, f := range sounds {
		work.Go(func() error { return then(f.write(filepath.Join(dir, "library")), File{LibraryName, f.name}) })
	}
	if _, err := exec.LookPath("ffmpeg"); err == nil {
		for i, c := range cameraShots {
			work.Go(func() error { return then(c.movie(ctx, dir, i, recorded), c.arrives()) })
		}
		work.Go(func() error { return then(picture(ctx, dir, recorded), File{LibraryName, Picture}) })
	}
	return work.Wait()
}

// folder is the card that a shot lies on.
func (s shot) folder() string {
	if s.roll == Second {
		return "second/" + Second
	}
	return "card/" + Roll
}

// names gives the names of the shot's files.
func (s shot) names() []string {
	base := fmt.Sprintf("%s_%s_T%02s", s.roll, s.scene, s.take)
	if s.files == poly || s.files == unclosed {
		return []string{base + ".wav"}
	}
	var names []string
	for i := range s.channels {
		names = append(names, fmt.Sprintf("%s_%d.wav", base, i+1))
	}
	return names
}

// recording is what a recorder wrote of a shot.
type recording struct {
	header   wave.Header
	channels []sound
}

// channel gives the sound of a channel by its name.
func (r recording) channel(s shot, name string) sound {
	return r.channels[slices.Index(s.channels, name)]
}

// recordAll gives a function for each shot that plays it when it is first asked for, and only then.
func recordAll() []func() (recording, error) {
	list := make([]func() (recording, error), len(shots))
	for i, s := range shots {
		list[i] = sync.OnceValues(func() (recording, error) {
			h, channels, err := s.record(uint64(i+1) * 1000)
			return recording{h, channels}, err
		})
	}
	return list
}

func (s shot) write(dir string, recorded func() (recording, error)) error {
	for i, name := range s.names() {
		err := once(filepath.Join(dir, s.folder(), name), func() (wave.Header, []sound, error) {
			r, err := recorded()
			if err != nil {
				return wave.Header{}, nil, err
			}
			if s.files == set || s.files == loose {
				return s.alone(r.header, i), s.cut(r.channels, i), nil
			}
			return r.header, r.channels, nil
		})
		if err != nil {
			return err
		}
	}
	if s.files == unclosed {
		return losePower(filepath.Join(dir, s.folder(), s.names()[0]))
	}
	return nil
}

// alone is the header of the file of one channel.
func (s shot) alone(h wave.Header, channel int) wave.Header {
	x, b := *h.IXML, *h.Bext
	track := x.Tracks.Tracks[channel]
	track.InterleaveIndex = "1"
	x.Tracks = &wave.IXMLTracks{Count: "1", Tracks: []wave.IXMLTrack{track}}
	b.Description = strings.SplitAfter(b.Description, "sTRK1=")[0] + track.Name + "\r\n"
	if s.files == set {
		x.FileSet = &wave.IXMLSet{Total: fmt.Sprint(len(s.channels)), FamilyID: fmt.Sprintf("FERRY%s%02s", s.scene, s.take), Family: s.scene,
			Index: fmt.Sprint(channel + 1)}
	}
	h.IXML, h.Bext = &x, &b
	return h
}

// cut gives the sound of one channel's file.
func (s shot) cut(channels []sound, i int) []sound {
	c := channels[i]
	if s.files == loose && i == len(channels)-1 {
		c = c[:len(c)-rate]
	}
	return []sound{c}
}

// losePower makes a file what the recorder left when its power failed: sizes that were never filled in, and an end in
// the middle of a frame.
func losePower(name string) error {
	f, err := os.OpenFile(name, os.O_RDWR, 0)
	if err != nil {
		return err
	}
	defer f.Close()
	head := make([]byte, 16<<10)
	n, err := f.ReadAt(head, 0)
	if err != nil && err != io.EOF {
		return err
	}
	data := bytes.Index(head[:n], []byte("data"))
	if data < 0 {
		return fmt.Errorf("%s has no audio", name)
	}
	if bytes.Equal(head[4:8], make([]byte, 4)) {
		return nil // it has lost power already
	}
	info, err := f.Stat()
	if err != nil {
		return err
	}
	for _, at := range []int64{4, int64(data) + 4} {
		if _, err := f.WriteAt(make([]byte, 4), at); err != nil {
			return err
		}
	}
	return f.Truncate(info.Size() - 100_001)
}

// record plays a shot before its microphones.
func (s shot) record(seed uint64) (wave.Header, []sound, error) {
	ines, tobiah, radio := silence(s.seconds), silence(s.seconds), silence(s.seconds)
	for _, l := range s.lines {
		v, err := voice(l.voice)
		if err != nil {
			return wave.Header{}, nil, err
		}
		v = v.paced(l.pace)
		switch l.voice[:4] {
		case "ines":
			ines.add(v, l.at, 1)
		case "tobi":
			tobiah.add(v, l.at, 1)
		default:
			radio.add(v.highPass(500).highPass(400).lowPass(2800), l.at, 1.4)
		}
	}
	around := river(s.seconds, seed).toPeak(-34)
	for _, at := range s.winch {
		around.add(winch(7, seed).toPeak(-30), at, 1)
	}
	for _, at := range s.bell {
		around.add(bell(3, 0.05).toPeak(-20), at, 1)
	}
	// what a microphone hears: the voices at its distance, the speaker in the radio, the set, and its own noise
	hear := func(i, t, r, ambience, delay float64, own uint64) sound {
		return silence(s.seconds).add(ines, delay, i).add(tobiah, delay*1.3, t).add(radio, delay*0.7, r).add(around, delay,
			ambience).add(noise(s.seconds, seed+own), 0, 0.00012)
	}
	boom := hear(0.42, 0.36, 0.10, 1, 0.004, 11).room(0.35, 0.12, seed)
	inesLav := hear(0.62, 0.09, 0.03, 0.35, 0.0007, 12)
	tobiahLav := hear(0.08, 0.55, 0.03, 0.35, 0.0009, 13)
	plant := hear(0.10, 0.08, 0.16, 0.8, 0.009, 14).room(0.7, 0.5, seed+1)
	all := map[string]sound{
		"Boom": boom, "Ines lav": inesLav, "Tobiah lav": tobiahLav, "Wheelhouse plant": plant,
		"Input 7": noise(s.seconds, seed+15).scaled(0.00003), "Radio": radio.scaled(0.5).add(noise(s.seconds,
			seed+16).highPass(600).lowPass(2600), 0, 0.0018),
		"Mix L":  silence(s.seconds).add(boom, 0, 0.6).add(inesLav, 0, 0.5).add(tobiahLav, 0, 0.35).add(plant, 0, 0.2),
		"Mix R":  silence(s.seconds).add(boom, 0, 0.6).add(inesLav, 0, 0.35).add(tobiahLav, 0, 0.5).add(plant, 0, 0.2),
		"Boom 2": river(s.seconds, seed+20).toPeak(-30),
	}
	all["Radio safety"], all["Deck plant"] = all["Radio"], plant
	var channels []sound
	tracks := &wave.IXMLTracks{Count: fmt.Sprint(len(s.channels))}
	description := fmt.Sprintf("sSPEED=025.000-NDF\r\nsTAKE=%s\r\nsUBITS=00000000\r\nsSWVER=1.0\r\nsPROJECT=%s\r\nsSCENE=%s\r\nsTAPE=%s\r\n",
		s.take, Production, s.scene, s.roll)
	for i, name := range s.channels {
		channels = append(channels, all[name])
		n := fmt.Sprint(i + 1)
		function := ""
		if name == "Mix L" || name == "Mix R" {
			function = "MIX-" + name[4:]
		}
		tracks.Tracks = append(tracks.Tracks, wave.IXMLTrack{ChannelIndex: n, InterleaveIndex: n, Name: name, Function: function})
		description += fmt.Sprintf("sTRK%s=%s\r\n", n, name)
	}
	start, err := FrameRate.ParseSample(s.start, rate)
	if err != nil {
		return wave.Header{}, nil, err
	}
	circled := map[bool]string{true: "TRUE", false: "FALSE"}[s.circled]
	h := wave.Header{
		Bext: &wave.Bext{Description: description, Originator: "Deck recorder", Date: "2026-03-14", Time: s.start[:8], TimeReference: int64(start)},
		IXML: &wave.IXML{Version: "2.10", Project: Production, Scene: s.scene, Take: s.take, Tape: s.roll, Circled: circled, Note: s.note,
			UBits: "00000000",
			Speed: &wave.IXMLSpeed{MasterSpeed: "25/1", CurrentSpeed: "25/1", TimecodeRate: "25/1", TimecodeFlag: "NDF", FileSampleRate: "48000",
				BitDepth: "24", DigitizerRate: "48000",
				StampHigh: fmt.Sprint(start >> 32), StampLow: fmt.Sprint(start & 0xffffffff), StampRate: "48000"},
			Tracks: tracks},
	}
	return h, channels, nil
}

// once writes a file unless it is there. It appears under its name only when it is whole.
func once(name string, make func() (wave.Header, []sound, error)) error {
	if _, err := os.Stat(name); err == nil {
		return nil
	}
	h, channels, err := make()
	if err != nil {
		return err
	}
	h.Format = wave.Format{Encoding: wave.PCM, Channels: len(channels), SampleRate: rate, BitDepth: 24, Bytes: 3}
	h.Frames = int64(len(channels[0]))
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return err
	}
	f, err := os.CreateTemp(filepath.Dir(name), ".part-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	if err := write(f, h, channels); err != nil {
		f.Close()
		return err
	}
	if err := f.Close(); err != nil {
		return err
	}
	if err := os.Chmod(f.Name(), 0o644); err != nil {
		return err
	}
	return os.Rename(f.Name(), name)
}

func write(to io.Writer, h wave.Header, channels []sound) error {
	w, err := wave.NewWriter(to, h)
	if err != nil {
		return err
	}
	block := make([][]float64, len(channels))
	for i, c := range channels {
		block[i] = c
	}
	if err := w.WriteFrames(block, make([]int64, len(channels))); err != nil {
		return err
	}
	return w.Close()
}
