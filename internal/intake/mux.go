package intake

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"io"
	"runtime"
	"strconv"
	"strings"
	"time"

	"zestyloom/core/delivery"
	"zestyloom/core/fault"
	"zestyloom/core/wave"
)

// Mux writes a file of parts, and of the picture, with ffmpeg. parts and picture are paths; patience is how long it may take.
func Mux(ctx context.Context, m delivery.Muxing, parts []string, picture, out string, seconds float64, progress func(float64)) error {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Minute+time.Duration(10*seconds)*time.Second)
	defer cancel()
	err := encode(ctx, seconds, progress, m.Args(parts, picture, out)...)
	return writing(err, m.File.Name)
}

// writing says of an error that it came while a file was written.
func writing(err error, name string) error {
	switch fault.KindOf(err) {
	case "", fault.NoSpace, fault.Cancelled, fault.Unsupported:
		return err
	}
	return fault.Wrap(fault.Damaged, err, "%s could not be put together by ffmpeg, so nothing of it is delivered. Print it again; if it stays so, ask for another container", name)
}

// Streams says what ffprobe finds in a file that was written.
func Streams(ctx context.Context, local string) (found delivery.FoundFile, err error) {
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	f, err := receivedMovie(ctx, local)
	if err != nil {
		return found, err
	}
	found = delivery.FoundFile{Pictures: f.Pictures, Frames: f.Frames, Timecode: f.Timecode}
	for _, s := range f.Streams {
		found.Streams = append(found.Streams, delivery.FoundStream{Codec: s.Codec, Rate: s.Rate, Channels: s.Channels, Layout: s.Layout,
			Title: s.Title, Language: s.Language, Default: s.Default})
	}
	return found, nil
}

func tag(tags map[string]string, name string) string {
	for k, v := range tags {
		if strings.EqualFold(k, name) {
			return v
		}
	}
	return ""
}

// countFrames counts the pictures of a file that does not say how many it has.
func countFrames(ctx context.Context, local string) (int64, error) {
	out, err := run(ctx, "ffprobe", "-v", "error", "-protocol_whitelist", "file", "-select_streams", "v:0",
		"-count_packets", "-show_entries", "stream=nb_read_packets", "-of", "default=nk=1:nw=1", "file:"+local)
	if err != nil {
		return 0, err
	}
	n, _ := strconv.ParseInt(strings.TrimSpace(string(bytes.SplitN(out, []byte("\n"), 2)[0])), 10, 64)
	return n, nil
}

// Compare decodes a stream of sound of a file and compares its samples with those of a part, bit for bit.
func Compare(ctx context.Context, local string, stream int, part *wave.File) (d delivery.Decoded, err error) {
	ctx, cancel := context.WithTimeout(ctx, time.Minute+patience(local))
	defer cancel()
	form := map[int]string{2: "s16le", 3: "s24le", 4: "f32le"}[part.Bytes]
	c, said, err := command(ctx, "ffmpeg", "-nostdin", "-v", "error", "-protocol_whitelist", "file,pipe", "-i", "file:"+local,
		"-map", fmt.Sprintf("0:a:%d", stream), "-f", form, "-c:a", "pcm_"+form, "pipe:1")
	if err != nil {
		return d, err
	}
	out, err := c.StdoutPipe()
	if err != nil {
		return d, err
	}
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	if err := c.Start(); err != nil {
		return d, explain(ctx, err, "")
	}
	d.Same = true
	got, want := make([]byte, 4096*part.FrameBytes()), make([]byte, 4096*part.FrameBytes())
	in := bufio.NewReaderSize(out, len(got))
	for {
		n, readErr := io.ReadFull(in, got)
		frames := n / part.FrameBytes()
		have := int(min(int64(frames), max(0, part.Frames-d.Frames)))
		if have > 0 {
			if m, err := part.ReadRaw(want[:have*part.FrameBytes()], d.Frames); err != nil || m != have {
				return d, fault.Wrap(fault.Damaged, err, "What was printed could not be read back")
			}
		}
		d.Same = d.Same && bytes.Equal(got[:have*part.FrameBytes()], want[:have*part.FrameBytes()])
		d.Frames += int64(frames)
		if readErr != nil {
			break
		}
	}
	if err := c.Wait(); err != nil {
		return d, explain(ctx, err, said.String())
	}
	return d, nil
}
