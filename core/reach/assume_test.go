package reach

import (
	"context"
	"encoding/json"
	"maps"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/walk"
)

// randomAssumption gives some questions shares of their own, some of them 0.
func randomAssumption(r *rand.Rand, d *quiz.Document) *Assumption {
	a := &Assumption{Answers: map[string]map[string]float64{}}
	for i := range d.Questions {
		q := &d.Questions[i]
		if r.IntN(3) == 0 || q.Kind == quiz.Multiple || q.Kind == quiz.Statement {
			continue
		}
		for _, field := range kind.FieldNames(q) {
			shares := map[string]float64{}
			for _, answer := range quiztest.Answers(q) {
				shares[strings.Join(answer.Fields(q)[field], "|")] = float64(r.IntN(4))
			}
			total := 0.0
			for _, s := range shares {
				total += s
			}
			if total > 0 {
				a.Answers[field] = shares
			}
		}
	}
	return a
}

// weight is the assumed share of an answer among all answers to its question.
func weight(a *Assumption, q *quiz.Question, answer walk.Answer, all []walk.Answer) float64 {
	p := 1.0
	for _, field := range kind.FieldNames(q) {
		value := func(w walk.Answer) string {
			return strings.Join(w.Fields(q)[field], "|")
		}
		values := map[string]float64{}
		for _, other := range all {
			values[value(other)] = 1
		}
		if shares, ok := a.Answers[field]; ok {
			for v := range values {
				values[v] = shares[v]
			}
		}
		total := 0.0
		for _, s := range values {
			total += s
		}
		p *= values[value(answer)] / total
	}
	if len(kind.FieldNames(q)) == 1 && q.Kind != quiz.Grid && a.Answers[q.ID] == nil {
		return 1 / float64(len(all))
	}
	return p
}

// Under assumed shares the count equals walking every walk by its own weight.
func TestAssumedSharesEqualWeightedWalks(t *testing.T) {
	r := rand.New(rand.NewPCG(12, 34))
	for range 700 {
		d := quiztest.Random(r, quiztest.Size{Questions: 4, Choices: 3})
		a := randomAssumption(r, d)
		c, err := walk.New(d)
		require.NoError(t, err)
		want, scores := map[string]float64{}, map[string]float64{}
		var step func(in walk.Input, p float64)
		step = func(in walk.Input, p float64) {
			res := c.Advance(in)
			if res.Pending < 0 {
				want[res.Outcome] += p
				scores[res.Scales[0].String()] += p
				return
			}
			q := &d.Questions[res.Pending]
			all := quiztest.Answers(q)
			for _, answer := range all {
				next := walk.Input{Answers: maps.Clone(in.Answers)}
				next.Answers[q.ID] = answer
				if w := weight(a, q, answer, all); w > 0 {
					step(next, p*w)
				}
			}
		}
		step(walk.Input{Answers: map[string]walk.Answer{}}, 1)
		got, err := Check(context.Background(), d, Options{Assume: a})
		require.NoError(t, err)
		for _, o := range got.Outcomes {
			require.InDelta(t, want[o.ID], o.Share, 1e-9, "%s", func() string { b, _ := json.Marshal(d); s, _ := json.Marshal(a); return string(b) + "\n" + string(s) }())
		}
		for _, p := range got.Scales[0].Shares {
			require.InDelta(t, scores[p.Value.String()], p.Share, 1e-9)
		}
	}
}

// The findings of random quizzes agree with walking every walk: what is said to be unreachable, dead or empty is, and
// nothing else is; what is said to decide nothing changes nothing.
func TestFindingsEqualWalkingEveryWalk(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 28))
	looked := 0
	for range 1500 {
		d := quiztest.Random(r, quiztest.Size{Questions: 4, Choices: 3})
		c, err := walk.New(d)
		require.NoError(t, err)
		n := 0
		asked, lines, cuts := map[string]bool{}, map[int]bool{}, map[[2]int]bool{}
		ties := map[int]float64{}
		quiztest.Each(c, func(_ walk.Input, res *walk.Result, p float64) bool {
			n++
			for _, id := range res.Path {
				asked[id] = true
			}
			lines[res.Reason.Line] = true
			if res.Reason.Line > 0 && d.Verdicts[res.Reason.Line-1].Bands != nil {
				cuts[[2]int{res.Reason.Line, res.Reason.Cut}] = true
			}
			if res.TieRule() {
				ties[res.Reason.Line] += p
			}
			return n < 1500
		})
		if n >= 1500 {
			continue
		}
		looked++
		got, err := Check(context.Background(), d, Options{})
		require.NoError(t, err)
		found := map[string]Finding{}
		for _, f := range got.Findings {
			found[f.Code+" "+f.Where] = f
			if f.Witness != nil {
				c.Walk(answersOf(t, d, f.Witness)) // it is an answer that the quiz takes
			}
		}
		has := func(code string, where ...any) bool { _, ok := found[code+" "+quiz.Pointer(where...)]; return ok }
		for i := range d.Questions {
			require.Equal(t, !asked[d.Questions[i].ID], has("unreachable_question", "questions", i))
		}
		for i, v := range d.Verdicts {
			if v.Off {
				continue
			}
			require.Equal(t, !lines[i+1], has("dead_verdict", "verdicts", i))
			if v.Bands != nil && lines[i+1] {
				for j := range v.Bands.Cuts {
					require.Equal(t, !cuts[[2]int{i + 1, j}], has("empty_band", "verdicts", i, "bands", "cuts", j))
				}
			}
			if v.Leader != nil {
				f, ok := found["tie "+quiz.Pointer("verdicts", i, "leader")]
				require.Equal(t, ties[i+1] > 0, ok)
				if ok {
					require.InDelta(t, ties[i+1], *f.Share, 1e-12)
				}
			}
		}
	}
	require.Greater(t, looked, 700)
}

// A question that is said to change nothing changes nothing: every walk ends where it ends with any other answer to it.
func TestIdleQuestionsChangeNothing(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 14))
	idle, compared := 0, 0
	for range 600 {
		d := quiztest.Random(r, quiztest.Size{Questions: 3, Choices: 3})
		c, err := walk.New(d)
		require.NoError(t, err)
		got, err := Check(context.Background(), d, Options{})
		require.NoError(t, err)
		for i, q := range got.Questions {
			if q.Matters || q.Asked == 0 {
				continue
			}
			idle++
			require.InDelta(t, 0, q.Influence, 1e-12)
			n := 0
			quiztest.Each(c, func(in walk.Input, res *walk.Result, _ float64) bool {
				n++
				odds := map[string]bool{}
				for _, a := range quiztest.Answers(&d.Questions[i]) {
					other := walk.Input{Answers: maps.Clone(in.Answers), Visitor: in.Visitor, Params: in.Params}
					other.Answers[d.Questions[i].ID] = a
					if next := c.Advance(other); next.Pending < 0 { // the same questions are asked
						odds[next.Outcome] = true
					}
				}
				if len(got.Edges) == len(d.Questions) { // no branch and nothing hidden: the answer alone may not matter
					require.LessOrEqual(t, len(odds), 1)
					compared++
				}
				return n < 200
			})
		}
	}
	require.Positive(t, idle)
	require.Greater(t, compared, 100)
}
