package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"omphalos/core/quiz"
)

func checkCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{
		Use:   "check QUIZ.json",
		Short: "Say what is wrong with a quiz document",
		Args:  cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			data, err := os.ReadFile(args[0])
			if err != nil {
				fmt.Fprintln(os.Stderr, "omphalos:", err)
				return exitCode(2)
			}
			_, err = quiz.Read(data)
			var ps quiz.Problems
			if !errors.As(err, &ps) && err != nil {
				return err
			}
			if asJSON {
				out, err := json.MarshalIndent(map[string]any{"problems": ps}, "", "  ")
				if err != nil {
					return err
				}
				fmt.Println(string(out))
			} else if len(ps) > 0 {
				fmt.Println(ps)
			} else {
				fmt.Println(args[0] + ": nothing wrong")
			}
			if len(ps) > 0 {
				return exitCode(2)
			}
			return nil
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "write JSON")
	return c
}
