package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"omphalos/core/insight"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/score"
	"omphalos/core/walk"
)

func learnCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{
		Use:   "learn QUIZ.json RESPONSES.csv",
		Short: "Analyse responses: outcomes against expectations, questions, scales and won deals",
		Long: `Analyse responses: outcomes against expectations, questions, scales and won deals.

The table has the same columns as for score, plus an optional "won" (1, 0 or blank) for deals. Rows with an
invalid cell are skipped and listed on standard error.`,
		Args: cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			return runLearn(cmd.Context(), os.Stdout, args[0], args[1], asJSON)
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "write JSON")
	return c
}

// openTable opens a table of answers; "-" is standard input.
func openTable(path string) (io.ReadCloser, error) {
	if path == "-" {
		return io.NopCloser(os.Stdin), nil
	}
	return os.Open(path)
}

func runLearn(ctx context.Context, out io.Writer, quizPath, tablePath string, asJSON bool) error {
	d, err := readQuiz(quizPath, 2)
	if err != nil {
		return err
	}
	c, err := walk.New(d)
	if err != nil {
		return unusable("can’t use %s:\n%v", quizPath, err)
	}
	l := insight.NewLearner(c)
	if err := readResponses(c, tablePath, l); err != nil {
		return unusable("%s: %v", tablePath, err)
	}
	r, err := reach.Check(ctx, d, reach.Options{Only: true})
	if err != nil {
		return err
	}
	expected := map[string]float64{}
	for _, o := range r.Outcomes {
		expected[o.ID] = o.Share
	}
	learned := l.Learned(expected)
	if asJSON {
		return writeJSON(out, learned)
	}
	return writeLearned(out, d, learned)
}

// readResponses reads a table into a learner, and names what it cannot take on standard error.
func readResponses(c *walk.Compiled, path string, l *insight.Learner) error {
	in, err := openTable(path)
	if err != nil {
		return err
	}
	defer in.Close()
	r, err := score.NewReader(c, in, time.Now().Format(time.DateOnly))
	if err != nil {
		return err
	}
	wonAt := slices.IndexFunc(r.Head, func(name string) bool { return strings.TrimSpace(name) == "won" })
	for {
		row, err := r.Next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		for _, b := range row.Bad {
			fmt.Fprintf(os.Stderr, "%s: %s\n", path, b)
		}
		if row.Result == nil {
			continue
		}
		var won *bool
		if wonAt >= 0 {
			var ok bool
			if won, ok = insight.ReadWon(row.Cells[wonAt]); !ok {
				fmt.Fprintf(
					os.Stderr,
					"%s: row %d, column won: %q isn’t 1, 0 or blank\n",
					path,
					row.Number+1,
					row.Cells[wonAt],
				)
			}
		}
		l.Add(row.Input, row.Result, won)
	}
}

// writeLearned writes what was learned for reading.
func writeLearned(out io.Writer, d *quiz.Document, l *insight.Learned) error {
	share := func(f float64) string { return fmt.Sprintf("%.1f%%", 100*f) }
	figure := func(f *float64) string {
		if f == nil {
			return "–"
		}
		return fmt.Sprintf("%.2f", *f)
	}
	fmt.Fprintf(out, "%s\n%d responses\n\n", d.Name, l.Responses)
	w := tabwriter.NewWriter(out, 0, 4, 2, ' ', 0)
	for _, o := range l.Outcomes {
		fmt.Fprintf(
			w,
			"  %s\t%d\t%s\t%s to %s\texpected %s\n",
			d.OutcomeName(o.ID),
			o.Count,
			share(o.Share),
			share(o.Low),
			share(o.High),
			share(o.Expected),
		)
	}
	fmt.Fprintln(w)
	for i, q := range l.Questions {
		fmt.Fprintf(w, "  %s\tasked %d\tblank %d\t%.3f bits\n", d.Questions[i].Title(), q.Asked, q.Blank, q.Information)
		for _, c := range q.Choices {
			name := c.ID
			if at := d.Questions[i].Choice(c.ID); at >= 0 {
				name = d.Questions[i].Choices[at].Title()
			}
			fmt.Fprintf(w, "    %s\t%d\n", name, c.Count)
		}
	}
	for i, s := range l.Scales {
		fmt.Fprintf(
			w,
			"\n  %s\tmean %s\tsd %s\talpha %s\tof %d complete\n",
			d.Scales[i].Title(),
			figure(s.Mean),
			figure(s.SD),
			figure(s.Alpha),
			s.Complete,
		)
		for _, it := range s.Items {
			fmt.Fprintf(w, "    %s\titem–rest %s\talpha without it %s\n", it.ID, figure(it.ItemRest), figure(it.AlphaWithout))
		}
	}
	if l.Won != nil {
		writeWon(w, d, l.Won)
	}
	return w.Flush()
}

func writeWon(w io.Writer, d *quiz.Document, won *insight.LearnedWon) {
	fmt.Fprintf(w, "\n  won %d, lost %d\n", won.Won, won.Lost)
	for _, s := range won.Scales {
		fmt.Fprintf(w, "  %s\tarea under the curve %.3f\t%.3f to %.3f\n", d.FactName("scale."+s.ID), s.AUC, s.Low, s.High)
	}
	if won.Needs > 0 {
		fmt.Fprintf(w, "  Suggested weights need at least %d won and %d lost deals.\n", won.Needs, won.Needs)
	}
	if s := won.Suggested; s != nil {
		fmt.Fprintf(
			w,
			"\n  suggested weights of %s: area %.3f now, %.3f on unseen deals (%d folds)\n",
			d.FactName("scale."+s.Scale),
			s.AUCNow,
			s.AUCUnseen,
			s.Folds,
		)
		for _, x := range s.Weights {
			fmt.Fprintf(w, "    %s\t%s\tnow %s\tsuggested %d\n", x.Question, x.Choice, x.Now, x.Points)
		}
	}
}
