package reach

import (
	"context"
	"encoding/json"
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/walk"
)

// enumeration is what walking every walk comes to.
type enumeration struct {
	outcomes, asked, edges map[string]float64
	lines                  map[string]float64
	takes                  map[string]float64 // line, part and outcome
	scales                 []map[string]float64
	ties                   float64
	moved                  map[string]float64 // by question
	combinations           int64
	any                    map[string]bool
}

func enumerate(t *testing.T, d *quiz.Document, limit int) (*enumeration, bool) {
	t.Helper()
	c, err := walk.New(d)
	require.NoError(t, err)
	e := &enumeration{outcomes: map[string]float64{}, asked: map[string]float64{}, edges: map[string]float64{}, lines: map[string]float64{}, takes: map[string]float64{}, any: map[string]bool{}, moved: map[string]float64{}}
	for range d.Scales {
		e.scales = append(e.scales, map[string]float64{})
	}
	whole := true
	quiztest.Each(c, func(in walk.Input, r *walk.Result, p float64) bool {
		e.combinations++
		if e.combinations > int64(limit) {
			whole = false
			return false
		}
		e.outcomes[r.Outcome] += p
		e.any["outcome "+r.Outcome] = true
		e.lines[r.LineName()] += p
		if r.Reason.Line > 0 {
			e.takes[fmt.Sprint(r.Reason.Line, partOf(d, r), r.Outcome)] += p
		}
		if r.TieRule() {
			e.ties += p
		}
		for i, id := range r.Path {
			e.asked[id] += p
			e.edges[id+" "+r.Exit(i)] += p
		}
		for i, v := range r.Scales {
			e.scales[i][v.String()] += p
		}
		for _, id := range r.Path {
			if c.Without(in, id).Outcome != r.Outcome {
				e.moved[id] += p
			}
		}
		return true
	})
	return e, whole
}

// partOf is which part of its line decided a walk.
func partOf(d *quiz.Document, r *walk.Result) int {
	if c := d.Verdicts[r.Reason.Line-1].Closest; c != nil { // the position among the outcomes that have profiles
		part := -1
		for _, o := range d.Outcomes {
			if c.Profiles[o.ID] != nil {
				part++
			}
			if o.ID == r.Outcome {
				return part
			}
		}
	}
	if m := d.Verdicts[r.Reason.Line-1].Matrix; m != nil {
		return r.Reason.Row*len(m.Across.Cuts) + r.Reason.Cut
	}
	return max(r.Reason.Cut, r.Reason.Row, keywordAt(d, r.Reason.Keyword))
}

func keywordAt(d *quiz.Document, id string) int {
	return slices.IndexFunc(d.Keywords, func(k quiz.Keyword) bool { return k.ID == id })
}

func near(t *testing.T, want, got float64, format string, args ...any) {
	t.Helper()
	require.InDelta(t, want, got, 1e-12, fmt.Sprintf(format, args...))
}

// answersOf reads a witness back; every question that it names must have been read.
func answersOf(t *testing.T, d *quiz.Document, witness map[string]any) walk.Input {
	t.Helper()
	in := InputOf(d, witness)
	for i := range d.Questions {
		for _, field := range kind.FieldNames(&d.Questions[i]) {
			if _, named := witness[field]; named {
				require.Contains(t, in.Answers, d.Questions[i].ID)
			}
		}
	}
	return in
}

func compare(t *testing.T, d *quiz.Document, e *enumeration, r *Report, moved bool) {
	t.Helper()
	c, err := walk.New(d)
	require.NoError(t, err)
	require.True(t, r.Exact)
	require.Equal(t, big.NewInt(e.combinations).String(), r.Combinations)
	sum := 0.0
	for _, o := range r.Outcomes {
		near(t, e.outcomes[o.ID], o.Share, "outcome %s", o.ID)
		require.Equal(t, e.any["outcome "+o.ID], o.Reachable, "outcome %s", o.ID)
		if o.Reachable {
			require.NotNil(t, o.Witness)
			require.Equal(t, o.ID, c.Walk(answersOf(t, d, o.Witness)).Outcome, "the witness %v", o.Witness)
		}
		sum += o.Share
	}
	near(t, 1, sum, "all outcomes")
	for _, v := range r.Verdicts {
		near(t, e.lines[fmt.Sprint(v.Line)], v.Share, "line %v", v.Line)
	}
	for _, take := range r.Takes {
		key := fmt.Sprint(take.Line, take.Part, take.Outcome)
		near(t, e.takes[key], take.Share, "part %s", key)
		delete(e.takes, key)
	}
	for key, share := range e.takes {
		near(t, 0, share, "part %s is missing", key)
	}
	near(t, e.ties, r.Ties, "ties")
	for _, q := range r.Questions {
		near(t, e.asked[q.ID], q.Asked, "asked %s", q.ID)
		if moved {
			near(t, e.moved[q.ID], q.Moved, "moved without %s", q.ID)
		}
	}
	require.Len(t, r.Edges, len(e.edges))
	for _, edge := range r.Edges {
		near(t, e.edges[edge.From+" "+edge.To], edge.Share, "edge %v", edge)
	}
	for i, s := range r.Scales {
		require.Len(t, s.Shares, len(e.scales[i]), "values of %s", s.ID)
		for _, p := range s.Shares {
			near(t, e.scales[i][p.Value.String()], p.Share, "%s = %s", s.ID, p.Value)
		}
		require.Zero(t, s.Least.Cmp(s.Shares[0].Value))
		require.Zero(t, s.Most.Cmp(s.Shares[len(s.Shares)-1].Value))
	}
}

// Thousands of random small quizzes: the count equals walking every walk.
func TestReachEqualsWalkingEveryWalk(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 8))
	compared := 0
	for n := range quiztest.Rounds(4000) {
		d := quiztest.Random(r, quiztest.Size{Questions: 5, Choices: 3, Visitor: n%3 == 0, Time: n%6 == 0, Text: n%4 == 0})
		e, whole := enumerate(t, d, 2000)
		if !whole {
			continue
		}
		report, err := Check(context.Background(), d, Options{Moved: true})
		if err != nil {
			t.Fatal(err)
		}
		if !t.Run("", func(t *testing.T) { compare(t, d, e, report, true) }) {
			b, _ := json.Marshal(d)
			t.Fatalf("quiz %d\n%s", n, b)
		}
		compared++
	}
	require.Greater(t, compared, quiztest.Rounds(2000))
}
