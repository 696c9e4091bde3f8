package reach

import (
	"context"
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

func day(op rule.Op, value string) *rule.Condition {
	s := rule.Scalar{Text: value}
	if n, err := rule.ParseNumber(value); err == nil {
		s = rule.Scalar{IsNum: true, Num: n}
	}
	return &rule.Condition{Fact: "answer.d", Op: op, Value: rule.One(s)}
}

func dated(lines ...*rule.Condition) *quiz.Document {
	d := quiz.New("Dated")
	d.Questions = []quiz.Question{{ID: "d", Kind: quiz.Date, Text: "When?", Required: true}}
	for i, c := range lines {
		id := fmt.Sprint("o", i)
		d.Outcomes = append(d.Outcomes, quiz.Outcome{ID: id})
		d.Verdicts = append(d.Verdicts, quiz.Verdict{When: c, Outcome: id})
	}
	return d
}

// An outcome that some day leads to is never called impossible, and its example leads there.
func TestDaysThatComparisonsTellApart(t *testing.T) {
	for name, d := range map[string]*quiz.Document{
		"before a day":           dated(day(rule.OpLt, "2019-01-01")),
		"after a day":            dated(day(rule.OpGt, "2031-06-30")),
		"between two neighbours": dated(day(rule.OpLt, "2019-01-01"), day(rule.OpLt, "2019-01-02")),
		"of age":                 dated(day(rule.OpAgeLt, "18"), day(rule.OpAgeGe, "65")),
		"soon":                   dated(day(rule.OpInDaysLt, "0"), day(rule.OpInDaysLt, "7"), day(rule.OpWithin, "30")),
	} {
		t.Run(name, func(t *testing.T) {
			require.Empty(t, d.Validate())
			r, err := Check(context.Background(), d, Options{})
			require.NoError(t, err)
			require.True(t, r.Exact)
			c, err := walk.New(d)
			require.NoError(t, err)
			for _, o := range r.Outcomes {
				require.True(t, o.Reachable, o.ID)
				require.Equal(t, o.ID, c.Walk(InputOf(d, o.Witness)).Outcome)
			}
			require.Contains(t, r.Assumed, "d", "how days fall is a guess, and said so")
		})
	}
}

func TestFormulasOfDatesAreCounted(t *testing.T) {
	d := dated()
	d.Computed = []quiz.Computed{{ID: "age", Formula: "years_since(answer.d)"}}
	d.Outcomes = append(d.Outcomes, quiz.Outcome{ID: "adult"})
	of := rule.Condition{Fact: "computed.age", Op: rule.OpGe, Value: rule.One(rule.Scalar{IsNum: true, Num: rule.Int(18)})}
	d.Verdicts = []quiz.Verdict{{When: &of, Outcome: "adult"}}
	require.Empty(t, d.Validate())
	r, err := Check(context.Background(), d, Options{})
	require.NoError(t, err)
	require.True(t, r.Outcomes[0].Reachable && r.Outcomes[1].Reachable)
}

// Where the document names days that it may be taken on, dates are looked at on each of them.
func TestDaysOnSeveralDaysAreSimulated(t *testing.T) {
	d := dated(day(rule.OpAgeGe, "18"))
	d.Verdicts[0].When = &rule.Condition{All: []rule.Condition{
		*d.Verdicts[0].When, {Fact: "today", Op: rule.OpGe, Value: rule.One(rule.Scalar{Text: "2027-01-01"})},
	}}
	r, err := Check(context.Background(), d, Options{})
	require.NoError(t, err)
	require.False(t, r.Exact)
	require.True(t, r.Outcomes[0].Reachable && r.Outcomes[1].Reachable)
}

// Property: whatever comparisons a date is sorted by, an outcome that any of many days leads to is found.
func TestNoDayIsMissed(t *testing.T) {
	for seed := range uint64(60) {
		r := rand.New(rand.NewPCG(seed, 26))
		var lines []*rule.Condition
		for range 1 + r.IntN(4) {
			op := rule.DayOps[r.IntN(len(rule.DayOps))]
			value := fmt.Sprint(r.IntN(60) - 10)
			if op == rule.OpWithin {
				value = fmt.Sprint(r.IntN(60))
			}
			if r.IntN(3) == 0 {
				op = []rule.Op{rule.OpLt, rule.OpGe, rule.OpIs}[r.IntN(3)]
				value = fmt.Sprintf("20%02d-0%d-15", 10+r.IntN(30), 1+r.IntN(9))
			}
			lines = append(lines, day(op, value))
		}
		d := dated(lines...)
		report, err := Check(context.Background(), d, Options{})
		require.NoError(t, err)
		c, err := walk.New(d)
		require.NoError(t, err)
		found := map[string]bool{}
		for _, o := range report.Outcomes {
			found[o.ID] = o.Reachable
		}
		now, _ := rule.Day(todayFact.Usual)
		for n := range 40_000 {
			date := now.AddDate(0, 0, n-27_000).Format("2006-01-02")
			in := walk.Input{Answers: map[string]walk.Answer{"d": {Text: date}}, Today: todayFact.Usual}
			require.True(t, found[c.Walk(in).Outcome], "seed %d: %s", seed, date)
		}
	}
}
