package intake

import (
	"bufio"
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"strings"

	"zestyloom/core/adm"
	"zestyloom/core/contract"
	"zestyloom/core/desk"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
)

// Received opens a file for the desk, whatever it is: WAVE with our own reader, which ffprobe must agree with where it is there,
// and everything else with ffprobe and ffmpeg. What can't be read is a doubt of the file, and no error. close lets go of it.
func Received(ctx context.Context, local, name, sum string) (f desk.File, closing io.Closer, err error) {
	file, err := os.Open(local)
	if err != nil {
		return f, nil, err
	}
	info, err := file.Stat()
	if err != nil {
		file.Close()
		return f, nil, err
	}
	switch w, err := wave.Open(file, info.Size()); {
	case err == nil && w.Container != wave.AIFF:
		f = receivedWave(w)
		f.Doubts = append(f.Doubts, doubted(ctx, local, f)...)
	default:
		found, movieErr := receivedMovie(ctx, local)
		if fault.KindOf(movieErr) == fault.Cancelled {
			file.Close()
			return f, nil, movieErr
		}
		if movieErr != nil {
			if err != nil && strings.HasSuffix(strings.ToLower(name), ".wav") {
				movieErr = err // which says at which byte
			}
			f = desk.Unread(name, info.Size(), movieErr)
			break
		}
		if f = found; f.Container == contract.FLAC {
			switch err := checkFLAC(ctx, local); {
			case fault.KindOf(err) == fault.Cancelled:
				file.Close()
				return f, nil, err
			case err != nil:
				f.Doubts = append(f.Doubts, contract.Finding{Rule: "file", Severity: contract.Error, Message: fault.Sentence(err)})
			}
		}
	}
	f.Name, f.Size, f.SHA256 = name, info.Size(), sum
	return f, file, nil
}

// receivedWave says what is in a WAVE, RF64 or BW64.
func receivedWave(w *wave.File) desk.File {
	f := desk.File{Container: contract.Wave}
	if w.Container == wave.BW64 {
		f.Container = contract.BW64
	}
	s := desk.Stream{Codec: "pcm", Rate: w.SampleRate, Depth: w.BitDepth, Channels: w.Channels, Frames: w.Frames}
	if w.Encoding == wave.Float {
		s.Depth = 32
	}
	if l, ok := layout.ForMask(w.Mask, w.Channels); ok {
		s.Speakers = l.Labels
	}
	if w.Bext != nil {
		at := timecode.Reading(w.Bext.TimeReference)
		f.Start = &at
	}
	if x := w.IXML; x != nil {
		if x.Speed != nil {
			if rate, err := timecode.ParseRate(x.Speed.TimecodeRate, x.Speed.TimecodeFlag); err == nil {
				f.FrameRate = rate
			}
		}
		s.Names = namesOf(x, w.Channels)
	}
	s.Open = func(context.Context) (desk.Sound, error) { return &waveSound{file: w}, nil }
	f.Streams = []desk.Stream{s}
	for _, warning := range w.Warnings {
		f.Doubts = append(f.Doubts, contract.Finding{Rule: "file", Severity: contract.Error, Message: warning.Message})
	}
	axml, there := w.Raw("axml")
	chna, too := w.Raw("chna")
	if there && too {
		d, err := adm.Read(axml, chna)
		if err != nil {
			f.Doubts = append(f.Doubts, contract.Finding{Rule: "adm", Severity: contract.Error, Message: fault.Sentence(err)})
		}
		if err == nil {
			f.ADM = &d
		}
		for _, o := range d.Objects {
			f.Described += len(o.Channels)
			for _, c := range o.Channels {
				if c.Track > w.Channels {
					f.Doubts = append(f.Doubts, contract.Finding{Rule: "adm", Severity: contract.Error,
						Message: fmt.Sprintf("The description names channel %d, and the file has %d", c.Track, w.Channels)})
				}
			}
		}
		if s.Names == nil {
			f.Streams[0].Names = describedNames(d, w.Channels)
		}
	}
	return f
}

// namesOf gives the names of the channels, where iXML has one for each.
func namesOf(x *wave.IXML, channels int) []string {
	if x.Tracks == nil || len(x.Tracks.Tracks) != channels {
		return nil
	}
	names := make([]string, channels)
	for _, t := range x.Tracks.Tracks {
		at, err := strconv.Atoi(t.InterleaveIndex)
		if err != nil || at < 1 || at > channels || t.Name == "" {
			return nil
		}
		names[at-1] = t.Name
	}
	return names
}

// describedNames gives the names of the channels as a description after BS.2076 has them; nil where it does not have all.
func describedNames(d adm.Document, channels int) []string {
	names := make([]string, channels)
	for _, o := range d.Objects {
		for _, c := range o.Channels {
			if c.Track < 1 || c.Track > channels {
				return nil
			}
			names[c.Track-1] = o.Name
			if len(o.Channels) > 1 {
				names[c.Track-1] += " " + c.Label
			}
		}
	}
	if slices.Contains(names, "") {
		return nil
	}
	return names
}

// waveSound reads a WAVE front to back.
type waveSound struct {
	file *wave.File
	at   int64
	raw  []byte
}

func (s *waveSound) Read(block [][]float64) (int, error) {
	n := int(min(int64(len(block[0])), s.file.Frames-s.at))
	if n <= 0 {
		return 0, io.EOF
	}
	if need := n * s.file.FrameBytes(); len(s.raw) < need {
		s.raw = make([]byte, need)
	}
	raw := s.raw[:n*s.file.FrameBytes()]
	if got, err := s.file.ReadRaw(raw, s.at); err != nil || got != n {
		return 0, fault.Wrap(fault.Damaged, err, "The file ends before its samples do")
	}
	for c := range block {
		s.file.Decode(block[c][:n], raw, c)
	}
	s.at += int64(n)
	return n, nil
}

func (*waveSound) Close() error { return nil }

// doubted asks ffprobe what it makes of a WAVE, where it is there.
func doubted(ctx context.Context, local string, f desk.File) []contract.Finding {
	if _, err := exec.LookPath("ffprobe"); err != nil {
		return nil
	}
	other, err := receivedMovie(ctx, local)
	if err != nil || len(other.Streams) != 1 {
		return []contract.Finding{{Rule: "readers", Severity: contract.Error, Message: "Another program can't read the file as one stream of sound"}}
	}
	ours, theirs := f.Streams[0], other.Streams[0]
	write := func(s desk.Stream) string {
		return fmt.Sprintf("%d channels, %d Hz, %d samples", s.Channels, s.Rate, s.Frames)
	}
	if write(ours) != write(theirs) {
		return []contract.Finding{{Rule: "readers", Severity: contract.Error, Message: "Two programs that read the file do not agree",
			Measured: write(ours), Limit: write(theirs)}}
	}
	return nil
}

// received are the containers that the desk takes.
const received = formats + ",wav,w64,flac,aiff,caf"

// receivedMovie says what is in a file of any other kind.
func receivedMovie(ctx context.Context, local string) (f desk.File, err error) {
	out, err := run(ctx, "ffprobe", "-v", "error", "-format_whitelist", received, "-protocol_whitelist", "file", "-show_format",
		"-show_streams", "-of", "json", "file:"+local)
	if err != nil {
		return f, err
	}
	var p probed
	if err := json.Unmarshal(out, &p); err != nil {
		return f, fault.Wrap(fault.Damaged, err, "What is in the file can't be made out")
	}
	f.Container = containerIn(p)
	f.Timecode = tag(p.Format.Tags, "timecode")
	for _, s := range p.Streams {
		if f.Timecode == "" {
			f.Timecode = tag(s.Tags, "timecode")
		}
		switch s.Type {
		case "video":
			f.Pictures++
			f.Frames, _ = strconv.ParseInt(s.Frames, 10, 64)
			if num, den, found := strings.Cut(s.FrameRate, "/"); found {
				n, _ := strconv.ParseInt(num, 10, 64)
				d, _ := strconv.ParseInt(den, 10, 64)
				if rate := (timecode.Rate{Num: n, Den: d}); rate.Valid() {
					f.FrameRate = rate
				}
			}
		case "audio":
			f.Streams = append(f.Streams, p.stream(len(f.Streams), s, local))
		}
	}
	for i := range f.Streams {
		f.Streams[i].Late -= p.begins()
	}
	f.FrameRate.Drop = f.FrameRate.Den == 1001 && strings.Contains(f.Timecode, ";")
	if f.Pictures > 0 && f.Frames == 0 {
		f.Frames, err = countFrames(ctx, local)
	}
	if f.Streams == nil {
		f.Streams = []desk.Stream{}
	}
	return f, err
}

// stream says what ffprobe has found of a stream of sound, the at-th of its file.
func (probed) stream(at int, s probedStream, local string) desk.Stream {
	rate, _ := strconv.Atoi(s.SampleRate)
	raw, _ := strconv.Atoi(s.RawBits)
	made := desk.Stream{Codec: s.Codec, Rate: rate, Depth: max(s.Bits, raw), Channels: s.Channels, Layout: s.Layout,
		Title:    tag(s.Tags, "title"),
		Language: tag(s.Tags, "language"), Default: s.Disposition["default"] == 1}
	if strings.HasPrefix(s.Codec, "pcm_") {
		made.Codec = "pcm"
	}
	if made.Layout == "unknown" {
		made.Layout = ""
	}
	if made.Title == "" {
		made.Title = tag(s.Tags, "handler_name")
	}
	if made.Language == "und" {
		made.Language = ""
	}
	made.Frames = int64(math.Round(s.seconds() * float64(rate)))
	made.Late = s.begins()
	made.Open = func(ctx context.Context) (desk.Sound, error) { return decode(ctx, local, at, s.Channels) }
	return made
}

// begins is where the stream begins on the clock of its file, in seconds: edit lists and time stamps count.
func (s probedStream) begins() float64 {
	seconds, _ := strconv.ParseFloat(s.Start, 64)
	return seconds
}

// begins is where the first picture does; where there is none, the stream of sound that is the first.
func (p probed) begins() float64 {
	first := math.Inf(1)
	for _, s := range p.Streams {
		switch s.Type {
		case "video":
			return s.begins()
		case "audio":
			first = min(first, s.begins())
		}
	}
	return first
}

// seconds is how long the stream is; 0 where that is not said.
func (s probedStream) seconds() float64 {
	if seconds, err := strconv.ParseFloat(s.Duration, 64); err == nil {
		return seconds
	}
	var h, m int
	var rest float64 // Matroska writes it as 00:00:12.040000000
	if n, _ := fmt.Sscanf(tag(s.Tags, "DURATION"), "%d:%d:%f", &h, &m, &rest); n == 3 {
		return float64(h*3600+m*60) + rest
	}
	return 0
}

// containerIn names the container as specs do; empty where they don't.
func containerIn(p probed) contract.Container {
	switch name := p.Format.Name; {
	case strings.Contains(name, "matroska"):
		return contract.MKV
	case strings.HasPrefix(name, "mxf"):
		return contract.MXF
	case name == "flac":
		return contract.FLAC
	case name == "wav":
		return contract.Wave
	case strings.Contains(name, "mov") && strings.HasPrefix(tag(p.Format.Tags, "major_brand"), "qt"):
		return contract.MOV
	case strings.Contains(name, "mp4"):
		return contract.MP4
	}
	return ""
}

// decoder is a stream that ffmpeg decodes.
type decoder struct {
	ctx      context.Context
	stop     context.CancelFunc
	c        *exec.Cmd
	out      *bufio.Reader
	said     *limited
	raw      []byte
	channels int
	ended    bool
}

// decode begins decoding a stream of sound of a file.
func decode(ctx context.Context, local string, stream, channels int) (desk.Sound, error) {
	ctx, stop := context.WithTimeout(ctx, 2*patience(local))
	c, said, err := command(ctx, "ffmpeg", "-nostdin", "-v", "error", "-format_whitelist", received, "-protocol_whitelist", "file,pipe", "-i",
		"file:"+local,
		"-map", fmt.Sprintf("0:a:%d", stream), "-f", "f64le", "-c:a", "pcm_f64le", "pipe:1")
	if err != nil {
		stop()
		return nil, err
	}
	c.SysProcAttr = nil // it is read from any thread; where this process dies, it dies of its broken pipe
	out, err := c.StdoutPipe()
	if err == nil {
		err = c.Start()
	}
	if err != nil {
		stop()
		return nil, explain(ctx, err, "")
	}
	d := &decoder{ctx: ctx, stop: stop, c: c, out: bufio.NewReaderSize(out, 1<<16), said: said, channels: channels}
	return d, nil
}

func (d *decoder) Read(block [][]float64) (int, error) {
	if d.ended {
		return 0, io.EOF
	}
	want := len(block[0]) * d.channels * 8
	if len(d.raw) < want {
		d.raw = make([]byte, want)
	}
	n, err := io.ReadFull(d.out, d.raw[:want])
	frames := n / (d.channels * 8)
	for i := range frames {
		for c := range block {
			block[c][i] = math.Float64frombits(binary.LittleEndian.Uint64(d.raw[(i*d.channels+c)*8:]))
		}
	}
	if err == nil {
		return frames, nil
	}
	d.ended = true
	if err := d.c.Wait(); err != nil {
		return frames, explain(d.ctx, err, d.said.String())
	}
	return frames, io.EOF
}

// Close ends decoding, wherever it is.
func (d *decoder) Close() error {
	d.stop()
	if !d.ended {
		d.ended = true
		_ = d.c.Wait() // it was stopped
	}
	return nil
}
