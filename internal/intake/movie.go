package intake

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"os/exec"
	"path"
	"runtime"
	"strconv"
	"strings"
	"syscall"
	"time"

	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/take"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
)

// Movie is the picture of a file.
type Movie struct {
	Codec     string        `json:"codec"`
	Width     int           `json:"width"`
	Height    int           `json:"height"`
	FrameRate timecode.Rate `json:"frameRate"` // 0/0 where the file does not say a rate that is known here
	Seconds   float64       `json:"seconds"`
	Timecode  string        `json:"timecode"` // of its first frame, empty where the file says none
}

// formats are the containers that ffmpeg may take a file for: a movie that is a play list in disguise could name other
// files of the server.
const formats = "mov,mp4,m4a,3gp,3g2,mj2,matroska,webm,mxf"

// probedStream is what ffprobe says of a stream, as far as it is used.
type probedStream struct {
	Type        string            `json:"codec_type"`
	Codec       string            `json:"codec_name"`
	Width       int               `json:"width"`
	Height      int               `json:"height"`
	FrameRate   string            `json:"r_frame_rate"`
	SampleRate  string            `json:"sample_rate"`
	Channels    int               `json:"channels"`
	Layout      string            `json:"channel_layout"`
	Bits        int               `json:"bits_per_sample"`
	RawBits     string            `json:"bits_per_raw_sample"`
	Duration    string            `json:"duration"`
	Start       string            `json:"start_time"`
	Frames      string            `json:"nb_frames"`
	Tags        map[string]string `json:"tags"`
	Disposition map[string]int    `json:"disposition"`
}

// probed is what it says of a file.
type probed struct {
	Streams []probedStream `json:"streams"`
	Format  struct {
		Name     string            `json:"format_name"`
		Duration string            `json:"duration"`
		Tags     map[string]string `json:"tags"`
	} `json:"format"`
}

func probeMovie(ctx context.Context, local, name string) (Contents, error) {
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	out, err := run(ctx, "ffprobe", "-v", "error", "-format_whitelist", formats, "-protocol_whitelist", "file", "-show_format",
		"-show_streams", "-of", "json", "file:"+local)
	if err != nil {
		return Contents{}, err
	}
	return contentsOf(out, name)
}

// contentsOf reads ffprobe's JSON. Numbers in it come from the file and may be anything.
func contentsOf(report []byte, name string) (Contents, error) {
	var p probed
	if err := json.Unmarshal(report, &p); err != nil {
		return Contents{}, fault.Wrap(fault.Damaged, err, "What is in the movie can't be made out")
	}
	var c Contents
	seconds := number(p.Format.Duration)
	code := p.Format.Tags["timecode"]
	for _, s := range p.Streams {
		if code == "" {
			code = s.Tags["timecode"]
		}
		if s.Type != "video" || c.Movie != nil || s.Disposition["attached_pic"] == 1 {
			continue
		}
		c.Movie = &Movie{Codec: s.Codec, Width: s.Width, Height: s.Height, FrameRate: rateOf(s.FrameRate),
			Seconds: cmp.Or(seconds, number(s.Duration))}
	}
	// Cameras whose clock was never set count from zero; that is no timecode to go by.
	if strings.Trim(code, "0:;") == "" {
		code = ""
	}
	if c.Movie != nil {
		c.Movie.Timecode = code
		c.Movie.FrameRate.Drop = c.Movie.FrameRate.Drop || strings.Contains(code, ";") && c.Movie.FrameRate.Den == 1001
	}
	for _, s := range p.Streams {
		if s.Type != "audio" {
			continue
		}
		rate, err := strconv.Atoi(s.SampleRate)
		if err != nil || rate < 1000 || rate > 1<<20 || s.Channels < 1 || s.Channels > 256 {
			continue
		}
		d := take.Description{Container: containerOf(p.Format.Name, name), Encoding: wave.PCM, SampleRate: rate, Channels: s.Channels,
			Layout: layoutOf(s.Layout, s.Channels),
			Frames: int64(math.Round(min(cmp.Or(number(s.Duration), seconds), 48*3600) * float64(rate))), Warnings: []take.Warning{}}
		d.BitDepth = cmp.Or(s.Bits, atoi(s.RawBits))
		if !strings.HasPrefix(s.Codec, "pcm_") && s.Codec != "flac" && s.Codec != "alac" {
			d.Encoding, d.BitDepth = wave.Float, 32 // coded sound has no depth of its own
		}
		for i := range s.Channels {
			d.Tracks = append(d.Tracks, take.Track{Index: i + 1, Use: take.Unknown, Name: trackName(s.Tags, s.Channels)})
		}
		d.Stream = streamName(s.Tags)
		c.Movie.stamp(&d, code)
		c.Streams = append(c.Streams, Stream{Index: len(c.Streams), Description: d, codec: s.Codec, begins: number(s.Start)})
	}
	nameApart(c.Streams)
	if c.Movie == nil && len(c.Streams) == 0 {
		return Contents{}, fault.New(fault.BadInput, "The file has neither a picture nor sound")
	}
	return c, nil
}

// streamName is what a movie calls a stream of sound, with the language that it says it is in. Names that programs give to every
// stream say nothing.
func streamName(tags map[string]string) string {
	name := strings.TrimSpace(cmp.Or(tag(tags, "title"), tag(tags, "handler_name")))
	lower := strings.ToLower(name)
	for _, anybodys := range []string{"handler", "media", "soundtrack", "untitled"} {
		if strings.Contains(lower, anybodys) {
			name = ""
		}
	}
	code := tag(tags, "language")
	language := take.LanguageName(cmp.Or(take.ReadName("stream "+code, nil).Language, code)) // some codes have two forms
	if take.ReadName("stream "+name, nil).Language == "" {
		name = strings.TrimSpace(name + " " + language)
	}
	return strings.ToValidUTF8(name[:min(len(name), 100)], "")
}

// nameApart leaves streams the names by which they are told apart: none where there is one stream, or where several are called the same.
func nameApart(streams []Stream) {
	seen := map[string]int{}
	for _, s := range streams {
		seen[s.Description.Stream]++
	}
	for i := range streams {
		if d := &streams[i].Description; len(streams) == 1 || seen[d.Stream] > 1 {
			d.Stream = ""
		}
	}
}

// trackName is what the file calls a stream of one channel.
func trackName(tags map[string]string, channels int) string {
	if channels != 1 {
		return ""
	}
	if t := tags["title"]; len(t) <= 100 {
		return t
	}
	return ""
}

// stamp puts the movie's timecode into the description of its sound. A movie without one leaves it open.
func (m *Movie) stamp(d *take.Description, code string) {
	if m == nil || code == "" || !m.FrameRate.Valid() {
		return
	}
	start, err := m.FrameRate.ParseSample(code, d.SampleRate)
	if err != nil {
		return
	}
	rate, at := m.FrameRate.Number(), int64(start)
	d.StartSamples, d.StartTimecode, d.FrameRate, d.DropFrame = &at, &code, &rate, m.FrameRate.Drop
}

// Describe gives the description of a movie that has no sound, as one of 48 kHz without channels.
func (m *Movie) Describe(name string) take.Description {
	d := take.Description{Container: containerOf("", name), Encoding: wave.PCM, SampleRate: 48000, Frames: int64(math.Round(min(m.Seconds,
		48*3600) * 48000)), Tracks: []take.Track{}, Warnings: []take.Warning{}}
	m.stamp(&d, m.Timecode)
	return d
}

func number(text string) float64 {
	x, err := strconv.ParseFloat(text, 64)
	if err != nil || math.IsNaN(x) || math.IsInf(x, 0) || x < 0 {
		return 0
	}
	return x
}

func atoi(text string) int {
	n, err := strconv.Atoi(text)
	if err != nil || n < 1 || n > 64 {
		return 0
	}
	return n
}

// rateOf reads a rate such as 30000/1001, and finds the known rate that is next to an inexact one.
func rateOf(text string) timecode.Rate {
	n, d, _ := strings.Cut(text, "/")
	num, den := number(n), number(d)
	if num == 0 || den == 0 {
		return timecode.Rate{}
	}
	for _, r := range timecode.Rates {
		if !r.Drop && math.Abs(num/den*float64(r.Den)/float64(r.Num)-1) < 1e-4 {
			return r
		}
	}
	return timecode.Rate{}
}

func containerOf(format, name string) wave.Container {
	switch {
	case strings.Contains(format, "matroska"):
		return "mkv"
	case strings.Contains(format, "mxf"):
		return "mxf"
	case strings.EqualFold(path.Ext(name), ".mov"):
		return "mov"
	}
	return "mp4"
}

// layoutOf turns ffmpeg's name of a layout into ours. A stream that has none is read as the set of its width.
func layoutOf(text string, channels int) layout.Name {
	switch base, _, _ := strings.Cut(text, "("); base {
	case "stereo":
		return layout.Stereo
	case "3.0":
		return layout.LCR
	case "5.0":
		return layout.Five0
	case "5.1":
		return layout.Five1
	case "7.1":
		return layout.Seven1
	case "ambisonic 1":
		return layout.FOA
	}
	if channels > 1 {
		if l := layout.ForWidth(channels); l.Name != layout.Discrete {
			return l.Name
		}
	}
	return ""
}

// pcm is the encoding that holds a stream's samples exactly.
func (s Stream) pcm() string {
	d := s.Description
	switch {
	case d.Encoding == wave.Float:
		return "pcm_f32le"
	case d.BitDepth > 24:
		return "pcm_s32le"
	case d.BitDepth > 16:
		return "pcm_s24le"
	}
	return "pcm_s16le"
}

// extractMovie writes a stream's sound, from the movie's first moment on: a stream that begins later is led by silence.
func extractMovie(ctx context.Context, local string, s Stream, out string, progress func(float64)) error {
	ctx, cancel := context.WithTimeout(ctx, patience(local))
	defer cancel()
	most := mostSound(local)
	d := s.Description
	if led := s.begins * float64(d.SampleRate*d.Channels*s.pcmBytes()); led > float64(most) {
		return fault.New(fault.Damaged, "The movie says that its sound begins %s in, which its size belies; it is damaged",
			timecode.Clock(int64(s.begins), 1))
	}
	err := encode(ctx, float64(s.Description.Frames)/float64(s.Description.SampleRate), progress,
		"-format_whitelist", formats, "-protocol_whitelist", "file", "-i", "file:"+local, "-map", fmt.Sprintf("0:a:%d", s.Index),
		"-map_metadata",
		"-1",
		"-af", "aresample=first_pts=0", "-c:a", s.pcm(), "-fflags", "+bitexact", "-rf64", "auto", "-f", "wav",
		"-t", fmt.Sprint(maxHours*3600), "-fs", fmt.Sprint(most), "-y", "file:"+out)
	if info, statErr := os.Stat(out); err == nil && statErr == nil && info.Size() >= most-1<<20 {
		return fault.New(fault.Damaged, "The movie's sound unfolds to more than %d MB, which its size belies; it is damaged", most>>20)
	}
	return err
}

// maxHours is the longest movie whose sound is taken.
const maxHours = 24

// mostSound is how many bytes the sound of a file may unfold to: no coding of sound that is worth it saves more, and a
// damaged file may claim anything.
func mostSound(local string) int64 {
	most := int64(1 << 30)
	if info, err := os.Stat(local); err == nil {
		most += 1000 * info.Size()
	}
	return most
}

// pcmBytes is the size of a sample as it is extracted.
func (s Stream) pcmBytes() int {
	switch s.pcm() {
	case "pcm_s16le":
		return 2
	case "pcm_s24le":
		return 3
	}
	return 4
}

// Proxy writes a small picture that every browser plays, without sound, and that can be stepped through quickly. It
// gives how many seconds of picture there were, which may be less than the movie claims.
func Proxy(ctx context.Context, local string, m Movie, out string, progress func(float64)) (seconds float64, err error) {
	ctx, cancel := context.WithTimeout(ctx, 4*patience(local))
	defer cancel()
	err = encode(ctx, m.Seconds, progress, "-format_whitelist", formats, "-protocol_whitelist", "file", "-i", "file:"+local, "-map",
		"0:v:0",
		"-an", "-map_metadata", "-1",
		"-vf", "scale=w=min(640\\,iw):h=-2", "-c:v", "libx264", "-preset", "veryfast", "-crf", "27", "-pix_fmt", "yuv420p", "-g", "12",
		"-movflags", "+faststart", "-f", "mp4",
		"-t", fmt.Sprint(maxHours*3600), "-fs", fmt.Sprint(mostSound(local)), "-y", "file:"+out)
	if err != nil {
		return 0, err
	}
	c, err := Probe(ctx, out, "proxy.mp4") // progress is told by the last picture written, which need not be the last seen
	if err != nil || c.Movie == nil {
		return 0, fault.Wrap(fault.Damaged, err, "No picture of this movie could be read")
	}
	return c.Movie.Seconds, nil
}

// patience is how long ffmpeg may take over a file: a minute, and a second for each 2 MB.
func patience(local string) time.Duration {
	info, err := os.Stat(local)
	if err != nil {
		return time.Minute
	}
	return time.Minute + time.Duration(info.Size()/(2<<20))*time.Second
}

// maxReport bounds what is kept of ffprobe's answer, and of what ffmpeg says.
const maxReport = 8 << 20

// run runs one of ffmpeg's programs and gives what it prints.
func run(ctx context.Context, program string, args ...string) ([]byte, error) {
	ctx, cancel := context.WithTimeoutCause(ctx, looksFor, errStalled)
	defer cancel()
	c, said, err := command(ctx, program, args...)
	if err != nil {
		return nil, err
	}
	printed := &limited{left: maxReport}
	c.Stdout = printed
	runtime.LockOSThread() // the child dies with the thread that started it
	defer runtime.UnlockOSThread()
	if err := c.Run(); err != nil {
		return nil, explain(ctx, err, said.String())
	}
	return printed.Bytes(), nil
}

func command(ctx context.Context, program string, args ...string) (*exec.Cmd, *limited, error) {
	found, err := exec.LookPath(program)
	if err != nil {
		return nil, nil, fault.Wrap(fault.Unsupported, err, "Movies are read with ffmpeg, which is not installed on this server; everything else works without it")
	}
	c := exec.CommandContext(ctx, found, args...)
	c.WaitDelay = 5 * time.Second
	c.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL} // also where this process is killed
	said := &limited{left: 64 << 10}
	c.Stderr = said
	return c, said, nil
}

// maxPixels is the largest picture that is decoded: more than any camera's.
const maxPixels = 16384 * 8640

// encode runs ffmpeg and follows its progress.
func encode(ctx context.Context, seconds float64, progress func(float64), args ...string) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	stalled := time.AfterFunc(stalledAfter, func() { cancel(errStalled) })
	defer stalled.Stop()
	limits := []string{"-nostdin", "-v", "error", "-progress", "pipe:1", "-nostats", "-max_pixels", fmt.Sprint(maxPixels), "-threads", "2"}
	c, said, err := command(ctx, "ffmpeg", append(limits, args...)...)
	if err != nil {
		return err
	}
	out, err := c.StdoutPipe()
	if err != nil {
		return err
	}
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	if err := c.Start(); err != nil {
		return explain(ctx, err, "")
	}
	lines := bufio.NewScanner(out)
	was := map[string]string{}
	for lines.Scan() {
		name, value, _ := strings.Cut(lines.Text(), "=")
		if (name == "out_time_us" || name == "total_size" || name == "progress") && was[name] != value {
			was[name] = value // it tells twice a second where it is, also where it stands still
			stalled.Reset(stalledAfter)
		}
		us, ok := strings.CutPrefix(lines.Text(), "out_time_us=")
		if !ok {
			continue
		}
		if progress != nil && seconds > 0 {
			progress(min(1, number(us)/1e6/seconds))
		}
	}
	_, _ = io.Copy(io.Discard, out) // a line too long for the scanner
	if err := c.Wait(); err != nil {
		return explain(ctx, err, said.String())
	}
	return nil
}

// stalledAfter is how long ffmpeg may stand still, and looksFor how long ffprobe may take; tests have less patience.
var (
	stalledAfter = 2 * time.Minute
	looksFor     = 5 * time.Minute
)

// ErrTool says that it was the tool, or the machine, that failed, and not what it was given: another try may go well.
var ErrTool = errors.New("the tool failed")

var errStalled = errors.New("no progress")

// ended tells whether somebody else has ended a process, such as the system where there is no memory left.
func ended(err error) bool {
	var exit *exec.ExitError
	if !errors.As(err, &exit) {
		return false
	}
	status, known := exit.Sys().(syscall.WaitStatus)
	return known && status.Signaled()
}

// explain makes an error of what ffmpeg said last.
func explain(ctx context.Context, err error, said string) error {
	switch {
	case errors.Is(context.Cause(ctx), errStalled):
		return fault.Wrap(fault.Away, errors.Join(ErrTool, err), "ffmpeg made no progress over this movie for %s, and was ended; try again when the server has less to do", stalledAfter)
	case ctx.Err() == nil && ended(err):
		return fault.Wrap(fault.Away, errors.Join(ErrTool, err), "The system ended ffmpeg in the middle of this movie, as it does where memory runs out; try again when the server has less to do")
	case errors.Is(ctx.Err(), context.Canceled):
		return fault.Wrap(fault.Cancelled, err, "Reading the movie was stopped")
	case ctx.Err() != nil:
		return fault.Wrap(fault.Damaged, err, "Reading the movie took too long and was given up; it may be damaged")
	case strings.Contains(said, syscall.ENOSPC.Error()) || strings.Contains(said, "No space left"):
		return fault.Wrap(fault.NoSpace, err, "The disk is full. Make room on the server, then try again; nothing that was finished is lost")
	}
	lines := strings.Split(strings.TrimSpace(said), "\n")
	return fault.Wrap(fault.Damaged, fmt.Errorf("%w: %s", err, lines[len(lines)-1]),
		"The movie can't be read; it is damaged or of a kind that ffmpeg does not know")
}

// limited keeps the first bytes of what is written to it.
type limited struct {
	bytes.Buffer
	left int
}

func (l *limited) Write(b []byte) (int, error) {
	n := min(len(b), l.left)
	l.left -= n
	l.Buffer.Write(b[:n])
	return len(b), nil
}
