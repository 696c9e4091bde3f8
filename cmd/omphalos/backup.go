package main

import (
	"fmt"

	"github.com/spf13/cobra"

	"omphalos/app/store"
)

func backupCommand() *cobra.Command {
	var data string
	c := &cobra.Command{
		Use:   "backup FILE",
		Short: "Back up the database to a file (works while the server runs)",
		Long: `Back up the database to a file (works while the server runs).

The copy is consistent and is checked before the file gets its final name. An existing file is never overwritten.`,
		Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			err := store.Backup(data, args[0])
			if err == nil {
				fmt.Printf("Backed up %s to %s and checked the copy\n", data, args[0])
			}
			return err
		},
	}
	c.Flags().StringVar(&data, "data", "data", "folder of the database")
	return c
}

func restoreCommand() *cobra.Command {
	var data string
	var replace bool
	c := &cobra.Command{
		Use:   "restore FILE",
		Short: "Restore a backup into a data folder",
		Long: `Restore a backup into a data folder.

The backup is checked first. Stop the server before you run this. An existing database is replaced only with
--replace, and a copy of it is kept.`,
		Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			kept, err := store.Restore(data, args[0], replace)
			if err != nil {
				return err
			}
			fmt.Printf("Restored %s into %s\n", args[0], data)
			if kept != "" {
				fmt.Printf("The previous database is kept as %s\n", kept)
			}
			return nil
		},
	}
	c.Flags().StringVar(&data, "data", "data", "folder of the database")
	c.Flags().BoolVar(&replace, "replace", false, "replace an existing database (a copy is kept)")
	return c
}
