// Package method draws the figures of docs/method.md from the demonstration, so that the page cannot say what the
// program does not.
package method

import (
	"context"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
)

const scale = "fit"

// block is a figure within the page, between two comments that name it.
var block = regexp.MustCompile(`(?s)(<!-- figure ([a-z-]+) -->\n).*?(<!-- end -->)`)

// Fill returns the page with every figure drawn again from the quiz. A figure that is not known is an error.
func Fill(page string, d *quiz.Document) (string, error) {
	whole, err := reach.Check(context.Background(), d, reach.Options{})
	if err != nil {
		return "", err
	}
	f := &figures{d: d, whole: whole}
	draw := map[string]func() (string, error){
		"sums": f.sums, "shares": f.shares, "assumed": f.assumed, "bits": f.bits, "cut": f.cut,
	}
	var failed error
	out := block.ReplaceAllStringFunc(page, func(text string) string {
		m := block.FindStringSubmatch(text)
		one := draw[m[2]]
		if one == nil {
			failed = fmt.Errorf("there is no figure %q", m[2])
			return text
		}
		body, err := one()
		if err != nil {
			failed = err
		}
		return m[1] + body + m[3]
	})
	return out, failed
}

// figures are of one quiz and its count.
type figures struct {
	d     *quiz.Document
	whole *reach.Report
}

func percent(share float64) string { return fmt.Sprintf("%.1f%%", 100*share) }

func (f *figures) name(outcome string) string { return f.d.Outcome(outcome).Name }

// sums are the points of two questions crossed, and how many of the combinations have each sum.
func (f *figures) sums() (string, error) {
	a, b := f.d.Questions[0], f.d.Questions[1]
	var out strings.Builder
	out.WriteString("| |")
	for _, c := range b.Choices {
		fmt.Fprintf(&out, " %s +%s |", c.Label, c.Points[scale])
	}
	out.WriteString("\n|---|" + strings.Repeat("---:|", len(b.Choices)) + "\n")
	times := map[string]int{}
	var sums []rule.Number
	for _, x := range a.Choices {
		fmt.Fprintf(&out, "| %s +%s |", x.Label, x.Points[scale])
		for _, y := range b.Choices {
			sum := x.Points[scale].Add(y.Points[scale])
			if times[sum.String()]++; times[sum.String()] == 1 {
				sums = append(sums, sum)
			}
			fmt.Fprintf(&out, " %s |", sum)
		}
		out.WriteString("\n")
	}
	slices.SortFunc(sums, rule.Number.Cmp)
	var heads, counts []string
	for _, s := range sums {
		heads, counts = append(heads, s.String()), append(counts, fmt.Sprint(times[s.String()]))
	}
	fmt.Fprintf(&out, "\n| sum | %s |\n|---|%s\n| combinations of %d | %s |\n", strings.Join(heads, " | "),
		strings.Repeat("---:|", len(heads)), len(a.Choices)*len(b.Choices), strings.Join(counts, " | "))
	return out.String(), nil
}

// shares are where everyone ends, with how many combinations there are.
func (f *figures) shares() (string, error) {
	var out strings.Builder
	fmt.Fprintf(&out, "%s combinations of answers:\n\n| outcome | share |\n|---|---:|\n", grouped(f.whole.Combinations))
	for _, o := range f.whole.Outcomes {
		fmt.Fprintf(&out, "| %s | %s |\n", f.name(o.ID), percent(o.Share))
	}
	return out.String(), nil
}

func grouped(digits string) string {
	for i := len(digits) - 3; i > 0; i -= 3 {
		digits = digits[:i] + "," + digits[i:]
	}
	return digits
}

// assumed compares even answers with those of people who have larger walls.
func (f *figures) assumed() (string, error) {
	first := f.d.Questions[0]
	shares := map[string]float64{first.Choices[0].ID: 0.2, first.Choices[1].ID: 0.3, first.Choices[2].ID: 0.5}
	other, err := reach.Check(context.Background(), f.d, reach.Options{
		Assume: &reach.Assumption{Answers: map[string]map[string]float64{first.ID: shares}}, Only: true,
	})
	if err != nil {
		return "", err
	}
	var said []string
	for _, c := range first.Choices {
		said = append(said, fmt.Sprintf("“%s” %.0f%%", c.Label, 100*shares[c.ID]))
	}
	return fmt.Sprintf("“%s”, answered %s, everything else evenly:\n\n", first.Text, strings.Join(said, ", ")) +
		f.beside("even", "assumed", other), nil
}

// next to compares the count with another.
func (f *figures) beside(before, after string, other *reach.Report) string {
	var out strings.Builder
	fmt.Fprintf(&out, "| outcome | %s | %s |\n|---|---:|---:|\n", before, after)
	for i, o := range f.whole.Outcomes {
		fmt.Fprintf(&out, "| %s | %s | %s |\n", f.name(o.ID), percent(o.Share), percent(other.Outcomes[i].Share))
	}
	return out.String()
}

// bits are what each question decides, the most first.
func (f *figures) bits() (string, error) {
	list := slices.Clone(f.whole.Questions)
	slices.SortStableFunc(list, func(a, b reach.Question) int { return int(1e6 * (b.Influence - a.Influence)) })
	var out strings.Builder
	out.WriteString("| question | bits | explains |\n|---|---:|---:|\n")
	for _, q := range list {
		text := f.d.Questions[f.d.Question(q.ID)].Text
		fmt.Fprintf(&out, "| %s | %.3f | %s |\n", text, q.Influence, percent(q.Settles))
	}
	return out.String(), nil
}

// cut is what moving the highest cut point down by one does.
func (f *figures) cut() (string, error) {
	d := *f.d
	d.Verdicts = slices.Clone(d.Verdicts)
	bands := *d.Verdicts[1].Bands
	bands.Cuts = slices.Clone(bands.Cuts)
	d.Verdicts[1].Bands = &bands
	last := &bands.Cuts[len(bands.Cuts)-1]
	from := last.From
	last.From = from.Sub(rule.Int(1))
	other, err := reach.Check(context.Background(), &d, reach.Options{Only: true})
	if err != nil {
		return "", err
	}
	return fmt.Sprintf("The cut point of “%s” from %s to %s:\n\n", f.name(last.Outcome), from, last.From) +
		f.beside("from "+from.String(), "from "+last.From.String(), other), nil
}
