// Package lineup makes what channels are lined up and told apart by: a tone, and their names, spoken.
package lineup

import (
	"bytes"
	"embed"
	"encoding/binary"
	"math"
	"strconv"

	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/wave"
)

// The usual line-up tone: 1 kHz at −18 dBFS, the alignment level of EBU R 68.
const (
	Hz    = 1000
	Level = -18.0 // dBFS, of its peaks as of a sine of that level
)

// Tone fills dst with the line-up tone as it is from a sample on, at a rate in Hz: it is a function of the place alone.
func Tone(dst []float64, at int64, rate int) {
	peak := math.Pow(10, Level/20)
	for i := range dst {
		// The place within a second is exact, however late it is: the tone has whole periods in it.
		within := (at + int64(i)) % int64(rate)
		dst[i] = peak * math.Sin(2*math.Pi*Hz*float64(within)/float64(rate))
	}
}

// words are spoken once each, at 16 kHz.
//
//go:embed words/*.wav
var words embed.FS

const wordRate = 16000

var spoken = map[string][]string{
	"M": {"mono"}, "L": {"left"}, "R": {"right"}, "C": {"centre"}, "LFE": {"low"}, "Ls": {"left", "surround"}, "Rs": {"right", "surround"},
	"Lss": {"left", "side"}, "Rss": {"right", "side"}, "Lrs": {"left", "rear"}, "Rrs": {"right", "rear"},
	"Ltf": {"left", "top", "front"}, "Rtf": {"right", "top", "front"}, "Ltr": {"left", "top", "rear"}, "Rtr": {"right", "top", "rear"},
}

// wordsOf gives the words for a channel: its label's where that has a name, else the number of its output.
func wordsOf(label string, number int) []string {
	if named, ok := spoken[label]; ok {
		return named
	}
	switch {
	case number < 20:
		return []string{"output", strconv.Itoa(max(0, number))}
	case number < 70:
		tens := []string{"output", strconv.Itoa(number / 10 * 10)}
		if number%10 == 0 {
			return tens
		}
		return append(tens, strconv.Itoa(number%10))
	}
	said := []string{"output"}
	for _, digit := range strconv.Itoa(number) {
		said = append(said, string(digit))
	}
	return said
}

// Voice speaks at one rate.
type Voice struct{ resampler *dsp.Resampler }

// NewVoice makes one for a rate in Hz.
func NewVoice(rate int) Voice {
	return Voice{dsp.NewResampler(float64(wordRate) / float64(rate))}
}

// Say gives the name of a channel, spoken: its label, or the number of its output (from 1) where the label has no name. Its
// highest sample is at −12 dBFS.
func (v Voice) Say(label string, number int) ([]float64, error) {
	var all []float64
	for _, w := range wordsOf(label, number) {
		word, err := read(w)
		if err != nil {
			return nil, err
		}
		all = append(all, word...)
	}
	peak := 1e-9
	for _, x := range all {
		peak = max(peak, math.Abs(x))
	}
	r := v.resampler
	out := make([]float64, r.Length(int64(len(all))))
	first, end := r.Span(0, len(out))
	input := make([]float64, end-first)
	copy(input[max(0, -first):], all)
	r.Block(out, 0, input, first)
	for i := range out {
		out[i] *= math.Pow(10, -12.0/20) / peak
	}
	return out, nil
}

// read gives the samples of a word, full scale = 1.0.
func read(word string) ([]float64, error) {
	b, err := words.ReadFile("words/" + word + ".wav")
	if err != nil {
		return nil, fault.Wrap(fault.NotFound, err, "There is no word %q", word)
	}
	f, err := wave.Open(bytes.NewReader(b), int64(len(b)))
	if err != nil {
		return nil, err
	}
	raw := make([]byte, f.Frames*int64(f.Format.FrameBytes()))
	if _, err := f.ReadRaw(raw, 0); err != nil {
		return nil, err
	}
	out := make([]float64, f.Frames)
	for i := range out {
		out[i] = float64(int16(binary.LittleEndian.Uint16(raw[2*i:]))) / 32768
	}
	return out, nil
}
