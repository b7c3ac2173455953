package delivery

import (
	"fmt"
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

// carries says what a container holds, and what it can't say. It is the one place where that is known.
type carries struct {
	extension string
	codecs    []Codec // the first is used where none is asked for
	depths    []int
	rates     []int // nil for all
	most      int   // channels of a stream
	movie     bool  // has streams, and can have a picture
	needs     bool  // a picture
	titles    bool  // of streams
	languages bool
	orders    bool // any order of channels, by name
	stamp     bool // a time stamp to the sample; else to the frame where there is a picture
	timecode  bool
}

var containers = map[Container]carries{
	Wave: {extension: "wav", codecs: []Codec{PCM}, depths: []int{16, 24, 32}, most: 64, orders: true, stamp: true},
	BW64: {extension: "wav", codecs: []Codec{PCM}, depths: []int{16, 24, 32}, most: 64, orders: true, stamp: true},
	FLAC: {extension: "flac", codecs: []Codec{FLACCode}, depths: []int{16, 24}, most: 8},
	MOV:  {extension: "mov", codecs: []Codec{PCM, ALAC}, depths: []int{16, 24, 32}, most: 32, movie: true, titles: true, languages: true, timecode: true},
	MP4:  {extension: "mp4", codecs: []Codec{ALAC}, depths: []int{16, 24}, most: 8, movie: true, titles: true, languages: true, timecode: true},
	MKV:  {extension: "mkv", codecs: []Codec{FLACCode, PCM}, depths: []int{16, 24}, most: 8, movie: true, titles: true, languages: true, timecode: true},
	MXF:  {extension: "mxf", codecs: []Codec{PCM}, depths: []int{16, 24}, rates: []int{48000}, most: 16, movie: true, needs: true, timecode: true},
}

// coded is the codec of a file.
func (f FileSpec) coded() Codec {
	if f.Codec != "" {
		return f.Codec
	}
	return containers[f.Container].codecs[0]
}

// fits tells whether the container can hold what the file asks for at all.
func (f FileSpec) fits() error {
	c, known := containers[f.Container]
	switch {
	case !known:
		return fault.New(fault.BadInput, "%q is no container that can be written", f.Container)
	case !slices.Contains(c.codecs, f.coded()):
		return fault.New(fault.BadInput, "%s does not hold %s; it holds %v", f.Container, f.Codec, c.codecs)
	case f.Depth != 0 && !slices.Contains(c.depths, f.Depth):
		return fault.New(fault.BadInput, "%s does not hold %d bits; it holds %v", f.Container, f.Depth, c.depths)
	case f.Depth == 32 && f.coded() != PCM:
		return fault.New(fault.BadInput, "%s holds no float samples", f.coded())
	case f.Rate != 0 && c.rates != nil && !slices.Contains(c.rates, f.Rate):
		return fault.New(fault.BadInput, "%s does not hold %d Hz", f.Container, f.Rate)
	case !c.movie && (len(f.Streams) > 0 || f.Picture == "reference"):
		return fault.New(fault.BadInput, "%s has neither streams nor a picture", f.Container)
	case c.needs && f.Picture != "reference":
		return fault.New(fault.BadInput, "%s needs the picture; say picture: reference", f.Container)
	case f.ADM != nil && f.Container != BW64:
		return fault.New(fault.BadInput, "a description after BS.2076 stands in bw64")
	}
	return nil
}

// speechless says what of a planned file its container has no words for. Nothing of the sound is lost by it.
func (f PlannedFile) speechless() (said []string) {
	c := containers[f.Container]
	for _, s := range f.Streams {
		if len(s.Channels) > c.most {
			said = append(said, fmt.Sprintf("%s holds %d channels in a stream, and %q has %d", f.Container, c.most, s.Title, len(s.Channels)))
		}
		if s.Title != "" && c.movie && !c.titles {
			said = append(said, fmt.Sprintf("%s has no place for the title %q", f.Container, s.Title))
		}
		if s.Language != "" && c.movie && !c.languages {
			said = append(said, fmt.Sprintf("%s has no place for the language %s", f.Container, s.Language))
		}
		if labels := s.labels(); !c.orders && len(labels) > 1 && standard(labels) == "" {
			said = append(said, fmt.Sprintf("%s can't say that the channels of %q are %v; they stand there by number", f.Container, s.Title, labels))
		}
	}
	if !c.stamp && !c.timecode {
		said = append(said, fmt.Sprintf("%s has no time stamp", f.Container))
	}
	return said
}

// standard names the layout that a container knows labels by, as ffmpeg does; empty where it knows none.
func standard(labels []string) string {
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
