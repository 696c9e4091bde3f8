package main

import (
	"fmt"

	"github.com/spf13/cobra"
)

func recountCommand() *cobra.Command {
	var at located
	c := &cobra.Command{
		Use:   "recount",
		Short: "Make the tallies of finished walks anew from the responses",
		Long: `Make the tallies of finished walks anew from the responses.

Every figure of the rooms is read from tallies that are kept with each response. They equal what a recount gives; it is
for a database that was mended by hand. Views, starts and steps stay as they were counted: no response tells of them.`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			s, err := at.open()
			if err != nil {
				return err
			}
			defer s.Close()
			n, err := s.RecountAll()
			if err == nil {
				fmt.Printf("recounted %d quizzes\n", n)
			}
			return err
		},
	}
	at.add(c.Flags())
	return c
}
