package contract

import (
	"slices"

	"zestyloom/core/fault"
	"zestyloom/core/layout"
)

// Container is the form of a file.
type Container string

const (
	Wave Container = "wave" // becomes RF64 by itself beyond 4 GiB
	BW64 Container = "bw64" // ITU-R BS.2088
	FLAC Container = "flac"
	MOV  Container = "mov"
	MP4  Container = "mp4"
	MKV  Container = "mkv"
	MXF  Container = "mxf"
)

// Codec is how the samples are written. There are none that lose anything: what is measured is then what is in the file.
type Codec string

const (
	PCM      Codec = "pcm"
	FLACCode Codec = "flac"
	ALAC     Codec = "alac"
)

// Carries says what a container holds, and what it can't say. It is the one place where that is known.
type Carries struct {
	Extension string
	Codecs    []Codec // the first is used where none is asked for
	Depths    []int
	Rates     []int // nil for all
	Most      int   // channels of a stream
	Movie     bool  // has streams, and can have a picture
	Needs     bool  // a picture
	Titles    bool  // of streams
	Languages bool
	Orders    bool // any order of channels, by name
	Stamp     bool // a time stamp to the sample; else to the frame where there is a picture
	Timecode  bool
}

var containers = map[Container]Carries{
	Wave: {Extension: "wav", Codecs: []Codec{PCM}, Depths: []int{16, 24, 32}, Most: 64, Orders: true, Stamp: true},
	BW64: {Extension: "wav", Codecs: []Codec{PCM}, Depths: []int{16, 24, 32}, Most: 64, Orders: true, Stamp: true},
	FLAC: {Extension: "flac", Codecs: []Codec{FLACCode}, Depths: []int{16, 24}, Most: 8},
	MOV: {Extension: "mov", Codecs: []Codec{PCM, ALAC}, Depths: []int{16, 24, 32}, Most: 32, Movie: true, Titles: true, Languages: true,
		Timecode: true},
	MP4: {Extension: "mp4", Codecs: []Codec{ALAC}, Depths: []int{16, 24}, Most: 8, Movie: true, Titles: true, Languages: true,
		Timecode: true},
	MKV: {Extension: "mkv", Codecs: []Codec{FLACCode, PCM}, Depths: []int{16, 24}, Most: 8, Movie: true, Titles: true, Languages: true,
		Timecode: true},
	MXF: {Extension: "mxf", Codecs: []Codec{PCM}, Depths: []int{16, 24}, Rates: []int{48000}, Most: 16, Movie: true, Needs: true,
		Timecode: true},
}

// Holds says what a container holds; nothing where there is no such container.
func Holds(c Container) Carries { return containers[c] }

// Coded is the codec of a file.
func (f File) Coded() Codec {
	if f.Codec != "" {
		return f.Codec
	}
	return containers[f.Container].Codecs[0]
}

// fits tells whether the container can hold what the file asks for at all.
func (f File) fits() error {
	c, known := containers[f.Container]
	switch {
	case !known:
		return fault.New(fault.BadInput, "%q is no container that can be written", f.Container)
	case !slices.Contains(c.Codecs, f.Coded()):
		return fault.New(fault.BadInput, "%s does not hold %s; it holds %v", f.Container, f.Codec, c.Codecs)
	case f.Depth != 0 && !slices.Contains(c.Depths, f.Depth):
		return fault.New(fault.BadInput, "%s does not hold %d bits; it holds %v", f.Container, f.Depth, c.Depths)
	case f.Depth == 32 && f.Coded() != PCM:
		return fault.New(fault.BadInput, "%s holds no float samples", f.Coded())
	case f.Rate != 0 && c.Rates != nil && !slices.Contains(c.Rates, f.Rate):
		return fault.New(fault.BadInput, "%s does not hold %d Hz", f.Container, f.Rate)
	case !c.Movie && (len(f.Streams) > 0 || f.Picture == "reference"):
		return fault.New(fault.BadInput, "%s has neither streams nor a picture", f.Container)
	case c.Needs && f.Picture != "reference":
		return fault.New(fault.BadInput, "%s needs the picture; say picture: reference", f.Container)
	case f.ADM != nil && f.Container != BW64:
		return fault.New(fault.BadInput, "a description after BS.2076 stands in bw64")
	}
	return nil
}

// Standard names the layout that a container knows labels by, as ffmpeg does; empty where it knows none.
func Standard(labels []string) string {
	if len(labels) == 1 {
		return "mono"
	}
	for name, called := range map[layout.Name]string{layout.Stereo: "stereo", layout.LCR: "3.0", layout.Five0: "5.0", layout.Five1: "5.1"} {
		if l, err := layout.New(name, "smpte", 0); err == nil && slices.Equal(l.Labels, labels) {
			return called
		}
	}
	if slices.Equal(labels, []string{"L", "R", "C", "LFE", "Lrs", "Rrs", "Lss", "Rss"}) { // the order of the mask's bits
		return "7.1"
	}
	return ""
}
