package main

import (
	"fmt"

	"github.com/spf13/cobra"

	"omphalos/app/store"
)

func doctorCommand() *cobra.Command {
	var at dataLocation
	c := &cobra.Command{
		Use:   "doctor",
		Short: "Check a data folder for damage",
		Long: `Check a data folder for damage: database pages, references, statistics against responses,
and whether every draft and version can be read. Nothing is changed, and the server can keep running. For
a PostgreSQL database, the pages aren’t checked.

Exit codes: 0, no damage found; 1, damage found.`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			findings, err := store.Examine(at.data, at.options())
			if err != nil {
				return err
			}
			for _, f := range findings {
				fmt.Println(f)
			}
			if len(findings) > 0 {
				return exitCode(1)
			}
			fmt.Println("sound")
			return nil
		},
	}
	at.add(c.Flags())
	return c
}
