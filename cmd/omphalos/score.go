package main

import (
	"bufio"
	"fmt"
	"os"
	"time"

	"github.com/spf13/cobra"

	"omphalos/core/quiz"
	"omphalos/core/score"
	"omphalos/core/walk"
)

func scoreCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "score QUIZ.json ANSWERS.csv",
		Short: "Score a table of answers, one row per respondent",
		Long: `Score a table of answers, one row per respondent.

The column names are question IDs (ID.ROW for a grid row), visitor.country, visitor.language,
visitor.device and param.NAME; other columns are copied unchanged. Cells contain choice IDs or labels; separate several
with |. The table is written to standard output with the results added as columns. Invalid cells are reported
on standard error, and the other rows are still scored. Use "-" to read from standard input.`,
		Args: cobra.ExactArgs(2),
		RunE: func(_ *cobra.Command, args []string) error { return runScore(args[0], args[1]) },
	}
}

// readQuiz reads a document from a file; its problems are printed, one a line, and end the command with code.
func readQuiz(path string, code int) (*quiz.Document, error) {
	data, err := os.ReadFile(path)
	if err != nil {
		fmt.Fprintln(os.Stderr, "omphalos:", err)
		return nil, exitCode(code)
	}
	d, err := quiz.Read(data)
	if err != nil {
		fmt.Fprintf(os.Stderr, "omphalos: can’t use %s:\n%s\n", path, err)
		return nil, exitCode(code)
	}
	return d, nil
}

func runScore(quizPath, tablePath string) error {
	d, err := readQuiz(quizPath, 1)
	if err != nil {
		return err
	}
	c, err := walk.New(d)
	if err != nil {
		return err
	}
	in := os.Stdin
	if tablePath != "-" {
		if in, err = os.Open(tablePath); err != nil {
			return err
		}
		defer in.Close()
	}
	out := bufio.NewWriter(os.Stdout)
	bad, err := score.Table(c, bufio.NewReader(in), out, time.Now().Format(time.DateOnly))
	if err := out.Flush(); err != nil {
		return err
	}
	if err != nil {
		return fmt.Errorf("%s: %w", tablePath, err)
	}
	for _, b := range bad {
		fmt.Fprintf(os.Stderr, "%s: %s\n", tablePath, b)
	}
	if len(bad) > 0 {
		return exitCode(1)
	}
	return nil
}
