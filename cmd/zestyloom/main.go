// Command zestyloom is the application: the server, its workers, the demo, and each step of the job as a headless verb
// on files. Begin reading at root.
package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"runtime/debug"
	"syscall"

	"github.com/spf13/cobra"

	"zestyloom/core/fault"
)

// errWanting says that a verb did its work and found something wanting.
var errWanting = errors.New("found wanting")

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	context.AfterFunc(ctx, stop) // a second signal ends at once
	err := root().ExecuteContext(ctx)
	stop()
	switch {
	case err == nil:
	case errors.Is(err, errWanting):
		os.Exit(1)
	default:
		for _, one := range each(err) {
			fmt.Fprintln(os.Stderr, "zestyloom: "+fault.Sentence(one))
		}
		os.Exit(2)
	}
}

// each takes joined errors apart.
func each(err error) []error {
	if joined, ok := err.(interface{ Unwrap() []error }); ok {
		return joined.Unwrap()
	}
	return []error{err}
}

func root() *cobra.Command {
	c := &cobra.Command{
		Use:           "zestyloom",
		Short:         "From recorder files to verified stem deliveries",
		Version:       version(),
		SilenceErrors: true, SilenceUsage: true,
	}
	c.PersistentFlags().Bool("json", false, "print one JSON document on standard output")
	c.AddCommand(probeCommand(), unravelCommand(), plyCommand(), syncCommand(), gaugeCommand(), levelCommand(), diagnoseCommand(),
		printCommand(), checkCommand(), compareCommand(), foldCommand(), processCommand(), serveCommand(), workerCommand(), demoCommand(), backupCommand(),
		restoreCommand(), rebuildCommand())
	return c
}

// version is what the build says of itself.
func version() string {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return "unknown"
	}
	said := info.Main.Version
	for _, s := range info.Settings {
		if s.Key == "vcs.revision" || s.Key == "vcs.time" {
			said += " " + s.Value
		}
	}
	return said
}

// output prints a verb's result: as JSON where that was asked for, else as text.
func output(c *cobra.Command, result any, text func()) error {
	if asJSON, _ := c.Flags().GetBool("json"); !asJSON {
		text()
		return nil
	}
	e := json.NewEncoder(c.OutOrStdout())
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	return e.Encode(result)
}

// note tells the person at the shell something that is not the result.
func note(c *cobra.Command, format string, args ...any) {
	fmt.Fprintf(c.ErrOrStderr(), format+"\n", args...)
}

// progress gives what tells how far something is, each whole percent once.
func progress(c *cobra.Command, what string) func(share float64) {
	last := -1
	return func(share float64) {
		if now := int(100 * share); now > last {
			last = now
			note(c, "%s, %d %%", what, now)
		}
	}
}

// deref gives a value or, where there is none, what stands for that.
func deref[T any](p *T, none string) string {
	if p == nil {
		return none
	}
	return fmt.Sprint(*p)
}
