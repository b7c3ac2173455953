package main

import (
	"fmt"

	"github.com/spf13/cobra"

	"zestyloom/internal/backup"
)

func backupCommand() *cobra.Command {
	var f serverFlags
	var keep int
	var verify bool
	c := &cobra.Command{
		Use: "backup TO", Short: "Copy everything, as of one moment, into a folder, while people work", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			database, err := f.url()
			if err != nil {
				return err
			}
			d, err := backup.To(c.Context(), backup.Asked{Database: database, Data: f.data, To: args[0], Keep: keep, Verify: verify,
				Progress: progress(c, "copying")})
			if err != nil {
				return err
			}
			return kept(c, d, "%d productions and %d takes, %d MB, of which %d MB were new; %d files were read again and are what they were\n")
		},
	}
	c.Flags().StringVar(&f.database, "database", "", "PostgreSQL URL (without it: ZESTYLOOM_DATABASE)")
	c.Flags().StringVar(&f.data, "data", "data", "folder for media")
	c.Flags().IntVar(&keep, "keep", 0, "how many points stay; all, unless it is said")
	c.Flags().BoolVar(&verify, "verify", false, "read the copies of earlier backups again too")
	return c
}

func restoreCommand() *cobra.Command {
	var f serverFlags
	var point string
	c := &cobra.Command{
		Use: "restore FROM", Short: "Put a backup back, into an empty database and an empty folder", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			database, err := f.url()
			if err != nil {
				return err
			}
			d, err := backup.Restore(c.Context(), backup.Wanted{From: args[0], Point: point, Database: database, Data: f.data,
				Progress: progress(c, "copying")})
			if err != nil {
				return err
			}
			return kept(c, d, "%d productions and %d takes, %d MB, of which %d MB were copied; %d files are what they were\n")
		},
	}
	c.Flags().StringVar(&f.database, "database", "", "PostgreSQL URL (without it: ZESTYLOOM_DATABASE)")
	c.Flags().StringVar(&f.data, "data", "data", "folder for media")
	c.Flags().StringVar(&point, "point", "", "which point; the newest, unless it is said")
	return c
}

// kept says what was copied, and ends as found wanting where something is not as it was.
func kept(c *cobra.Command, d backup.Done, text string) error {
	for _, w := range d.Wrong {
		note(c, "%s", w)
	}
	err := output(c, d, func() {
		fmt.Fprintf(c.OutOrStdout(), text, d.Productions, d.Takes, d.Bytes/1e6, d.Copied/1e6, d.Verified)
	})
	if err == nil && len(d.Wrong) > 0 {
		return errWanting
	}
	return err
}

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
				fmt.Fprintf(c.OutOrStdout(), "%d takes brought back, %d MB of sound read; %d productions made for them\n", r.Takes, r.Bytes/1e6,
					r.Productions)
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
