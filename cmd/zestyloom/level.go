package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"zestyloom/core/contract"
	"zestyloom/core/correct"
	"zestyloom/core/fault"
	"zestyloom/core/gather"
	"zestyloom/core/layout"
	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/core/wave"
)

// leveled is what became of a programme: of a file, or of several that are one.
type leveled struct {
	Before         gauged   `json:"before"`
	After          gauged   `json:"after"`
	GainDB         float64  `json:"gainDB"`
	LimitedSamples int64    `json:"limitedSamples"`
	LimitedMostDB  float64  `json:"limitedMostDB"`
	ClippedSamples int64    `json:"clippedSamples"` // that would have gone over full scale, where no ceiling is asked
	RideMostDB     float64  `json:"rideMostDB"`
	Missed         []string `json:"missed"`
	Files          []string `json:"files"`
}

func levelCommand() *cobra.Command {
	var spec, profile, out, name, order string
	var each bool
	var stream int
	c := &cobra.Command{
		Use: "level FILE…", Short: "Bring a file, or several monos that are one programme, to the loudness and true peak that a spec asks for",
		Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, paths []string) error {
			if (spec == "") == (profile == "") {
				return fault.New(fault.BadInput, "Say what to bring it to: --spec, or --profile")
			}
			sets := [][]string{paths}
			if each {
				if sets = nil; !isFolder(out) {
					return at(out, fault.New(fault.BadInput, "Several programmes go to a folder, which has to be there"))
				}
				for _, path := range paths {
					sets = append(sets, []string{path})
				}
			}
			var done []leveled
			var failed []error
			for _, set := range sets {
				r, err := level(c.Context(), set, stream-1, func(l layout.Layout) (reel.Target, error) {
					return targetOf(spec, profile, l)
				}, name, order, out)
				if err != nil {
					failed = append(failed, err)
					continue
				}
				if r.ClippedSamples > 0 {
					note(c, "%s: %d samples would have gone over full scale, and were limited; the spec asks for no ceiling", strings.Join(set, ", "),
						r.ClippedSamples)
				}
				for _, m := range r.Missed {
					note(c, "%s: %s", strings.Join(set, ", "), m)
				}
				done = append(done, r)
			}
			var result any = done
			if !each && len(done) == 1 {
				result = done[0]
			}
			if len(done) > 0 {
				failed = append(failed, output(c, result, func() { tellLeveled(c, done) }))
			}
			if err := errors.Join(failed...); err != nil {
				return err
			}
			if slices.ContainsFunc(done, func(r leveled) bool { return len(r.Missed) > 0 }) {
				return errWanting
			}
			return nil
		},
	}
	c.Flags().StringVar(&spec, "spec", "", "spec that ships, by its ID, or a file")
	c.Flags().StringVar(&profile, "profile", "", "a profile instead: "+strings.Join(profileIDs(), ", "))
	c.Flags().StringVar(&out, "out", "", "file to write; a folder that is there for several")
	c.Flags().BoolVar(&each, "each", false, "each file is a programme of its own")
	c.Flags().StringVar(&name, "layout", "", "layout of the programme, where it does not say")
	c.Flags().StringVar(&order, "order", "", "its channel order: smpte, film, or labels such as L,R,Ls,Rs,C,LFE")
	streamFlag(c, &stream)
	_ = c.MarkFlagRequired("out")
	return c
}

func profileIDs() (ids []string) {
	for _, p := range contract.Profiles() {
		ids = append(ids, p.ID)
	}
	return ids
}

func tellLeveled(c *cobra.Command, done []leveled) {
	for _, r := range done {
		fmt.Fprintf(c.OutOrStdout(), "%s\n  %s → %s LUFS, %s → %s dBTP, gain %+.2f dB, limited %d samples by %.1f dB at most\n",
			strings.Join(r.Files, ", "),
			decimal(r.Before.IntegratedLUFS), decimal(r.After.IntegratedLUFS), decimal(r.Before.TruePeakMaxDBTP), decimal(r.After.TruePeakMaxDBTP),
			r.GainDB, r.LimitedSamples, -r.LimitedMostDB)
	}
}

func targetOf(spec, profile string, l layout.Layout) (reel.Target, error) {
	if profile != "" {
		p, err := contract.ProfileOf(profile)
		return p.Limits.Target(p.Source), err
	}
	s, err := specNamed(spec)
	if err != nil {
		return reel.Target{}, err
	}
	return s.TargetFor(l)
}

// level brings files, which are one programme, to a target; out is a file for one and a folder for several.
func level(ctx context.Context, paths []string, stream int, to func(layout.Layout) (reel.Target, error),
	name, order, out string) (leveled, error) {
	parts, whole, l, by, closer, err := together(ctx, paths, stream, name, order)
	if err != nil {
		return leveled{}, err
	}
	defer closer.Close()
	where := paths[0]
	target, err := to(l)
	if err != nil {
		return leveled{}, at(where, err)
	}
	r, err := correct.File(ctx, correct.Source{File: whole, Layout: l}, target)
	if err != nil {
		return leveled{}, at(where, err)
	}
	if len(parts) > 1 && !isFolder(out) {
		return leveled{}, at(out, fault.New(fault.BadInput, "Several files go to a folder, which has to be there"))
	}
	done := leveled{gauged{r.Before.Measurement, l.Name, l.Labels, by}, gauged{r.After.Measurement, l.Name, l.Labels, by}, r.GainDB,
		r.Works.LimitedSamples,
		r.Works.MostDB, 0, r.Works.RideMostDB, r.Missed, nil}
	first := 0
	for i, f := range parts {
		to := out
		if isFolder(out) {
			to = filepath.Join(out, filepath.Base(paths[i]))
		}
		after := r.After
		if len(parts) > 1 {
			after = nil
		}
		if err := aside(to, func(w *os.File) error {
			clipped, err := correct.Write(ctx, f, r.Curves, after, first, w)
			done.ClippedSamples += clipped
			return err
		}); err != nil {
			return leveled{}, err
		}
		first += f.Channels
		done.Files = append(done.Files, to)
	}
	return done, nil
}

func isFolder(path string) bool {
	info, err := os.Stat(path)
	return err == nil && info.IsDir()
}

// aside writes a file under another name until it is whole: what stands there, which may be the source, stays till then.
func aside(to string, write func(*os.File) error) error {
	f, err := os.CreateTemp(filepath.Dir(to), ".part-*")
	if err != nil {
		return at(to, err)
	}
	defer os.Remove(f.Name())
	defer f.Close()
	if err := write(f); err != nil {
		return at(to, err)
	}
	if err := errors.Join(f.Chmod(0o644), f.Close(), os.Rename(f.Name(), to)); err != nil {
		return at(to, err)
	}
	return nil
}

type closers []io.Closer

func (c closers) Close() (err error) {
	for _, one := range c {
		err = errors.Join(err, one.Close())
	}
	return err
}

// together opens files as one programme. Where there are several, their names say which channel each is, unless that is asked for.
func together(ctx context.Context, paths []string, stream int, name, order string) (parts []*wave.File, whole *wave.File, l layout.Layout,
	by string,
	closer io.Closer, err error) {
	if len(paths) == 1 {
		f, l, by, closer, err := laidOut(ctx, paths[0], stream, name, order)
		return []*wave.File{f}, f, l, by, closer, err
	}
	var open closers
	var arrivals []gather.Arrival
	defer func() {
		if err != nil {
			err = errors.Join(err, open.Close())
		}
	}()
	var tracks []take.Track
	for _, path := range paths {
		f, d, c, err := openSound(ctx, path, stream)
		if err != nil {
			return nil, nil, l, "", nil, err
		}
		open = append(open, c)
		parts, tracks = append(parts, f), append(tracks, d.Tracks...)
		arrivals = append(arrivals, gather.Arrival{ID: path, Path: path, Description: d})
	}
	if whole, err = wave.Beside(parts); err != nil {
		return nil, nil, l, "", nil, err
	}
	if name != "" || order != "" {
		if name == "" {
			name = string(layout.ForWidth(whole.Channels).Name)
		}
		l, err = layout.New(layout.Name(name), order, whole.Channels)
		return parts, whole, l, "as asked for", open, err
	}
	l, by = take.LayoutOf(whole, tracks)
	if labels := gather.Labels(arrivals); len(labels) == whole.Channels {
		if found, known := layout.ForLabels(labels); known {
			return parts, whole, layout.Layout{Name: found.Name, Labels: labels}, "by the names of the files", open, nil
		}
	}
	return parts, whole, l, by, open, nil
}
