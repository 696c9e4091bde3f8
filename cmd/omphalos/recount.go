package main

import (
	"fmt"

	"github.com/spf13/cobra"
)

func recountCommand() *cobra.Command {
	var at dataLocation
	c := &cobra.Command{
		Use:   "recount",
		Short: "Recalculate statistics from the responses",
		Long: `Recalculate statistics from the responses.

All statistics come from counters that are updated with each response. You only need to recalculate them
if someone edited the database directly. Views, starts and steps can’t be recalculated and stay unchanged.`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			s, err := at.open()
			if err != nil {
				return err
			}
			defer s.Close()
			n, err := s.Responses.RecountAll()
			if err == nil {
				fmt.Printf("Recalculated the statistics of %d quizzes\n", n)
			}
			return err
		},
	}
	at.add(c.Flags())
	return c
}
