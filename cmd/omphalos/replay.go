package main

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"github.com/spf13/cobra"

	"omphalos/core/insight"
	"omphalos/core/quiz"
	"omphalos/core/score"
	"omphalos/core/walk"
)

func replayCommand() *cobra.Command {
	var asJSON bool
	var against string
	c := &cobra.Command{
		Use:   "replay DRAFT.json ANSWERS.csv --against LIVE.json",
		Short: "Show whose outcome would change in a draft",
		Long: `Show which respondents in a table would get a different outcome in a draft.

The table has the same columns as for score. Rows that don’t fit one of the two documents, such as a deleted answer,
are listed and left out. Row numbers start at 1, after the header.`,
		Args: cobra.ExactArgs(2),
		RunE: func(_ *cobra.Command, args []string) error {
			return runReplay(os.Stdout, args[0], against, args[1], asJSON)
		},
	}
	c.Flags().StringVar(&against, "against", "", "the document that the respondents answered")
	c.Flags().BoolVar(&asJSON, "json", false, "write JSON")
	if err := c.MarkFlagRequired("against"); err != nil {
		panic(err) // the flag is there
	}
	return c
}

// replayer reads a table for one document.
func replayer(quizPath string, table []byte, today string) (*quiz.Document, *score.Reader, error) {
	d, err := readQuiz(quizPath, 2)
	if err != nil {
		return nil, nil, err
	}
	c, err := walk.New(d)
	if err != nil {
		return nil, nil, unusable("can’t use %s:\n%v", quizPath, err)
	}
	r, err := score.NewReader(c, bytes.NewReader(table), today)
	return d, r, err
}

func runReplay(out io.Writer, draftPath, livePath, tablePath string, asJSON bool) error {
	in, err := openTable(tablePath)
	if err != nil {
		return unusable("%v", err)
	}
	defer in.Close()
	table, err := io.ReadAll(in)
	if err != nil {
		return unusable("%v", err)
	}
	today := time.Now().Format(time.DateOnly)
	live, was, err := replayer(livePath, table, today)
	if err != nil {
		return failedTable(tablePath, err)
	}
	draft, now, err := replayer(draftPath, table, today)
	if err != nil {
		return failedTable(tablePath, err)
	}
	var replay insight.Replay
	for {
		a, err := was.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return failedTable(tablePath, err)
		}
		b, err := now.Next()
		if err != nil {
			return failedTable(tablePath, err)
		}
		if a.Result == nil || b.Result == nil {
			replay.Unusable(a.Number)
			continue
		}
		replay.Add(a.Number, a.Result.Outcome, b.Result.Outcome)
	}
	result := replay.Replayed()
	if asJSON {
		return writeJSON(out, result)
	}
	fmt.Fprintf(out, "%d of %d respondents would get a different outcome\n", result.Moved, result.Rows)
	for _, m := range result.Moves {
		fmt.Fprintf(out, "  %s → %s  %d  rows %v\n", live.OutcomeName(m.From), draft.OutcomeName(m.To), m.Count, m.Rows)
	}
	if len(result.Unusable) > 0 {
		fmt.Fprintf(out, "  skipped rows, which don’t fit one of the documents: %v\n", result.Unusable)
	}
	return nil
}

// failedTable says what is wrong with a table; what has been said already passes.
func failedTable(path string, err error) error {
	var code exitCode
	if errors.As(err, &code) {
		return err
	}
	return unusable("%s: %v", path, err)
}
