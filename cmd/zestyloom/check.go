package main

import (
	"context"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"zestyloom/core/contract"
	"zestyloom/core/desk"
	"zestyloom/core/fault"
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
				fmt.Fprintf(c.OutOrStdout(), "%s: %d files, %d things compared\n", map[bool]string{true: "accepted", false: "refused"}[receipt.Pass], len(receipt.Files), len(receipt.Findings))
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
	return desk.Check(ctx, d.Files, spec, packaging, func(share float64) { note(c, "checking, %.0f %%", 100*share) })
}
