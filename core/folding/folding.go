// Package folding folds a file down to fewer channels.
//
// In: an open WAVE and what its channels are, a layout, the levels. Out: a WAVE of that layout, its time stamp and names kept, at
// the depth of the source, and by how much it would have gone over full scale. Memory does not grow with length. Begin reading at
// Write.
package folding

import (
	"context"
	"fmt"
	"io"
	"math"
	"slices"

	"zestyloom/core/dsp"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/wave"
)

// block is how many frames are folded at a time.
const block = 1 << 12

// Write folds src, whose channels are labelled, to a layout, after ITU-R BS.775; a channel without a label is of another set and
// is left aside. overDB is by how many dB the loudest sample would
// have gone over full scale; 0 where none does. Where the layout has no place for anything of the source the error is BadInput.
func Write(ctx context.Context, src *wave.File, labels []string, to layout.Layout, f mix.Fold, w io.Writer) (overDB float64, err error) {
	set := slices.DeleteFunc(slices.Clone(labels), func(l string) bool { return l == "" })
	of, _, ok := mix.Carry(layout.Read(set), layout.Read(to.Labels), f)
	m, next := mix.Zero(to.Width(), len(labels)), 0
	for c, l := range labels {
		if l == "" {
			continue
		}
		for r := range m.Rows {
			m.Set(r, c, of.At(r, next))
		}
		next++
	}
	if !ok {
		return 0, fault.New(fault.BadInput, "Nothing of %v has a place in %s", labels, to.Name)
	}
	h := wave.Header{Format: src.Format, Frames: src.Frames, Bext: src.Bext, IXML: renamed(src.IXML, to)}
	h.Format.Channels, h.Format.Mask = to.Width(), to.Mask()
	out, err := wave.NewWriter(w, h)
	if err != nil {
		return 0, err
	}
	peak, at := 0.0, int64(0)
	limited := make([]int64, to.Width())
	folded := make([][]float64, to.Width())
	err = src.EachBlock(block, func(_ int64, in [][]float64) error {
		for c := range folded {
			folded[c] = append(folded[c][:0], make([]float64, len(in[0]))...)
		}
		m.Add(folded, in)
		for c, x := range folded {
			if src.Encoding == wave.PCM && !m.Unity() {
				dsp.AddDither(x, src.BitDepth, c, at)
			}
			for i, v := range x {
				if peak = max(peak, math.Abs(v)); src.Encoding == wave.PCM {
					x[i] = math.Max(-1, math.Min(1, v))
				}
			}
		}
		at += int64(len(in[0]))
		if err := out.WriteFrames(folded, limited); err != nil {
			return err
		}
		return ctx.Err()
	})
	if err != nil {
		return 0, err
	}
	if peak > 1 {
		overDB = dsp.DB(peak)
	}
	return overDB, out.Close()
}

// renamed keeps what iXML says but for the tracks, which are others.
func renamed(x *wave.IXML, to layout.Layout) *wave.IXML {
	if x == nil {
		return nil
	}
	copied := *x
	copied.Tracks = &wave.IXMLTracks{Count: fmt.Sprint(to.Width())}
	for i, label := range to.Labels {
		n := fmt.Sprint(i + 1)
		copied.Tracks.Tracks = append(copied.Tracks.Tracks, wave.IXMLTrack{ChannelIndex: n, InterleaveIndex: n, Name: label, Function: label})
	}
	return &copied
}
