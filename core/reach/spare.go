package reach

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"regexp"
	"slices"

	"omphalos/core/fill"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// Spared is questions that could be left out together.
type Spared struct {
	Questions []string // ids, in the order of the quiz
	Moved     float64  // the share of all respondents who would end elsewhere
	Samples   int      // of simulated respondents that it rests on; 0 is exact
}

// Spare looks for questions that could go: one, two and more together, as long as no more than most of all respondents
// would end elsewhere. To those that move fewest by themselves the next is added that moves fewest with them. Only
// questions are looked at that nothing else looks at (see Needed). report is of a count that tells what each moves.
func Spare(ctx context.Context, d *quiz.Document, report *Report, most float64, o Options) ([]Spared, error) {
	var list []int
	for i := range d.Questions {
		if canScore(&d.Questions[i]) && report.Questions[i].Asked > 0 && len(Needed(d, d.Questions[i].ID)) == 0 {
			list = append(list, i)
		}
	}
	slices.SortStableFunc(list, func(a, b int) int {
		return cmp.Compare(report.Questions[a].Moved, report.Questions[b].Moved)
	})
	var out []Spared
	var gone []int
	for _, next := range list {
		if report.Questions[next].Moved > most || len(gone)+1 >= len(d.Questions) {
			break
		}
		with := append(slices.Clone(gone), next)
		apart, err := EndApart(ctx, d, unscored(d, with), o)
		if err != nil {
			return out, err
		}
		if apart.Share > most {
			break
		}
		gone = with
		slices.Sort(with)
		one := Spared{Moved: apart.Share, Samples: apart.Samples}
		for _, i := range with {
			one.Questions = append(one.Questions, d.Questions[i].ID)
		}
		out = append(out, one)
	}
	return out, nil
}

// canScore reports whether a question is one that can give points: others are asked for another reason.
func canScore(q *quiz.Question) bool { return kind.Of(q).About().Scores() }

// unscored is the document with questions that give nothing.
func unscored(d *quiz.Document, questions []int) *quiz.Document {
	other := *d
	other.Questions = slices.Clone(d.Questions)
	nothing := rule.Number{}
	for _, i := range questions {
		other.Questions[i].Weight = &nothing
	}
	return &other
}

// Needed says what looks at a question besides points and votes, so that it cannot simply go: its own branches, those
// that lead to it, conditions on its answer, texts and addresses that its answer is filled into.
func Needed(d *quiz.Document, id string) []string {
	i := d.Question(id)
	var out []string
	if len(d.Questions[i].Branches) > 0 {
		out = append(out, "it has branches")
	}
	rest := *d
	rest.Questions = slices.Delete(slices.Clone(d.Questions), i, i+1)
	rest.Checks, rest.Translations = nil, nil
	text, err := json.Marshal(&rest)
	if err != nil {
		return append(out, err.Error())
	}
	if regexp.MustCompile(`"question:` + regexp.QuoteMeta(id) + `"`).Match(text) {
		out = append(out, "a branch or tie rule uses it")
	}
	if regexp.MustCompile(`answer\.` + regexp.QuoteMeta(id) + `[^A-Za-z0-9_-]`).Match(text) {
		out = append(out, "a condition, formula or table uses its answer")
	}
	named := func(names []string) bool {
		return slices.ContainsFunc(names, func(name string) bool {
			return name == id || len(name) > len(id) && name[:len(id)+1] == id+"."
		})
	}
	used := slices.ContainsFunc(rest.Texts(), func(t quiz.Text) bool {
		return t.Filled && named(fill.Names(t.Original))
	})
	fill.EachAddress(&rest, func(_, address string) {
		if a, err := fill.ParseAddress(address); err == nil {
			used = used || named(a.Names())
		}
	})
	if used {
		out = append(out, "its answer appears in a text or an address")
	}
	return out
}

// LeaveOut is the edit that takes questions out, with their answers in kept checks.
func LeaveOut(d *quiz.Document, ids []string) []quiz.Operation {
	var ops []quiz.Operation
	for i := range slices.Backward(d.Questions) {
		if slices.Contains(ids, d.Questions[i].ID) {
			at := quiz.Pointer("questions", i)
			ops = append(ops, quiz.Test(at+"/id", d.Questions[i].ID), quiz.Remove(at))
		}
	}
	for i := range d.Checks {
		c := &d.Checks[i]
		for _, id := range ids {
			if _, answered := c.Answers[id]; answered {
				ops = append(ops, quiz.Remove(quiz.Pointer("checks", i, "answers", id)))
			}
		}
		goes := func(id string) bool { return slices.Contains(ids, id) }
		if slices.ContainsFunc(c.Expect.Path, goes) {
			left := slices.DeleteFunc(slices.Clone(c.Expect.Path), goes)
			ops = append(ops, quiz.Set(quiz.Pointer("checks", i, "expect", "path"), left))
		}
	}
	return ops
}

// settled are, by place of the walk, the shares of respondents whose outcome is settled there: after the first
// question, after the second and so on, whether they were asked them or not.
func (c *counted) settled(o *probabilities) []float64 {
	n := c.p.m.n()
	change := make([]float64, n+2)
	for t := range n {
		for e := range c.p.effects[t] {
			share := c.p.effects[t][e].p
			for s, way := range c.arrowsOf(t, e) {
				mass := c.tables[t].p[s] * share
				switch to := int(way.layer); {
				case to < 0:
					change[t+1] += mass
				case to == n || o.settled(to, int(way.to)) >= 0:
					change[t+1] += mass
					if to < n {
						change[to+1] -= mass
					}
				case to < n:
				}
			}
		}
	}
	for s, mass := range c.tables[0].p { // before the first question: whom it does not matter to
		if n > 0 && o.settled(0, s) >= 0 {
			change[0] += mass
			change[1] -= mass
		}
	}
	out, sum := make([]float64, n+1), 0.0
	for t := range out {
		sum += change[t]
		out[t] = min(1, sum)
	}
	return out
}

// Earlier is another order of the questions in which more people are settled sooner.
type Earlier struct {
	Order         []string  // ids of all questions
	Before, After []float64 // by how many questions are behind: the share who are settled
}

// mostOrders bounds how many orders are counted.
const mostOrders = 60

// sameGain is how close two orders are that differ by rounding alone.
const sameGain = 1e-9

// Sooner looks for an order of the questions that settles people sooner, within what branches, conditions, sections
// and fill-ins allow: where everyone ends stays the same. A question is moved ahead of others as long as that
// helps. It returns nil where nothing helps, or the order decides ties.
func Sooner(ctx context.Context, d *quiz.Document, o Options) (*Earlier, error) {
	for _, v := range d.Verdicts {
		if v.Leader != nil && v.Leader.Ties == "latest" && !v.Off {
			return nil, nil
		}
	}
	before, err := SettledBy(ctx, d, o)
	if err != nil || before == nil {
		return nil, err
	}
	best, at := before, *d
	at.Questions = slices.Clone(d.Questions)
	counts := 0
	for better := true; better && counts < mostOrders; {
		better = false
		for from := 1; from < len(at.Questions) && counts < mostOrders; from++ {
			for to := from - 1; to >= 0 && mayPass(&at, to, from); to-- {
				other := at
				q := at.Questions[from]
				other.Questions = slices.Insert(slices.Delete(slices.Clone(at.Questions), from, from+1), to, q)
				got, err := SettledBy(ctx, &other, o)
				if err != nil {
					return nil, err
				}
				if counts++; got != nil && sum(got) > sum(best)+sameGain {
					best, at, better = got, other, true
					break
				}
				if counts >= mostOrders {
					break
				}
			}
		}
	}
	if sum(best) <= sum(before)+sameGain {
		return nil, nil
	}
	out := &Earlier{Before: before, After: best}
	for i := range at.Questions {
		out.Order = append(out.Order, at.Questions[i].ID)
	}
	return out, nil
}

func sum(list []float64) float64 {
	total := 0.0
	for _, v := range list {
		total += v
	}
	return total
}

// mayPass reports whether the question at from may be asked before all those from to on: none of these, and not
// itself, branches or is led to by a branch, it is in the same section, and neither looks at the other.
func mayPass(d *quiz.Document, to, from int) bool {
	q, other := &d.Questions[from], &d.Questions[to]
	if len(q.Branches) > 0 || len(other.Branches) > 0 || q.Section != other.Section {
		return false
	}
	for i := range d.Questions[:from] {
		for _, b := range d.Questions[i].Branches {
			if b.Go == "question:"+q.ID || b.Go == "question:"+other.ID {
				return false
			}
		}
	}
	if q.VisibleIf != nil && !onlyAnswersBefore(d, q.VisibleIf, to) ||
		other.VisibleIf != nil && looksAtNumbers(other.VisibleIf) {
		return false
	}
	return !slices.ContainsFunc(filledInto(d, q), func(name string) bool { return name == other.ID })
}

// onlyAnswersBefore reports whether a condition looks at nothing but answers given before a question, and the visitor.
func onlyAnswersBefore(d *quiz.Document, c *rule.Condition, before int) bool {
	if looksAtNumbers(c) {
		return false
	}
	ok := true
	c.Each("", func(_ string, c *rule.Condition) {
		for i := before; i < len(d.Questions); i++ {
			id := "answer." + d.Questions[i].ID
			ok = ok && c.Fact != id && (len(c.Fact) <= len(id) || c.Fact[:len(id)+1] != id+".")
		}
	})
	return ok
}

func looksAtNumbers(c *rule.Condition) bool {
	found := false
	c.Each("", func(_ string, c *rule.Condition) {
		found = found || quiz.IsNumberFact(c.Fact) || c.Fact == "leader"
	})
	return found
}

// filledInto are the names that a question's texts are filled with.
func filledInto(d *quiz.Document, q *quiz.Question) []string {
	one := quiz.Document{Questions: []quiz.Question{*q}, Sections: d.Sections}
	var out []string
	for _, t := range one.Texts() {
		if t.Filled {
			out = append(out, fill.Names(t.Original)...)
		}
	}
	return out
}

// SettledBy counts how soon people are settled: by how many questions are behind, whether asked or not, the share
// whose outcome no answer to come can change. It is nil where that is beyond the budget.
func SettledBy(ctx context.Context, d *quiz.Document, o Options) ([]float64, error) {
	k, stop, err := alone(ctx, d, o)
	if err != nil {
		return nil, err
	}
	defer stop()
	counted, err := k.count(purpose{lines: true}, false)
	if err != nil || counted == nil {
		return nil, err
	}
	_, odds, err := counted.influence(k.within, counted.finish())
	if err != nil {
		return nil, ctx.Err() // else the time for counting was up
	}
	return counted.settled(odds), nil
}

// Reorder is the edit that puts the questions into an order.
func Reorder(d *quiz.Document, order []string) ([]quiz.Operation, error) {
	var ops []quiz.Operation
	at := make([]string, len(d.Questions))
	for i := range d.Questions {
		at[i] = d.Questions[i].ID
	}
	for to, id := range order {
		from := slices.Index(at, id)
		if from < 0 || len(order) != len(at) {
			return nil, fmt.Errorf("question %q doesn’t exist", id)
		}
		if from == to {
			continue
		}
		ops = append(ops, quiz.Test(quiz.Pointer("questions", from, "id"), id),
			quiz.Move(quiz.Pointer("questions", from), quiz.Pointer("questions", to)))
		at = slices.Insert(slices.Delete(at, from, from+1), to, id)
	}
	return ops, nil
}
