package intake

import (
	"context"
	"fmt"
	"time"
)

// Excerpt gives a stretch of a file's sound as a WAVE of 16 bits, for the ear: of one channel (from 1), or of all in stereo where
// that is 0. stream counts from 0, from and length are in seconds.
func Excerpt(ctx context.Context, local string, stream, channel int, from, length float64) ([]byte, error) {
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	filter := "aresample=48000"
	if channel > 0 {
		filter = fmt.Sprintf("pan=mono|c0=c%d,aresample=48000", channel-1)
	}
	args := []string{"-nostdin", "-v", "error", "-format_whitelist", received, "-protocol_whitelist", "file,pipe", "-ss",
		fmt.Sprintf("%.6f", from), "-i", "file:" + local,
		"-t", fmt.Sprintf("%.3f", length), "-map", fmt.Sprintf("0:a:%d", stream), "-af", filter}
	if channel == 0 {
		args = append(args, "-ac", "2")
	}
	return run(ctx, "ffmpeg", append(args, "-f", "wav", "-c:a", "pcm_s16le", "pipe:1")...)
}
