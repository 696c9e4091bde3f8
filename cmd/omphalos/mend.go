package main

import (
	"context"
	"fmt"
	"io"
	"os"

	"github.com/spf13/cobra"

	"omphalos/app/store/documents"
	"omphalos/core/check"
	"omphalos/core/mend"
	"omphalos/core/quiz"
	"omphalos/core/reach"
)

func mendCommand() *cobra.Command {
	var asJSON bool
	var tables string
	cmd := &cobra.Command{
		Use:     "fix QUIZ.json",
		Aliases: []string{"mend"},
		Short:   "Find the smallest changes that make all checks of a quiz pass",
		Long: "Find every change to one number (points, votes or a cut point) that makes all checks pass, and how many\n" +
			"respondents would get a different outcome. If one number isn’t enough, tries two.\n" +
			"Exit codes: 0, a change was found or all checks pass; 1, nothing found; 2, the file can’t be used.",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return runMend(cmd.Context(), cmd.OutOrStdout(), args[0], tables, asJSON)
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "write JSON")
	cmd.Flags().StringVar(&tables, "tables", "", "folder with the quiz’s lookup tables, each as NAME.csv")
	return cmd
}

func runMend(ctx context.Context, out io.Writer, path, dir string, asJSON bool) error {
	data, err := os.ReadFile(path)
	if err != nil {
		return unusable("%v", err)
	}
	d, err := check.Read(data)
	if err != nil {
		return unusable("can’t use %s:\n%v", path, err)
	}
	tables, err := readTables(dir)
	if err != nil {
		return unusable("%v", err)
	}
	found, err := mend.Find(ctx, d, documents.Beside(tables, d.Language), reach.Options{})
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
		w.say("All %d checks pass.\n", len(d.Checks))
		return w.err
	}
	for _, id := range found.Failing {
		for i := range d.Checks {
			if d.Checks[i].ID == id {
				w.say("Check “%s” fails.\n", d.Checks[i].Title())
			}
		}
	}
	if len(found.Repairs) == 0 {
		w.say("No change to one or two numbers makes all checks pass.\n")
	}
	for _, r := range found.Repairs {
		for i, c := range r.Change {
			if i > 0 {
				w.say(", and ")
			}
			w.say("%s from %s to %s", d.Named(c.At), c.From, c.To)
		}
		w.say(": %s of respondents get a different outcome.\n", fmt.Sprintf("%.1f%%", 100*r.Moved))
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
