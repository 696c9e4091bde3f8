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
		Short: "Copy the database to a file, while the server runs",
		Long: `Copy the database to a file, while the server runs.

The copy is of one moment, and it is checked before it gets its name. A file that is there already is not written over.`,
		Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			err := store.Backup(data, args[0])
			if err == nil {
				fmt.Printf("copied %s to %s, and checked it\n", data, args[0])
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
		Short: "Put a backup into a data folder",
		Long: `Put a backup into a data folder.

The backup is checked first. End the server of the folder before; a database that is there is replaced only with
--replace, and kept beside.`,
		Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			kept, err := store.Restore(data, args[0], replace)
			if err != nil {
				return err
			}
			fmt.Printf("restored %s into %s\n", args[0], data)
			if kept != "" {
				fmt.Printf("the database that was there is kept as %s\n", kept)
			}
			return nil
		},
	}
	c.Flags().StringVar(&data, "data", "data", "folder of the database")
	c.Flags().BoolVar(&replace, "replace", false, "replace the database that is there; it is kept beside")
	return c
}
