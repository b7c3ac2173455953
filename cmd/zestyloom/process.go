package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"

	"github.com/spf13/cobra"

	"zestyloom/core/chain"
	"zestyloom/core/fault"
)

// processed is a file that went through a chain.
type processed struct {
	Path     string `json:"path"`
	Channels int    `json:"channels"`
	Frames   int64  `json:"frames"`
	Latency  int    `json:"latency"` // samples, met
}

func processCommand() *cobra.Command {
	var file, out, pairs string
	var stream int
	c := &cobra.Command{
		Use: "process FILE…", Short: "Have files go through a chain of processors (docs/chains.md), every sample in its place", Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, paths []string) error {
			text, err := os.ReadFile(file)
			if err != nil {
				return at(file, err)
			}
			steps, err := chain.Read(text)
			if err != nil {
				return at(file, err)
			}
			if len(paths) > 1 && !isFolder(out) {
				return at(out, fault.New(fault.BadInput, "Several files go to a folder, which has to be there"))
			}
			var done []processed
			var failed []error
			for _, path := range paths {
				to := out
				if isFolder(out) {
					to = filepath.Join(out, filepath.Base(path))
				}
				p, clipped, err := processFile(c.Context(), path, stream-1, steps, pairs, to)
				if err != nil {
					failed = append(failed, err)
					continue
				}
				if clipped > 0 {
					note(c, "%s: %d samples would have gone over full scale, and were limited", path, clipped)
				}
				done = append(done, p)
			}
			if len(done) > 0 {
				failed = append(failed, output(c, done, func() {
					for _, p := range done {
						fmt.Fprintf(c.OutOrStdout(), "%s  %d channels, %d frames\n", p.Path, p.Channels, p.Frames)
					}
				}))
			}
			return errors.Join(failed...)
		},
	}
	c.Flags().StringVar(&file, "chain", "", "chain to go through, a YAML file")
	c.Flags().StringVar(&out, "out", "", "file to write; a folder that is there for several")
	c.Flags().StringVar(&pairs, "pairs", "", "channels that are two sides of one sound, such as 1-2,3-4; else each is by itself")
	streamFlag(c, &stream)
	_ = errors.Join(c.MarkFlagRequired("chain"), c.MarkFlagRequired("out")) // they are there
	return c
}

// processFile has a file go through a chain.
func processFile(ctx context.Context, path string, stream int, steps []chain.Step, pairText, to string) (p processed, clipped int64, err error) {
	pairs, err := parsePairs(pairText)
	if err != nil {
		return p, 0, err
	}
	var sets [][]int
	for _, pair := range pairs {
		set := slices.Clone(pair.Channels)
		for i := range set {
			set[i]-- // people count from 1
		}
		sets = append(sets, set)
	}
	src, _, closer, err := openSound(ctx, path, stream)
	if err != nil {
		return p, 0, err
	}
	defer closer.Close()
	row, err := chain.Make(steps, chain.Asked{Rate: float64(src.SampleRate), Channels: 1})
	if err != nil {
		return p, 0, at(path, err)
	}
	err = aside(to, func(w *os.File) (err error) {
		clipped, err = chain.Apply(ctx, src, steps, sets, w, nil)
		return err
	})
	return processed{to, src.Channels, src.Frames, row.Latency()}, clipped, err
}
