package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"omphalos/app/counting"
	"omphalos/app/store/documents"
	"omphalos/core/check"
	"omphalos/core/message"
	"omphalos/core/product"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/sheet"
)

func checkCommand() *cobra.Command {
	var asJSON bool
	var assume, tables string
	c := &cobra.Command{
		Use:   "check QUIZ.json",
		Short: "Calculate all outcomes of a quiz and list its problems",
		Long: `Calculate all outcomes of a quiz and list its problems.

Shares cover all possible answers, exactly. Answers are spread evenly, or as in --assume FILE:
{"answers":{"area":{"small":0.5,"large":0.5}},"visitor":{"country":{"GB":0.6,"*":0.4}}}
The quiz’s checks are run too. Addresses that come from a lookup table need
that table: --tables DIR reads DIR/NAME.csv. Without it, the fallback address is used.
Exit codes: 0, no errors; 1, errors found, including failing checks; 2, the document can’t
be used.`,
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return runCheck(cmd.Context(), os.Stdout, checkOptions{args[0], assume, tables, asJSON})
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "write JSON")
	c.Flags().StringVar(&assume, "assume", "", "JSON file with the expected shares of answers and visitors")
	c.Flags().StringVar(&tables, "tables", "", "folder with the quiz’s lookup tables, each as NAME.csv")
	return c
}

// checkOptions are the arguments of check.
type checkOptions struct {
	path, assume, tables string
	asJSON               bool
}

// unusable ends the command with exit code 2.
func unusable(format string, args ...any) error {
	fmt.Fprintf(os.Stderr, "omphalos: "+format+"\n", args...)
	return exitCode(2)
}

func runCheck(ctx context.Context, out io.Writer, o checkOptions) error {
	data, err := os.ReadFile(o.path)
	if err != nil {
		return unusable("%v", err)
	}
	d, err := check.Read(data)
	var problems quiz.Problems
	if errors.As(err, &problems) && o.asJSON {
		return errors.Join(writeJSON(out, map[string]any{"problems": problems}), exitCode(2))
	}
	if err != nil {
		return unusable("can’t use %s:\n%v", o.path, err)
	}
	options := reach.Options{Moved: true}
	if o.assume != "" {
		if options.Assume, err = readAssumption(o.assume); err != nil {
			return unusable("%s: %v", o.assume, err)
		}
	}
	tables, err := readTables(o.tables)
	if err != nil {
		return unusable("%v", err)
	}
	r, err := reach.Check(ctx, d, options)
	if err != nil {
		return unusable("%v", err)
	}
	runner, err := check.New(d, documents.Beside(tables, d.Language))
	if err != nil {
		return unusable("%v", err)
	}
	results := runner.Run()
	r.Findings = append(check.Findings(d, results), r.Findings...)
	var counters message.Counters
	shares, err := counters.Shares(ctx, d, r, options)
	if err != nil {
		return unusable("%v", err)
	}
	var products product.Counter
	found, err := products.Findings(ctx, d, r, options)
	if err != nil {
		return unusable("%v", err)
	}
	r.Findings = slices.Concat([]reach.Finding{}, r.Findings, message.Findings(d, shares), found) // never null
	if o.asJSON {
		err = writeJSON(out, counting.Proof{Report: r, Checks: results, Messages: shares})
	} else {
		err = writeReport(out, d, r, shares, isTerminal(out))
	}
	if err != nil {
		return err
	}
	if len(r.Faults()) > 0 {
		return exitCode(1)
	}
	return nil
}

// readTables reads every table of a folder; "" is none.
func readTables(dir string) ([]documents.Table, error) {
	if dir == "" {
		return nil, nil
	}
	files, err := filepath.Glob(filepath.Join(dir, "*.csv"))
	if err == nil && len(files) == 0 {
		err = fmt.Errorf("%s contains no tables; each table must be a file NAME.csv", dir)
	}
	var out []documents.Table
	for _, file := range files {
		data, err := os.ReadFile(file)
		if err != nil {
			return nil, err
		}
		rows, faults := sheet.NewCSV(data, sheet.Separator(data)).All(0)
		if len(faults) > 0 {
			return nil, fmt.Errorf("%s, line %d: %s", file, faults[0].Line, faults[0].Message)
		}
		if len(rows) == 0 {
			return nil, fmt.Errorf("%s is empty; put the column names in the first row", file)
		}
		name := strings.TrimSuffix(filepath.Base(file), ".csv")
		out = append(out, documents.Table{Name: name, Columns: rows[0], Rows: rows[1:]})
	}
	return out, err
}

func readAssumption(path string) (*reach.Assumption, error) {
	data, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.DisallowUnknownFields()
	var a reach.Assumption
	if err := dec.Decode(&a); err != nil {
		return nil, err
	}
	return &a, nil
}

func writeJSON(out io.Writer, v any) error {
	enc := json.NewEncoder(out)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	return enc.Encode(v)
}

func isTerminal(out io.Writer) bool {
	f, ok := out.(*os.File)
	if !ok || os.Getenv("NO_COLOR") != "" {
		return false
	}
	info, err := f.Stat()
	return err == nil && info.Mode()&os.ModeCharDevice != 0
}

// writeReport writes the report for reading, coloured on a terminal.
func writeReport(out io.Writer, d *quiz.Document, r *reach.Report, sent []message.Share, colour bool) error {
	paint := func(code, s string) string {
		if !colour {
			return s
		}
		return "\x1b[" + code + "m" + s + "\x1b[0m"
	}
	fmt.Fprintf(out, "%s\n", paint("1", d.Name))
	if r.Exact {
		fmt.Fprintf(out, "Exact: %s combinations of answers, %d states\n\n", r.Combinations, r.States)
	} else {
		fmt.Fprintf(out, "Estimated from %d simulated respondents, because there are too many combinations to "+
			"calculate exactly; "+
			"shares are shown with 95%% intervals\n\n", r.Samples)
	}
	if err := writeFigures(out, d, r, sent); err != nil {
		return err
	}
	if len(r.Assumed) > 0 {
		fmt.Fprintf(out, "\nAssumed: the answers to %s can’t be listed, so "+
			"every text or number used in a condition is treated as equally likely\n", strings.Join(r.Assumed, ", "))
	}
	fmt.Fprintln(out)
	if len(r.Findings) == 0 {
		fmt.Fprintln(out, paint("32", "No problems found"))
	}
	colours := map[string]string{reach.Error: "31", reach.Warning: "33", reach.Note: "36"}
	for _, f := range r.Findings {
		fmt.Fprintf(out, "%s %s  %s\n    %s\n", paint(colours[f.Severity], f.Severity), f.Code, f.Where, f.Message)
		if len(f.Witness) > 0 {
			fmt.Fprintf(out, "    for example: %s\n", example(f.Witness))
		}
	}
	return nil
}

// writeFigures writes outcomes, lines, scales and questions as the columns of one table.
func writeFigures(out io.Writer, d *quiz.Document, r *reach.Report, sent []message.Share) error {
	share := func(s float64) string { return fmt.Sprintf("%6.2f%%", 100*s) }
	short := func(s float64) string { return strings.TrimSpace(share(s)) }
	w := tabwriter.NewWriter(out, 0, 4, 2, ' ', 0)
	for _, o := range r.Outcomes {
		note := ""
		switch {
		case o.Interval != nil:
			note = fmt.Sprintf("%s to %s, %s", short(o.Interval[0]), short(o.Interval[1]), o.Settled)
		case !o.Reachable:
			note = "nobody"
		}
		fmt.Fprintf(w, "  %s\t%s\t%s\t%s\n", o.ID, d.OutcomeName(o.ID), share(o.Share), note)
	}
	fmt.Fprintln(w)
	for _, v := range r.Verdicts {
		line, numbered := v.Line.(int)
		switch {
		case numbered && line > 0:
			fmt.Fprintf(w, "  line %d\t%s\t%s\t\n", line, d.VerdictSentence(&d.Verdicts[line-1]), share(v.Share))
		case numbered:
			fmt.Fprintf(w, "  line %d\teveryone else\t%s\t\n", line, share(v.Share))
		case v.Share > 0:
			fmt.Fprintf(w, "  branch\tdecided by a branch\t%s\t\n", share(v.Share))
		}
	}
	fmt.Fprintln(w)
	for _, s := range r.Scales {
		fmt.Fprintf(w, "  %s\t%s\t%s to %s\t\n", s.ID, d.FactName("scale."+s.ID), s.Least, s.Most)
	}
	fmt.Fprintln(w)
	for i, q := range r.Questions {
		fmt.Fprintf(w, "  %s\t%s\tasked of %s\texplains %s of the outcome\n",
			q.ID, d.Questions[i].Title(), short(q.Asked), short(q.Settles))
	}
	if len(sent) > 0 {
		fmt.Fprintln(w)
	}
	for i := range sent {
		m := &d.Messages[d.Message(sent[i].ID)]
		fmt.Fprintf(w, "  %s\t%s, %s\tgoes to %s\t\n", m.ID, m.Title(), d.MessageSentence(m), short(sent[i].Share))
	}
	return w.Flush()
}

func example(witness map[string]any) string {
	var parts []string
	for name, v := range witness {
		parts = append(parts, fmt.Sprintf("%s=%v", name, v))
	}
	sort.Strings(parts)
	return strings.Join(parts, " ")
}
