package delivery

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zestyloom/core/contract"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

// Movie is what has to be known of a reel's picture to put it beside the sound.
type Movie struct {
	Codec   string        `json:"codec"` // as ffmpeg calls it
	Rate    timecode.Rate `json:"frameRate"`
	Seconds float64       `json:"seconds"`
}

// Picture says how the reel's picture goes into a file.
type Picture struct {
	Copy   bool   `json:"copy"`          // as it is; else it is encoded again
	Why    string `json:"why,omitempty"` // it is encoded again
	Skip   int64  `json:"skip"`          // frames of the movie that lie before
	Before int64  `json:"before"`        // black frames before it
	After  int64  `json:"after"`         // black frames after it
	Frames int64  `json:"frames"`        // of the file
	Codec  string `json:"codec"`         // that it has in the file
}

// pictures are the codecs that a container takes as they are; the first is what is encoded to.
var pictures = map[contract.Container][]string{
	contract.MOV: {"h264", "hevc", "prores", "dnxhd", "mpeg2video", "mjpeg"}, contract.MP4: {"h264", "hevc"},
	contract.MKV: {"h264", "hevc", "prores", "dnxhd", "mpeg2video", "mjpeg"}, contract.MXF: {"mpeg2video"},
}

// PictureOf works out how the picture goes into a file of a plan. The reel has one.
func (p Plan) PictureOf(f PlannedFile, head reel.Head, m Movie) Picture {
	span, rate := p.Ranges[f.Range], head.FrameRate
	// Places are counted in frames of the reel's clock, which the movie's are.
	first := rate.FrameAt(span.From-span.Lead, p.Rate)
	out := Picture{Frames: rate.FrameAt(span.To+span.Tail, p.Rate) - first, Codec: m.Codec}
	begins := int64(math.Round(float64(head.Picture.Start) * float64(rate.Num) / float64(rate.Den) / float64(p.Rate)))
	shown := begins + int64(math.Round(m.Seconds*float64(m.Rate.Num)/float64(max(1, m.Rate.Den)))) // the frame after its last
	programme := rate.FrameAt(span.From, p.Rate)
	out.Skip = max(0, programme-begins)
	out.Before = min(out.Frames, max(begins, programme)-first)
	out.After = max(0, first+out.Frames-max(first+out.Before, min(shown, rate.FrameAt(span.To, p.Rate))))
	switch takes := pictures[f.Container]; {
	case !slices.Contains(takes, m.Codec):
		out.Why, out.Codec = fmt.Sprintf("%s does not take %s", f.Container, m.Codec), takes[0]
	case out.Before > 0 || out.After > 0:
		out.Why, out.Codec = "there is black around it", takes[0]
	case out.Skip > 0:
		out.Why, out.Codec = "it begins within the movie, where a copy could not be cut to the frame", takes[0]
	case m.Rate != rate && !(m.Rate.Num == rate.Num && m.Rate.Den == rate.Den):
		out.Why, out.Codec = fmt.Sprintf("the movie runs at %s frames a second and the reel at %s", m.Rate, rate), takes[0]
	default:
		out.Copy = true
	}
	return out
}

// SayPictures notes which files have the picture encoded again, and where it is not there for all of the programme.
func (p *Plan) SayPictures(head reel.Head, m Movie) {
	for _, f := range p.Files {
		if !f.Picture {
			continue
		}
		if picture := p.PictureOf(f, head, m); !picture.Copy {
			p.add(contract.Warning, "picture", "The picture of %s is encoded again, because %s", f.Name, picture.Why)
		}
	}
	p.grade()
}

// Muxing is a file that ffmpeg puts together of parts, and of the picture.
type Muxing struct {
	File    PlannedFile
	Parts   []string // names of its streams' parts
	Picture *Picture
	Rate    timecode.Rate // of the picture
	Stamp   string        // timecode of its first frame
	Title   string
}

// Muxing gives how a file of the plan is put together.
func (p Plan) Muxing(file int, head reel.Head, picture *Picture) Muxing {
	f := p.Files[file]
	m := Muxing{File: f, Picture: picture, Rate: head.FrameRate, Title: p.Production + ", " + p.Reel}
	m.Stamp = head.FrameRate.LabelAt(int64(f.Start.Convert(f.Rate, p.Rate)), p.Rate)
	for _, part := range p.Parts() {
		if part.File == file {
			m.Parts = append(m.Parts, part.Name)
		}
	}
	return m
}

// Args gives ffmpeg's arguments: parts, in order, and picture are paths; out is where it is written. What is made is the same,
// byte for byte, each time.
func (m Muxing) Args(parts []string, picture, out string) []string {
	var args []string
	if m.Picture != nil {
		if m.Picture.Skip > 0 {
			args = append(args, "-ss", fmt.Sprintf("%.6f", float64(m.Picture.Skip)*float64(m.Rate.Den)/float64(m.Rate.Num)))
		}
		if m.Picture.Copy { // frames are copied whole; what ends the picture must not end the sound
			args = append(args, "-t", fmt.Sprintf("%.6f", (float64(m.Picture.Frames)-0.5)*float64(m.Rate.Den)/float64(m.Rate.Num)))
		}
		args = append(args, "-i", "file:"+picture)
	}
	first := 0
	if m.Picture != nil {
		first = 1
	}
	for i, p := range parts {
		guess := "0" // what the part does not say is not known
		if s := m.File.Streams[i]; s.Layout != "" && len(s.Channels) <= 2 {
			guess = "2"
		}
		args = append(args, "-guess_layout_max", guess, "-i", "file:"+p)
	}
	if m.Picture != nil {
		args = append(args, "-map", "0:v:0")
	}
	for i := range parts {
		args = append(args, "-map", fmt.Sprintf("%d:a:0", first+i))
	}
	args = append(args, "-map_metadata", "-1", "-map_chapters", "-1", "-fflags", "+bitexact", "-flags:v", "+bitexact", "-flags:a", "+bitexact",
		"-metadata", "title="+m.Title)
	args = append(args, m.pictureArgs()...)
	for i, s := range m.File.Streams {
		args = append(args, m.streamArgs(i, s)...)
	}
	if c := contract.Holds(m.File.Container); c.Timecode && m.Picture != nil {
		args = append(args, "-timecode", m.Stamp)
	} else if c.Movie {
		args = append(args, "-metadata", "timecode="+m.Stamp)
	}
	return append(args, "-f", formats[m.File.Container], "-y", "file:"+out)
}

// formats are ffmpeg's names of containers.
var formats = map[contract.Container]string{contract.FLAC: "flac", contract.MOV: "mov", contract.MP4: "mp4", contract.MKV: "matroska",
	contract.MXF: "mxf"}

func (m Muxing) pictureArgs() []string {
	p := m.Picture
	if p == nil {
		return nil
	}
	if p.Copy {
		return []string{"-c:v", "copy"}
	}
	filter := fmt.Sprintf("fps=%d/%d", m.Rate.Num, m.Rate.Den)
	if p.Before > 0 {
		filter += fmt.Sprintf(",tpad=start=%d:start_mode=add:color=black", p.Before)
	}
	filter += fmt.Sprintf(",trim=end_frame=%d", p.Frames-p.After)
	if p.After > 0 {
		filter += fmt.Sprintf(",tpad=stop=%d:stop_mode=add:color=black", p.After)
	}
	args := []string{"-vf", filter, "-pix_fmt", "yuv420p", "-threads:v", "2"}
	if p.Codec == "mpeg2video" {
		return append(args, "-c:v", "mpeg2video", "-qscale:v", "2", "-g", "1", "-bf", "0")
	}
	return append(args, "-c:v", "libx264", "-preset", "fast", "-crf", "14", "-bf", "0")
}

func (m Muxing) streamArgs(i int, s PlannedStream) []string {
	at := func(what string) string { return fmt.Sprintf("%s:a:%d", what, i) }
	code := map[contract.Codec]string{contract.FLACCode: "flac", contract.ALAC: "alac"}[m.File.Codec]
	if m.File.Codec == contract.PCM {
		code = map[int]string{16: "pcm_s16le", 24: "pcm_s24le", 32: "pcm_f32le"}[m.File.Depth]
	}
	args := []string{at("-c"), code}
	c := contract.Holds(m.File.Container)
	if !c.Movie {
		if s.Layout == "" { // whoever reads it would take the channels for those of a set, in the order of RFC 9639
			args = append(args, "-metadata", "WAVEFORMATEXTENSIBLE_CHANNEL_MASK=0x0")
		}
		return append(args, "-metadata", "comment="+s.Title+", from "+m.Stamp)
	}
	if c.Titles {
		field := "title"
		if m.File.Container != contract.MKV {
			field = "handler_name" // by which players and editors call a track
		}
		args = append(args, at("-metadata:s"), field+"="+s.Title)
	}
	if c.Languages && s.Language != "" {
		args = append(args, at("-metadata:s"), "language="+s.Language)
	}
	disposition := "0"
	if s.Default {
		disposition = "default"
	}
	return append(args, at("-disposition"), disposition)
}

// FoundStream is a stream of sound as another program sees it.
type FoundStream struct {
	Codec    string
	Rate     int
	Channels int
	Layout   string // empty where it is not known
	Title    string
	Language string
	Default  bool
}

// FoundFile is a file as another program sees it.
type FoundFile struct {
	Streams  []FoundStream
	Pictures int
	Frames   int64 // of the picture; 0 where that is not known
	Timecode string
}

// Decoded is what came of decoding a stream: its frames, and whether the samples are those of its part.
type Decoded struct {
	Frames int64
	Same   bool
}

// Check holds what another program found in the file against the plan. decoded says what came of decoding each stream.
func (m Muxing) Check(found FoundFile, decoded []Decoded) (findings []contract.Finding) {
	name, c := m.File.Name, contract.Holds(m.File.Container)
	compare := func(rule, message string, measured, limit any) {
		f := contract.Finding{Rule: rule, Severity: contract.OK, File: name, Message: message, Measured: fmt.Sprint(measured),
			Limit: fmt.Sprint(limit)}
		if f.Measured != f.Limit {
			f.Severity = contract.Error
		}
		findings = append(findings, f)
	}
	compare("stream", "Number of streams of sound", len(found.Streams), len(m.File.Streams))
	if len(found.Streams) != len(m.File.Streams) || len(decoded) != len(m.File.Streams) {
		return findings
	}
	for i, s := range m.File.Streams {
		got, called := found.Streams[i], fmt.Sprintf("Stream %d: ", i+1)
		compare("channels", called+"number of channels", got.Channels, len(s.Channels))
		compare("sample-rate", called+"sample rate in Hz", got.Rate, m.File.Rate)
		if s.Layout != "" && s.Layout != "mono" && m.File.Container != contract.MXF &&
			(m.File.Container != contract.MKV || m.File.Codec != contract.PCM) {
			compare("stream", called+"layout", got.Layout, s.Layout)
		}
		if c.Titles {
			compare("names", called+"title", got.Title, s.Title)
		}
		if c.Languages && s.Language != "" {
			compare("stream", called+"language", got.Language, s.Language)
		}
		if c.Movie && c.Titles {
			compare("stream", called+"chosen by players", yes(got.Default), yes(s.Default))
		}
		compare("length", called+"length in samples", decoded[i].Frames, m.File.Frames)
		compare("audio", called+"decoded, the samples are those that were printed", yes(decoded[i].Same), yes(true))
	}
	if m.Picture != nil {
		compare("picture", "Number of pictures", found.Pictures, 1)
		compare("picture", "Length of the picture in frames", found.Frames, m.Picture.Frames)
		compare("start", "Timecode of the first frame", strings.ReplaceAll(found.Timecode, ";", ":"), strings.ReplaceAll(m.Stamp, ";", ":"))
	}
	return findings
}

func yes(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}
