package main

import (
	"fmt"

	"github.com/spf13/cobra"

	"omphalos/app/store"
)

func doctorCommand() *cobra.Command {
	var at located
	c := &cobra.Command{
		Use:   "doctor",
		Short: "Say whether a data folder is sound",
		Long: `Say whether a data folder is sound: the pages of its database, its references, the tallies against the responses,
and whether every draft and version can be read. Nothing is changed, and a server may run on the folder meanwhile. Of
a database on a server the pages are that server's to look after.

It exits with 0 when the folder is sound and 1 when it is not.`,
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
