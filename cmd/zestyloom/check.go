package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"zestyloom/core/contract"
	"zestyloom/core/desk"
	"zestyloom/core/fault"
	"zestyloom/core/folding"
	"zestyloom/core/layout"
	"zestyloom/core/mix"
	"zestyloom/internal/reception"
)

func checkCommand() *cobra.Command {
	var named, packaging string
	c := &cobra.Command{
		Use: "check PATH", Short: "Hold a delivery against a spec: a folder, a ZIP or a file", Args: cobra.ExactArgs(1),
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
				fmt.Fprintf(c.OutOrStdout(), "%s: %d files, %d things compared\n", map[bool]string{true: "accepted", false: "refused"}[receipt.Pass],
					len(receipt.Files), len(receipt.Findings))
			})
			if err == nil && !receipt.Pass {
				return errWanting
			}
			return err
		},
	}
	c.Flags().StringVar(&named, "spec", "", "the spec: the ID of one that ships, or a file")
	c.Flags().StringVar(&packaging, "packaging", "", "how the files are to be packed, where the spec has several ways")
	_ = c.MarkFlagRequired("spec") // it is there
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
	spec, err := specNamed(named)
	if err != nil {
		return desk.Receipt{}, err
	}
	d, err := reception.Open(ctx, path, "")
	if err != nil {
		return desk.Receipt{}, at(path, err)
	}
	defer d.Close()
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
	f := mix.Usual()
	c := &cobra.Command{
		Use: "fold FILE", Short: "Fold a file down to fewer channels", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			r, err := foldFile(c.Context(), args[0], name, order, layout.Name(to), f, out)
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
	_ = errors.Join(c.MarkFlagRequired("to"), c.MarkFlagRequired("out")) // they are there
	return c
}

// foldFile writes a fold-down.
func foldFile(ctx context.Context, path, name, order string, to layout.Name, f mix.Fold, out string) (r folded, err error) {
	src, labels, _, closer, err := laidOut(ctx, path, name, order)
	if err != nil {
		return r, err
	}
	defer closer.Close()
	target, err := layout.New(to, "", 0)
	if err != nil {
		return r, err
	}
	over := 0.0
	err = aside(out, func(w *os.File) (err error) {
		over, err = folding.Write(ctx, src, labels.Labels, target, f, w)
		return err
	})
	if err != nil {
		return r, err
	}
	return folded{out, target.Width(), over}, nil
}
