package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"zestyloom/core/contract"
	"zestyloom/core/desk"
	"zestyloom/core/fault"
	"zestyloom/core/folding"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/core/wave"
	"zestyloom/internal/reception"
)

func checkCommand() *cobra.Command {
	var named, packaging string
	c := &cobra.Command{
		Use: "check PATH", Short: "Hold a delivery against a spec: a folder, a ZIP or a file; without a spec, say what it is",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			receipt, err := check(c.Context(), c, args[0], named, contract.Packaging(packaging))
			if err != nil {
				return err
			}
			err = output(c, receipt, func() {
				for _, f := range receipt.Findings {
					if f.Severity == contract.OK {
						continue
					}
					fmt.Fprintf(c.OutOrStdout(), "%-8s %-18s %s %s: %s", f.Severity, f.Rule, f.File, f.Timecode, f.Message)
					if f.Measured != "" {
						fmt.Fprintf(c.OutOrStdout(), " (%s; %s)", f.Measured, f.Limit)
					}
					fmt.Fprintln(c.OutOrStdout())
				}
				for _, s := range receipt.Seen {
					fmt.Fprintf(c.OutOrStdout(), "%s: %s (%s), %s, in %s\n", s.Name, cmp.Or(s.Layout, fmt.Sprintf("%d channels", len(s.Labels))),
						strings.Join(s.Labels, " "), s.Why, strings.Join(s.Files, ", "))
				}
				if named == "" {
					return
				}
				fmt.Fprintf(c.OutOrStdout(), "%s: %d files, %d things compared\n", map[bool]string{true: "accepted", false: "refused"}[receipt.Pass],
					len(receipt.Files), len(receipt.Findings))
			})
			if err == nil && !receipt.Pass {
				return errWanting
			}
			return err
		},
	}
	c.Flags().StringVar(&named, "spec", "", "the spec: the ID of one that ships, or a file; without it, what is there is said")
	c.Flags().StringVar(&packaging, "packaging", "", "how the files are to be packed, where the spec has several ways")
	return c
}

// specNamed reads a spec from a file, or finds one that ships.
func specNamed(named string) (contract.Spec, error) {
	text, err := os.ReadFile(named)
	if err != nil {
		var there bool
		if text, there = contract.ShippedText(named); !there {
			return contract.Spec{}, fault.New(fault.NotFound, "There is no file %q, and no spec of that name ships", named)
		}
	}
	return contract.Parse(text)
}

func check(ctx context.Context, c *cobra.Command, path, named string, packaging contract.Packaging) (desk.Receipt, error) {
	var spec contract.Spec
	if named != "" {
		var err error
		if spec, err = specNamed(named); err != nil {
			return desk.Receipt{}, err
		}
	}
	d, err := reception.Open(ctx, path, "")
	if err != nil {
		return desk.Receipt{}, at(path, err)
	}
	defer d.Close()
	if named == "" {
		return desk.Look(d.Files), nil
	}
	return desk.Check(ctx, d.Files, d.Sums, spec, packaging, progress(c, "checking"))
}

func compareCommand() *cobra.Command {
	return &cobra.Command{
		Use: "compare PATH PATH", Short: "Say in which files, channels and ranges two deliveries differ, and by how much",
		Args: cobra.ExactArgs(2),
		RunE: func(c *cobra.Command, args []string) error {
			var files [2][]desk.File
			for i, path := range args {
				d, err := reception.Open(c.Context(), path, "")
				if err != nil {
					return at(path, err)
				}
				defer d.Close()
				files[i] = d.Files
			}
			found, err := desk.Compare(c.Context(), files[0], files[1], progress(c, "comparing"))
			if err != nil {
				return err
			}
			err = output(c, found, func() {
				for _, d := range found.Differences {
					fmt.Fprintf(c.OutOrStdout(), "%s", d.File)
					if d.Channel > 0 {
						fmt.Fprintf(c.OutOrStdout(), ", channel %d, %s to %s", d.Channel, d.From, d.To)
					}
					fmt.Fprintf(c.OutOrStdout(), ": %s\n", d.Message)
				}
				if found.Equal {
					fmt.Fprintln(c.OutOrStdout(), "equal")
				}
			})
			if err == nil && !found.Equal {
				return errWanting
			}
			return err
		},
	}
}

type folded struct {
	Path     string  `json:"path"`
	Channels int     `json:"channels"`
	OverDB   float64 `json:"overDB"`
}

func foldCommand() *cobra.Command {
	var to, out, name, order string
	var stream int
	f := mix.Usual()
	c := &cobra.Command{
		Use: "fold FILE", Short: "Fold a file down to fewer channels", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			r, err := foldFile(c.Context(), args[0], stream-1, name, order, layout.Name(to), f, out)
			if err != nil {
				return err
			}
			if r.OverDB > 0 {
				note(c, "It would go over full scale by %.1f dB, and was limited", r.OverDB)
			}
			return output(c, r, func() { fmt.Fprintf(c.OutOrStdout(), "%s  %d channels\n", r.Path, r.Channels) })
		},
	}
	c.Flags().StringVar(&to, "to", "", "layout: "+strings.Join(layout.Names(), ", "))
	c.Flags().StringVar(&out, "out", "", "file to write")
	c.Flags().StringVar(&name, "layout", "", "layout of the file, where it does not say")
	c.Flags().StringVar(&order, "order", "", "its channel order: smpte, film, or labels such as L,R,Ls,Rs,C,LFE")
	c.Flags().Float64Var(&f.CentreDB, "centre", f.CentreDB, "level of the centre in each side, dB")
	c.Flags().Float64Var(&f.SurroundDB, "surround", f.SurroundDB, "level of the surrounds in their sides, dB")
	c.Flags().Float64Var(&f.MonoDB, "mono", f.MonoDB, "level of each side of a pair in a mono, dB")
	c.Flags().Float64Var(&f.TrimDB, "trim", 0, "level of all of it, dB")
	streamFlag(c, &stream)
	_ = errors.Join(c.MarkFlagRequired("to"), c.MarkFlagRequired("out")) // they are there
	return c
}

// setIn opens a file and labels the channels that are to be folded to a layout: all of them, or, where the names of its channels tell
// of several sets, the one set that is wider.
func setIn(ctx context.Context, path string, stream int, name, order string, to layout.Layout) (*wave.File, []string, io.Closer, error) {
	_, d, closer, err := openSound(ctx, path, stream)
	if err != nil {
		return nil, nil, nil, err
	}
	sets := desk.Sets(d.Names())
	if name != "" || order != "" || len(sets) < 2 || closer.Close() != nil {
		closer.Close()
		f, l, _, closer, err := laidOut(ctx, path, stream, name, order)
		return f, l.Labels, closer, err
	}
	var wider []desk.Seen
	var names []string
	for _, s := range sets {
		names = append(names, fmt.Sprintf("%s (%d channels)", s.Name, len(s.Labels)))
		if len(s.Labels) > to.Width() && s.Layout != "" {
			wider = append(wider, s)
		}
	}
	if len(wider) != 1 {
		return nil, nil, nil, at(path, fault.New(fault.BadInput, "The file holds several sets, %s; write the one to be folded into a "+
			"file of its own first, or say with --layout what all of them are together", strings.Join(names, ", ")))
	}
	f, _, closer, err := openSound(ctx, path, stream)
	if err != nil {
		return nil, nil, nil, err
	}
	labels := make([]string, f.Channels)
	copy(labels[wider[0].First:], wider[0].Labels)
	return f, labels, closer, nil
}

// foldFile writes a fold-down.
func foldFile(ctx context.Context, path string, stream int, name, order string, to layout.Name, f mix.Fold,
	out string) (r folded, err error) {
	target, err := layout.New(to, "", 0)
	if err != nil {
		return r, err
	}
	src, labels, closer, err := setIn(ctx, path, stream, name, order, target)
	if err != nil {
		return r, err
	}
	defer closer.Close()
	over := 0.0
	err = aside(out, func(w *os.File) (err error) {
		over, err = folding.Write(ctx, src, labels, target, f, w)
		return err
	})
	if err != nil {
		return r, err
	}
	return folded{out, target.Width(), over}, nil
}
