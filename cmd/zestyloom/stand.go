package main

import (
	"fmt"

	"github.com/spf13/cobra"
)

func rebuildCommand() *cobra.Command {
	var f serverFlags
	var trash bool
	c := &cobra.Command{
		Use: "rebuild", Short: "Bring takes back that lie in the folder of media and that the database does not know", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			a, err := f.open(c.Context())
			if err != nil {
				return err
			}
			defer a.Close()
			r, err := a.Jobs.Rebuild(c.Context(), trash, progress(c, "reading takes"))
			if err != nil {
				return err
			}
			for _, left := range r.Left {
				note(c, "left as it is: %s", left)
			}
			err = output(c, r, func() {
				fmt.Fprintf(c.OutOrStdout(), "%d takes brought back, %d MB of sound read; %d productions made for them\n", r.Takes, r.Bytes/1e6, r.Productions)
			})
			if err == nil && len(r.Left) > 0 {
				return errWanting
			}
			return err
		},
	}
	f.add(c)
	c.Flags().BoolVar(&trash, "trash", false, "what lies in the trash too")
	return c
}
