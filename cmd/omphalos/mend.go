package main

import (
	"context"
	"fmt"
	"io"
	"os"

	"github.com/spf13/cobra"

	"omphalos/app/store"
	"omphalos/core/check"
	"omphalos/core/mend"
	"omphalos/core/quiz"
	"omphalos/core/reach"
)

func mendCommand() *cobra.Command {
	var asJSON bool
	var tables string
	cmd := &cobra.Command{
		Use:   "mend QUIZ.json",
		Short: "Find the smallest changes with which all checks of a quiz hold",
		Long: "Find every change of one number, a point, a vote or a cut point, with which all checks hold, and how many\n" +
			"respondents each would move. Where no one number is enough, two are tried.\n" +
			"Exit 0: something can be done, or all checks hold; 1: nothing found; 2: the file cannot be used.",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return runMend(cmd.Context(), cmd.OutOrStdout(), args[0], tables, asJSON)
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "write JSON")
	cmd.Flags().StringVar(&tables, "tables", "", "folder of the tables beside the quiz, NAME.csv each")
	return cmd
}

func runMend(ctx context.Context, out io.Writer, path, dir string, asJSON bool) error {
	data, err := os.ReadFile(path)
	if err != nil {
		return unusable("%v", err)
	}
	d, err := check.Read(data)
	if err != nil {
		return unusable("%s cannot be used:\n%v", path, err)
	}
	tables, err := readTables(dir)
	if err != nil {
		return unusable("%v", err)
	}
	found, err := mend.Find(ctx, d, store.Beside(tables, d.Language), reach.Options{})
	if err != nil {
		return unusable("%v", err)
	}
	if asJSON {
		err = writeJSON(out, found)
	} else {
		err = writeRepairs(out, d, found)
	}
	if err != nil {
		return err
	}
	if len(found.Failing) > 0 && len(found.Repairs) == 0 {
		return exitCode(1)
	}
	return nil
}

// writeRepairs writes what was found in words.
func writeRepairs(out io.Writer, d *quiz.Document, found *mend.Found) error {
	w := &words{out: out}
	if len(found.Failing) == 0 {
		w.say("All %d checks hold.\n", len(d.Checks))
		return w.err
	}
	for _, id := range found.Failing {
		for i := range d.Checks {
			if d.Checks[i].ID == id {
				w.say("Check “%s” does not hold.\n", d.Checks[i].Title())
			}
		}
	}
	if len(found.Repairs) == 0 {
		w.say("No change of one or two numbers makes all checks hold.\n")
	}
	for _, r := range found.Repairs {
		for i, c := range r.Change {
			if i > 0 {
				w.say(", and ")
			}
			w.say("%s from %s to %s", d.Named(c.At), c.From, c.To)
		}
		w.say(": %s of all respondents end elsewhere.\n", fmt.Sprintf("%.1f%%", 100*r.Moved))
	}
	return w.err
}

// words writes until writing fails.
type words struct {
	out io.Writer
	err error
}

func (w *words) say(format string, args ...any) {
	if w.err == nil {
		_, w.err = fmt.Fprintf(w.out, format, args...)
	}
}
