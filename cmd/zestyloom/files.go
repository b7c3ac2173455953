package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"zestyloom/core/align"
	"zestyloom/core/diagnose"
	"zestyloom/core/fault"
	"zestyloom/core/layout"
	"zestyloom/core/loudness"
	"zestyloom/core/ply"
	"zestyloom/core/take"
	"zestyloom/core/unravel"
	"zestyloom/core/wave"
	"zestyloom/internal/intake"
)

// openSound opens the sound of a file of any kind that can be read; of a movie that of one of its audio streams, from
// 0. The caller closes the last result. Errors name the file.
func openSound(ctx context.Context, path string, stream int) (*wave.File, take.Description, io.Closer, error) {
	if err := isFile(path); err != nil {
		return nil, take.Description{}, nil, err
	}
	if stream == anyStream {
		found, err := intake.Probe(ctx, path, path)
		if err != nil {
			return nil, take.Description{}, nil, at(path, err)
		}
		if n := len(found.Streams); n > 1 {
			return nil, take.Description{}, nil, at(path, fault.New(fault.BadInput, "The file has %d streams of sound; say which "+
				"with --stream 1 to %d", n, n))
		}
		stream = 0
	}
	w, d, closer, err := intake.Open(ctx, path, path, stream)
	if err != nil {
		return nil, d, nil, at(path, err)
	}
	return w, d, closer, nil
}

// anyStream is the one that a file has; where it has several, somebody has to say which.
const anyStream = -1

// streamFlag adds the flag by which that is said.
func streamFlag(c *cobra.Command, stream *int) {
	c.Flags().IntVar(stream, "stream", 0, "stream of sound of a movie, from 1; asked for where it has several")
}

func isFile(path string) error {
	info, err := os.Stat(path)
	if err != nil {
		return openError(path, err)
	}
	if info.IsDir() {
		return at(path, fault.New(fault.BadInput, "This is a folder; name the files in it"))
	}
	f, err := os.Open(path)
	if err != nil {
		return openError(path, err)
	}
	return f.Close()
}

func openError(path string, err error) error {
	switch {
	case errors.Is(err, os.ErrNotExist):
		return &fault.Error{Kind: fault.NotFound, Message: "There is no such file", Place: path, Offset: -1}
	case errors.Is(err, os.ErrPermission):
		return &fault.Error{Kind: fault.BadInput, Message: "You are not allowed to read this file", Place: path, Offset: -1}
	}
	return at(path, err)
}

// at names the file that an error is about.
func at(path string, err error) error {
	var e *fault.Error
	if errors.As(err, &e) && e.Place == "" {
		placed := *e
		placed.Place = path
		return &placed
	}
	if e != nil {
		return err
	}
	return fmt.Errorf("%s: %w", path, err)
}

type probed struct {
	Path   string `json:"path"`
	Stream int    `json:"stream,omitempty"` // of a movie's audio streams, from 0
	take.Description
}

func probeCommand() *cobra.Command {
	return &cobra.Command{
		Use: "probe FILE…", Short: "Read what a file is and what is on it", Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, paths []string) error {
			results := []probed{}
			var failed []error
			for _, path := range paths {
				err := isFile(path)
				var contents intake.Contents
				if err == nil {
					if contents, err = intake.Probe(c.Context(), path, path); err != nil {
						err = at(path, err)
					}
				}
				if err != nil {
					failed = append(failed, err)
					continue
				}
				for _, s := range contents.Streams {
					results = append(results, probed{path, s.Index, s.Description})
				}
				if len(contents.Streams) == 0 {
					results = append(results, probed{path, 0, contents.Movie.Describe(path)})
				}
			}
			err := output(c, results, func() {
				for _, r := range results {
					printProbe(c.OutOrStdout(), r)
				}
			})
			return errors.Join(append(failed, err)...)
		},
	}
}

func printProbe(w io.Writer, r probed) {
	fmt.Fprintf(w, "%s\n  %s, %d channels, %d bit %s, %d Hz, %d frames\n",
		r.Path, r.Container, r.Channels, r.BitDepth, r.Encoding, r.SampleRate, r.Frames)
	fmt.Fprintf(w, "  scene %q take %q roll %q circled %t start %s at %s\n",
		r.Scene, r.Take, r.Roll, r.Circled, deref(r.StartTimecode, "unknown"), deref(r.FrameRate, "unknown frame rate"))
	for _, t := range r.Tracks {
		fmt.Fprintf(w, "  %3d  %-7s %s\n", t.Index, t.Use, t.Name)
	}
	for _, x := range r.Warnings {
		fmt.Fprintf(w, "  ! %s (byte %d)\n", x.Message, x.Offset)
	}
}

// unravelled is a file that unravel or ply wrote.
type unravelled struct {
	Path     string   `json:"path"`
	Channels int      `json:"channels"`
	Tracks   []string `json:"tracks"`
}

func unravelCommand() *cobra.Command {
	var out, pairs string
	var stream int
	c := &cobra.Command{
		Use: "unravel FILE", Short: "Write one file for each channel (or set), with its name and time stamp", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			files, wanting, err := unravelFile(c.Context(), args[0], stream-1, out, pairs)
			if err != nil {
				return err
			}
			err = output(c, map[string]any{"files": files}, func() {
				for _, f := range files {
					fmt.Fprintf(c.OutOrStdout(), "%s  %s\n", f.Path, strings.Join(f.Tracks, ", "))
				}
			})
			for _, w := range wanting {
				note(c, "%s: %s", args[0], w)
			}
			if err == nil && len(wanting) > 0 {
				return errWanting
			}
			return err
		},
	}
	c.Flags().StringVar(&out, "out", "", "folder to write to")
	c.Flags().StringVar(&pairs, "pairs", "", "channels to keep together, such as 1-2,3-4")
	streamFlag(c, &stream)
	_ = c.MarkFlagRequired("out")
	return c
}

// unravelFile writes the files of a take; wanting is what of the source could not be had whole.
func unravelFile(ctx context.Context, path string, stream int, dir, pairText string) (results []unravelled, wanting []string, err error) {
	pairs, err := parsePairs(pairText)
	if err != nil {
		return nil, nil, err
	}
	src, d, closer, err := openSound(ctx, path, stream)
	if err != nil {
		return nil, nil, err
	}
	defer closer.Close()
	for _, w := range d.Warnings {
		if d.Recovered || w.Code == "checksum" {
			wanting = append(wanting, w.Message)
		}
	}
	parts, err := take.Parts(d, pairs)
	if err != nil {
		return nil, nil, err
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, nil, at(dir, err)
	}
	names := unravel.FileNames(path, parts)
	var writers []io.Writer
	var files []*os.File
	// Nothing half-written is left behind, and nothing that stood there before is touched until all is done.
	defer func() {
		for _, f := range files {
			f.Close()
			os.Remove(f.Name())
		}
	}()
	for range parts {
		f, err := os.CreateTemp(dir, ".unravel-*")
		if err != nil {
			return nil, nil, at(dir, err)
		}
		files = append(files, f)
		writers = append(writers, f)
	}
	if err := unravel.Write(ctx, src, d, parts, writers, nil); err != nil {
		return nil, nil, at(path, err)
	}
	for i, f := range files {
		target := filepath.Join(dir, names[i])
		if err := errors.Join(f.Chmod(0o644), f.Close(), os.Rename(f.Name(), target)); err != nil {
			return nil, nil, at(target, err)
		}
		tracks := unravel.Names(parts[i], d)
		results = append(results, unravelled{target, len(tracks), tracks})
	}
	return results, wanting, nil
}

func plyCommand() *cobra.Command {
	var out, lengths, stamps string
	c := &cobra.Command{
		Use: "ply FILE…", Short: "Twist files that were recorded together into one multichannel file", Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			tracks, err := plyFiles(c.Context(), args, out, ply.Lengths(lengths), ply.Stamps(stamps))
			if err != nil {
				return err
			}
			return output(c, unravelled{out, len(tracks), tracks}, func() {
				fmt.Fprintf(c.OutOrStdout(), "%s  %s\n", out, strings.Join(tracks, ", "))
			})
		},
	}
	c.Flags().StringVar(&out, "out", "", "file to write")
	c.Flags().StringVar(&lengths, "lengths", string(ply.RefuseLengths), "lengths that differ: refuse, pad or cut")
	c.Flags().StringVar(&stamps, "stamps", string(ply.RefuseStamps), "time stamps that differ: refuse, align or first")
	_ = c.MarkFlagRequired("out")
	return c
}

// plyFiles gives the names of the channels it wrote.
func plyFiles(ctx context.Context, paths []string, out string, lengths ply.Lengths, stamps ply.Stamps) ([]string, error) {
	var strands []ply.Strand
	for _, path := range paths {
		f, d, closer, err := openSound(ctx, path, anyStream)
		if err != nil {
			return nil, err
		}
		defer closer.Close()
		strands = append(strands, ply.Strand{File: f, Description: d, Name: filepath.Base(path)})
	}
	plied, err := ply.Plan(strands, lengths, stamps)
	if err != nil {
		return nil, err
	}
	if err := aside(out, func(w *os.File) error { return plied.Write(ctx, w, nil) }); err != nil {
		return nil, err
	}
	return plied.Tracks, nil
}

type synced struct {
	Path string `json:"path"`
	align.Match
}

func syncCommand() *cobra.Command {
	return &cobra.Command{
		Use: "sync REFERENCE FILE…", Short: "Find where each file lies against a reference, and how its clock drifts",
		Args: cobra.MinimumNArgs(2),
		RunE: func(c *cobra.Command, args []string) error {
			reference, _, closer, err := openSound(c.Context(), args[0], anyStream)
			if err != nil {
				return err
			}
			defer closer.Close()
			results := []synced{}
			var failed []error
			for _, path := range args[1:] {
				m, err := match(c.Context(), reference, path)
				if err != nil {
					failed = append(failed, err)
					continue
				}
				results = append(results, synced{path, m})
			}
			err = output(c, results, func() {
				for _, r := range results {
					if !r.Matched {
						fmt.Fprintf(c.OutOrStdout(), "%s  does not match\n", r.Path)
						continue
					}
					fmt.Fprintf(c.OutOrStdout(), "%s  starts %+d samples (%+.4f s) from the reference, drift %+.2f ppm, confidence %.2f, runner-up %.2f\n",
						r.Path, r.OffsetSamples, r.OffsetSeconds, r.DriftPPM, r.Confidence, r.RunnerUp)
				}
			})
			return errors.Join(append(failed, err)...)
		},
	}
}

func match(ctx context.Context, reference *wave.File, path string) (align.Match, error) {
	f, _, closer, err := openSound(ctx, path, anyStream)
	if err != nil {
		return align.Match{}, err
	}
	defer closer.Close()
	m, err := align.Waveforms(ctx, reference, f)
	if err != nil {
		return m, at(path, err)
	}
	return m, nil
}

var pairForm = regexp.MustCompile(`^\s*(\d{1,4})\s*-\s*(\d{1,4})\s*$`)

func parsePairs(text string) ([]take.Set, error) {
	var pairs []take.Set
	if text == "" {
		return nil, nil
	}
	for part := range strings.SplitSeq(text, ",") {
		m := pairForm.FindStringSubmatch(part)
		if m == nil {
			return nil, fault.New(fault.BadInput, "%q is not a pair of channels; write pairs as 1-2,3-4", part)
		}
		a, _ := strconv.Atoi(m[1])
		b, _ := strconv.Atoi(m[2])
		pairs = append(pairs, take.Pair(a, b))
	}
	return pairs, nil
}

func gaugeCommand() *cobra.Command {
	var name, order string
	var stream int
	oversample := 4
	c := &cobra.Command{
		Use: "gauge FILE…", Short: "Measure loudness, range and peaks of a file, or of several that are one programme",
		Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if oversample != 4 && oversample != 8 {
				return fault.New(fault.BadInput, "True peak is looked for at 4 or 8 times the rate, not at %d", oversample)
			}
			m, err := gauge(c.Context(), args, stream-1, name, order, oversample)
			if err != nil {
				return err
			}
			note(c, "Measured as %s (%s), %s", m.Layout, strings.Join(m.Order, " "), m.LayoutFrom)
			return output(c, m, func() {
				fmt.Fprintf(c.OutOrStdout(), "integrated %s LUFS, range %s LU, true peak %s dBTP, PPM %s\n",
					decimal(m.IntegratedLUFS), decimal(m.LoudnessRangeLU), decimal(m.TruePeakMaxDBTP), decimal(m.PPMMax))
				for _, ch := range m.Channels {
					fmt.Fprintf(c.OutOrStdout(), "  %3d %-4s peak %s dBFS, true peak %s dBTP, RMS %s dBFS\n",
						ch.Index, ch.Label, decimal(ch.SamplePeakDBFS), decimal(ch.TruePeakDBTP), decimal(ch.RMSDBFS))
				}
			})
		},
	}
	c.Flags().StringVar(&name, "layout", "", "channel layout: "+strings.Join(layout.Names(), ", "))
	c.Flags().StringVar(&order, "order", "", "channel order: smpte, film, or labels such as L,R,Ls,Rs,C,LFE")
	streamFlag(c, &stream)
	c.Flags().IntVar(&oversample, "oversample", oversample, "how many times the rate true peak is looked for at: 4 or 8")
	return c
}

func decimal(x *float64) string {
	if x == nil {
		return "none"
	}
	return fmt.Sprintf("%.2f", *x)
}

// gaugeBlock is how many frames are read at a time.
const gaugeBlock = 4800

// gauged is a measurement and what the channels were taken for.
type gauged struct {
	loudness.Measurement
	Layout     layout.Name `json:"layout"`
	Order      []string    `json:"order"`
	LayoutFrom string      `json:"layoutFrom"` // what told the layout, or that it was assumed
}

// laidOut opens a file and tells its layout, by what is asked for, else by the file; by says which. The caller closes it.
func laidOut(ctx context.Context, path string, stream int, name, order string) (f *wave.File, l layout.Layout, by string,
	closer io.Closer, err error) {
	f, d, closer, err := openSound(ctx, path, stream)
	if err != nil {
		return nil, l, "", nil, err
	}
	l, by = take.LayoutOf(f, d.Tracks)
	if name != "" || order != "" {
		if name == "" {
			name = string(layout.ForWidth(f.Channels).Name)
		}
		by = "as asked for"
		l, err = layout.New(layout.Name(name), order, f.Channels)
	}
	if err == nil && l.Width() != f.Channels {
		err = at(path, fault.New(fault.BadInput, "The file has %d channels and the layout %s has %d", f.Channels, l.Name, l.Width()))
	}
	if err != nil {
		return nil, l, "", nil, errors.Join(err, closer.Close())
	}
	return f, l, by, closer, nil
}

func gauge(ctx context.Context, paths []string, stream int, name, order string, oversample int) (gauged, error) {
	_, f, l, by, closer, err := together(ctx, paths, stream, name, order)
	if err != nil {
		return gauged{}, err
	}
	defer closer.Close()
	m := loudness.NewMeterAt(f.SampleRate, l, oversample)
	err = f.EachBlock(gaugeBlock, func(_ int64, block [][]float64) error {
		m.Write(block)
		return ctx.Err()
	})
	if err != nil {
		return gauged{}, at(paths[0], err)
	}
	return gauged{m.Measurement(), l.Name, l.Labels, by}, nil
}

type diagnosed struct {
	Path     string             `json:"path"`
	Channels []diagnose.Channel `json:"channels"`
}

func diagnoseCommand() *cobra.Command {
	var stream int
	c := &cobra.Command{
		Use: "diagnose FILE…", Short: "Measure what is on each channel", Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, paths []string) error {
			results := []diagnosed{}
			var failed []error
			for _, path := range paths {
				channels, err := findings(c.Context(), path, stream-1)
				if err != nil {
					failed = append(failed, err)
					continue
				}
				results = append(results, diagnosed{path, channels})
			}
			err := output(c, results, func() {
				for _, r := range results {
					fmt.Fprintln(c.OutOrStdout(), r.Path)
					for _, ch := range r.Channels {
						fmt.Fprintf(c.OutOrStdout(), "  %3d %-20s peak %s dBFS, RMS %s dBFS\n", ch.Index, ch.Name, decimal(ch.PeakDBFS), decimal(ch.RMSDBFS))
						for _, f := range ch.Findings {
							fmt.Fprintf(c.OutOrStdout(), "      %-8s %s\n", f.Kind, f.Message)
						}
					}
				}
			})
			return errors.Join(append(failed, err)...)
		},
	}
	streamFlag(c, &stream)
	return c
}

func findings(ctx context.Context, path string, stream int) ([]diagnose.Channel, error) {
	f, d, closer, err := openSound(ctx, path, stream)
	if err != nil {
		return nil, err
	}
	defer closer.Close()
	a := diagnose.New(f.SampleRate, d.Names())
	err = f.EachBlock(gaugeBlock, func(_ int64, block [][]float64) error {
		a.Write(block)
		return ctx.Err()
	})
	if err != nil {
		return nil, at(path, err)
	}
	return a.Findings(), nil
}
