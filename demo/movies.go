package demo

import (
	"context"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"

	"golang.org/x/image/font"
	"golang.org/x/image/font/basicfont"
	"golang.org/x/image/math/fixed"

	"zestyloom/core/dsp"
	"zestyloom/core/wave"
)

// CameraRoll is the camera card's.
const CameraRoll = "A003"

// cameraShot is a movie: the camera ran before the recorder did, on a clock of its own.
type cameraShot struct {
	name        string
	scene, take string  // of the recorder; empty where it recorded nothing
	lead        float64 // seconds that the camera ran before the recorder
	seconds     float64
	drift       float64 // of the recorder against the camera, in ppm
}

var cameraShots = []cameraShot{
	{"A003C001", "12A", "3", 4.32, 27, 21},
	{"A003C002", "12B", "1", 2.8, 22, 21},
	{"A003C003", "14", "1", 6.04, 25, 21},
	{"A003C004", "", "", 0, 14, 0}, // the empty landing, while the recorder was off
}

// Truth is where a take of the recorder lies in a camera's movie: what lining them up must find.
type Truth struct {
	Movie, Take string // file names
	Offset      int64  // samples from the movie's start to the take's
	DriftPPM    float64
}

// Truths gives it for every movie that has a take.
func Truths() []Truth {
	var list []Truth
	for _, c := range cameraShots {
		if i, ok := c.shot(); ok {
			list = append(list, Truth{c.name + ".mov", shots[i].names()[0], int64(math.Round(c.lead * rate * (1 + c.drift*1e-6))), c.drift})
		}
	}
	return list
}

// shot gives the recorder's take, an index into shots.
func (c cameraShot) shot() (i int, ok bool) {
	i = slices.IndexFunc(shots, func(s shot) bool { return s.scene == c.scene && s.take == c.take })
	return i, i >= 0
}

// scratch is what the camera's own microphone heard: the boom's sound 20 dB above its noise, on the camera's clock.
func (c cameraShot) scratch(seed uint64, recorded []func() (recording, error)) ([]sound, error) {
	heard := silence(c.seconds + 1)
	if i, ok := c.shot(); ok {
		r, err := recorded[i]()
		if err != nil {
			return nil, err
		}
		heard.add(r.channel(shots[i], "Boom"), c.lead, 0.8)
	} else {
		heard.add(river(c.seconds, seed).toPeak(-30), 0, 1)
	}
	power := 0.0
	for _, v := range heard {
		power += v * v / float64(len(heard))
	}
	// The camera's clock runs fast against the recorder's by the drift, so that it counts more samples for the same time.
	r := dsp.NewResampler(1 / (1 + c.drift*1e-6))
	var sides []sound
	for side := range uint64(2) {
		out := silence(c.seconds)
		for at := 0; at < len(out); at += 4096 {
			dst := out[at:min(len(out), at+4096)]
			first, end := r.Span(int64(at), len(dst))
			input := make([]float64, end-first)
			for i := range input {
				if j := int(first) + i; j >= 0 && j < len(heard) {
					input[i] = heard[j]
				}
			}
			r.Block(dst, int64(at), input, first)
		}
		// Uniform noise of ±a has the power a²/3.
		sides = append(sides, out.add(noise(c.seconds, seed+1+side), 0, math.Sqrt(3*power/100)))
	}
	return sides, nil
}

// guide is the sound of the picture cut: the recorder's mixes where the circled takes lie.
func guide(seconds float64, recorded []func() (recording, error)) ([]sound, error) {
	start, err := FrameRate.ParseSample(ReelStart, rate)
	if err != nil {
		return nil, err
	}
	out := []sound{silence(seconds), silence(seconds)}
	for i, s := range shots {
		if !s.circled || s.roll != Roll || s.scene == "wild" {
			continue
		}
		r, err := recorded[i]()
		if err != nil {
			return nil, err
		}
		at, err := FrameRate.ParseSample(s.start, rate)
		if err != nil {
			return nil, err
		}
		for _, side := range out {
			side.add(r.channel(s, "Boom"), float64(at-start)/rate, 0.7)
		}
	}
	return out, nil
}

// Picture is the file of the picture cut, and pictureSeconds its length.
const (
	Picture        = "picture/Picture cut v3.mov"
	pictureSeconds = 120
)

// movie writes what a camera took, with its own poor sound.
func (c cameraShot) movie(ctx context.Context, dir string, i int, recorded []func() (recording, error)) error {
	slate := "NO SLATE"
	if c.scene != "" {
		slate = fmt.Sprintf("%s  TAKE %s", c.scene, c.take)
	}
	return movie(ctx, filepath.Join(dir, "camera", CameraRoll, c.name+".mov"), c.seconds, "",
		func(frame int) string { return c.name + "   " + slate },
		func() ([]sound, error) { return c.scratch(uint64(i+1)*7000, recorded) })
}

// picture writes the cut, with a guide track.
func picture(ctx context.Context, dir string, recorded []func() (recording, error)) error {
	first, err := FrameRate.Frame(ReelStart)
	if err != nil {
		return err
	}
	return movie(ctx, filepath.Join(dir, "library", Picture), pictureSeconds, ReelStart,
		func(frame int) string { return "PICTURE CUT V3   " + FrameRate.Label(first+int64(frame)) },
		func() ([]sound, error) { return guide(pictureSeconds, recorded) })
}

const width, height = 320, 180

// movie writes a movie unless it is there: the ferry crossing at night, with a line of words burnt in.
func movie(ctx context.Context, name string, seconds float64, code string, words func(frame int) string,
	sounds func() ([]sound, error)) error {
	if _, err := os.Stat(name); err == nil {
		return nil
	}
	channels, err := sounds()
	if err != nil {
		return err
	}
	temp, err := os.MkdirTemp("", "ferry-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(temp)
	scratch := filepath.Join(temp, "scratch.wav")
	if err := once(scratch, func() (wave.Header, []sound, error) { return wave.Header{}, channels, nil }); err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return err
	}
	part := filepath.Join(filepath.Dir(name), ".part-"+filepath.Base(name))
	defer os.Remove(part)
	args := []string{"-v", "error", "-y", "-f", "rawvideo", "-pix_fmt", "rgb24", "-s", fmt.Sprintf("%dx%d", width, height), "-r", "25", "-i",
		"pipe:0", "-i", scratch,
		"-map", "0:v", "-map", "1:a", "-c:v", "libx264", "-preset", "ultrafast", "-crf", "25", "-threads", "1", "-pix_fmt", "yuv420p", "-c:a",
		"pcm_s24le",
		"-fflags", "+bitexact", "-flags:v", "+bitexact", "-flags:a", "+bitexact"}
	if code != "" {
		args = append(args, "-timecode", code)
	}
	c := exec.CommandContext(ctx, "ffmpeg", append(args, part)...)
	in, err := c.StdinPipe()
	if err != nil {
		return err
	}
	c.Stderr = os.Stderr
	if err := c.Start(); err != nil {
		return err
	}
	frames := int(seconds * 25)
	raw := make([]byte, 0, width*height*3)
	for i := range frames {
		if _, err = in.Write(rgb(raw, crossing(i, frames, words(i)))); err != nil {
			break // ffmpeg has ended; Wait says why
		}
	}
	in.Close()
	if err := errors.Join(err, c.Wait()); err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	return os.Rename(part, name)
}

func rgb(dst []byte, m *image.RGBA) []byte {
	dst = dst[:0]
	for i := 0; i < len(m.Pix); i += 4 {
		dst = append(dst, m.Pix[i], m.Pix[i+1], m.Pix[i+2])
	}
	return dst
}

// crossing draws a frame: night sky, river, the ferry on its cable with its lantern, and words along the top.
func crossing(frame, frames int, words string) *image.RGBA {
	m := image.NewRGBA(image.Rect(0, 0, width, height))
	water := height * 3 / 5
	for y := range height {
		t := float64(y) / height
		c := color.RGBA{uint8(14 + 30*t), uint8(20 + 36*t), uint8(48 + 40*t), 255}
		if y >= water {
			ripple := math.Sin(float64(y)*0.9 + float64(frame)*0.11)
			c = color.RGBA{uint8(16 + 6*ripple), uint8(36 + 8*ripple), uint8(52 + 10*ripple), 255}
		}
		draw.Draw(m, image.Rect(0, y, width, y+1), image.NewUniform(c), image.Point{}, draw.Src)
	}
	draw.Draw(m, image.Rect(0, water-18, width, water-17), image.NewUniform(color.RGBA{90, 92, 100, 255}), image.Point{},
		draw.Src) // the cable
	x := 30 + (width-60)*frame/max(1, frames)
	bob := int(math.Round(1.5 * math.Sin(float64(frame)*0.15)))
	draw.Draw(m, image.Rect(x-26, water-4+bob, x+26, water+6+bob), image.NewUniform(color.RGBA{58, 40, 30, 255}), image.Point{}, draw.Src)
	draw.Draw(m, image.Rect(x-6, water-16+bob, x+8, water-4+bob), image.NewUniform(color.RGBA{78, 56, 40, 255}), image.Point{}, draw.Src)
	glow(m, x-14, water-12+bob, 15+1.5*math.Sin(float64(frame)*0.4))
	d := font.Drawer{Dst: m, Src: image.NewUniform(color.RGBA{235, 225, 200, 255}), Face: basicfont.Face7x13, Dot: fixed.P(8, 16)}
	d.DrawString(words)
	return m
}

// glow adds the lantern's light.
func glow(m *image.RGBA, cx, cy int, radius float64) {
	for y := cy - int(radius); y <= cy+int(radius); y++ {
		for x := cx - int(radius); x <= cx+int(radius); x++ {
			d := math.Hypot(float64(x-cx), float64(y-cy)) / radius
			if d >= 1 || !(image.Point{x, y}).In(m.Rect) {
				continue
			}
			c := m.RGBAAt(x, y)
			k := (1 - d) * (1 - d)
			m.SetRGBA(x, y, color.RGBA{uint8(float64(c.R) + (255-float64(c.R))*k), uint8(float64(c.G) + (190-float64(c.G))*k),
				uint8(float64(c.B) + (90-float64(c.B))*k*0.6), 255})
		}
	}
}
