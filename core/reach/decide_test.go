package reach

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/rule"
	"omphalos/core/verdict"
	"omphalos/core/walk"
)

// The cells of matrices hold the shares that walking everyone tells, and a witness who is in each.
func TestCrossingEqualsWalkingEveryWalk(t *testing.T) {
	r := rand.New(rand.NewPCG(30, 25))
	compared, reached := 0, 0
	for range 4000 {
		d := quiztest.Random(r, quiztest.Size{Questions: 4, Choices: 3, Visitor: true})
		c, err := walk.New(d)
		require.NoError(t, err)
		for i := range d.Verdicts {
			m := d.Verdicts[i].Matrix
			if m == nil || d.Verdicts[i].Off {
				continue
			}
			want, came, walks := map[[2]int]float64{}, 0.0, 0
			quiztest.Each(c, func(in walk.Input, res *walk.Result, p float64) bool {
				walks++
				if line := res.Reason.Line; line == walk.LineBranch || line > 0 && line <= i {
					return walks < 1500
				}
				facts := c.Facts(in)
				across, down := facts(m.Across.On), facts(m.Down.On)
				if w := d.Verdicts[i].When; w != nil && !w.Holds(facts) || across.Kind != rule.Num || down.Kind != rule.Num {
					return walks < 1500
				}
				came += p
				want[[2]int{verdict.OwningBand(m.Down.Cuts, down) + 1, verdict.OwningBand(m.Across.Cuts, across) + 1}] += p
				return walks < 1500
			})
			if walks >= 1500 {
				continue
			}
			got, err := Cross(context.Background(), d, i+1, Options{})
			require.NoError(t, err)
			require.Zero(t, got.Samples)
			near(t, came, got.Came, "came to line %d", i+1)
			total := 0.0
			for _, p := range got.Joint {
				total += p.Share
			}
			near(t, came, total, "all pairs")
			for dn, row := range got.Cells {
				for a, cell := range row {
					near(t, want[[2]int{dn, a}], cell.Share, "cell %d %d", dn, a)
					require.Equal(t, want[[2]int{dn, a}] > 0, cell.Reached)
					if cell.Reached {
						reached++
						facts := c.Facts(answersOf(t, d, cell.Witness))
						require.Equal(t, a-1, verdict.OwningBand(m.Across.Cuts, facts(m.Across.On)))
						require.Equal(t, dn-1, verdict.OwningBand(m.Down.Cuts, facts(m.Down.On)))
					}
				}
			}
			for i, b := range got.AcrossCuts {
				if b.Value == nil {
					continue
				}
				facts := c.Facts(answersOf(t, d, b.Witness))
				require.Zero(t, b.Value.Cmp(facts(m.Across.On).Num))
				require.Equal(t, i, verdict.OwningBand(m.Across.Cuts, facts(m.Across.On)))
			}
			compared++
		}
	}
	require.Greater(t, compared, 300)
	require.Greater(t, reached, 300)
}

// How many are settled after each question is what walking on in every way tells.
func TestSettledEqualsWalkingOn(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	compared := 0
	for range 300 {
		d := quiztest.Random(r, quiztest.Size{Questions: 4, Choices: 3})
		c, err := walk.New(d)
		require.NoError(t, err)
		ends := make([]map[string]map[string]bool, len(d.Questions)+1) // by place: answers so far to outcomes
		shares := make([]map[string]float64, len(ends))
		for k := range ends {
			ends[k], shares[k] = map[string]map[string]bool{}, map[string]float64{}
		}
		walks := 0
		quiztest.Each(c, func(in walk.Input, res *walk.Result, p float64) bool {
			for k := range ends {
				said := map[string]walk.Answer{}
				for i := range d.Questions[:k] {
					if a, asked := in.Answers[d.Questions[i].ID]; asked {
						said[d.Questions[i].ID] = a
					}
				}
				b, err := json.Marshal([]any{said, in.Visitor, in.Params})
				require.NoError(t, err)
				if ends[k][string(b)] == nil {
					ends[k][string(b)] = map[string]bool{}
				}
				ends[k][string(b)][res.Outcome] = true
				shares[k][string(b)] += p
			}
			walks++
			return walks < 600
		})
		if walks >= 600 {
			continue
		}
		got, err := SettledBy(context.Background(), d, Options{})
		require.NoError(t, err)
		for k := range ends {
			want := 0.0
			for key, outcomes := range ends[k] {
				if len(outcomes) == 1 {
					want += shares[k][key]
				}
			}
			require.InDelta(t, want, got[k], 1e-9, fmt.Sprint(k))
		}
		compared++
	}
	require.Greater(t, compared, 150)
}

// Another order settles people sooner, and everyone ends where they did.
func TestAnotherOrderMovesNobody(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 5))
	found := 0
	for range 400 {
		d := quiztest.Random(r, quiztest.Size{Questions: 4, Choices: 3})
		earlier, err := Sooner(context.Background(), d, Options{})
		require.NoError(t, err)
		if earlier == nil {
			continue
		}
		found++
		ops, err := Reorder(d, earlier.Order)
		require.NoError(t, err)
		text, err := json.Marshal(d)
		require.NoError(t, err)
		edited, err := quiz.Edit(text, ops)
		require.NoError(t, err)
		require.Empty(t, edited.Document.Validate())
		require.Greater(t, sum(earlier.After), sum(earlier.Before))
		a, err := walk.New(d)
		require.NoError(t, err)
		b, err := walk.New(edited.Document)
		require.NoError(t, err)
		walks := 0
		quiztest.EachWhole(a, func(in walk.Input, _ float64) bool {
			require.Equal(t, a.Walk(in).Outcome, b.Walk(in).Outcome)
			walks++
			return walks < 500
		})
	}
	require.Greater(t, found, 5)
}

// Questions that may go move no more than was said.
func TestSparedQuestionsMoveWhatIsSaid(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 44))
	found := 0
	for range 300 {
		d := quiztest.Random(r, quiztest.Size{Questions: 4, Choices: 3})
		report, err := Check(context.Background(), d, Options{Moved: true})
		require.NoError(t, err)
		list, err := Spare(context.Background(), d, report, 0.2, Options{})
		require.NoError(t, err)
		for _, one := range list {
			text, err := json.Marshal(d)
			require.NoError(t, err)
			edited, err := quiz.Edit(text, LeaveOut(d, one.Questions))
			require.NoError(t, err)
			require.Empty(t, edited.Document.Validate())
			a, err := walk.New(d)
			require.NoError(t, err)
			b, err := walk.New(edited.Document)
			require.NoError(t, err)
			if moved, whole := quiztest.Apart(a, b); whole {
				require.InDelta(t, one.Moved, moved, 1e-9, "%s without %v", text, one.Questions)
				require.LessOrEqual(t, moved, 0.2+1e-9)
				found++
			}
		}
	}
	require.Greater(t, found, 50)
}

// Starts that level keywords bring the shares nearer to what is wanted, and give what they say.
func TestLevel(t *testing.T) {
	d := keywords(5, 3, "order")
	wanted := map[string]float64{"o0": 1, "o1": 1, "o2": 1}
	before, err := sharesOf(context.Background(), d, 1, map[string]float64{"o0": 1. / 3, "o1": 1. / 3, "o2": 1. / 3}, Options{Only: true})
	require.NoError(t, err)
	got, err := LevelStarts(context.Background(), d, 1, wanted, Options{})
	require.NoError(t, err)
	require.LessOrEqual(t, got.Off, before.Off)
	for i := range d.Keywords {
		d.Keywords[i].Start = got.Starts[i]
	}
	after, err := Check(context.Background(), d, Options{})
	require.NoError(t, err)
	for _, o := range after.Outcomes {
		require.InDelta(t, got.Shares[o.ID], o.Share, 1e-12, o.ID)
	}
	m := scored2(6, 4)
	cuts, err := LevelCuts(context.Background(), m, 1, map[string]float64{"low": 1, "mid": 1, "high": 2}, Options{})
	require.NoError(t, err)
	require.Less(t, cuts.Off, 0.3)
	m.Verdicts[0].Matrix.Across.Cuts, m.Verdicts[0].Matrix.Down.Cuts = cuts.Across, cuts.Down
	require.Empty(t, m.Validate())
	report, err := Check(context.Background(), m, Options{})
	require.NoError(t, err)
	for _, o := range report.Outcomes {
		require.InDelta(t, cuts.Shares[o.ID], o.Share, 1e-12, o.ID)
	}
}

// scored2 is n questions with k answers on two scales, crossed.
func scored2(n, k int) *quiz.Document {
	d := scored(n, k, func(q, c int) int64 { return int64((c + q) % k) })
	d.Scales = append(d.Scales, quiz.Scale{ID: "u"})
	for q := range d.Questions {
		for c := range d.Questions[q].Choices {
			d.Questions[q].Choices[c].Points["u"] = rule.Int(int64(c * (q % 2)))
		}
	}
	cut := func(list ...int64) (out []rule.Number) {
		for _, n := range list {
			out = append(out, rule.Int(n))
		}
		return out
	}
	d.Verdicts = []quiz.Verdict{{Matrix: &quiz.Matrix{
		Across: quiz.Edge{On: "scale.s", Cuts: cut(-10, 8, 12)}, Down: quiz.Edge{On: "scale.u", Cuts: cut(-10, 4)},
		Outcomes: [][]quiz.CellOutcome{{"low", "mid", "high"}, {"low", "high", "high"}},
	}}}
	return d
}

// Every cut point but the lowest is taken to every value between its neighbours: none comes closer.
func TestALevelledMatrixHasNoBetterCut(t *testing.T) {
	for _, wanted := range []map[string]float64{
		{"low": 1, "mid": 1, "high": 2}, {"low": 1, "mid": 5, "high": 1}, {"low": 6, "mid": 1, "high": 1},
		{"low": 1, "mid": 1, "high": 9}, {"low": 2, "mid": 1, "high": 3}, {"low": 1, "mid": 9, "high": 9},
	} {
		m := scored2(6, 4)
		found, err := LevelCuts(context.Background(), m, 1, wanted, Options{})
		require.NoError(t, err)
		requireNoBetterCut(t, m, found, wanted)
	}
}

func requireNoBetterCut(t *testing.T, m *quiz.Document, found *LeveledCuts, wanted map[string]float64) {
	t.Helper()
	x, err := Cross(context.Background(), m, 1, Options{})
	require.NoError(t, err)
	target, err := scaled(wanted)
	require.NoError(t, err)
	tried := 0
	for _, edge := range []struct {
		cuts   []rule.Number
		values []Point
	}{{found.Across, x.Across}, {found.Down, x.Down}} {
		for i := 1; i < len(edge.cuts); i++ {
			from := edge.cuts[i]
			for _, p := range edge.values {
				if p.Value.Cmp(edge.cuts[i-1]) <= 0 || i+1 < len(edge.cuts) && p.Value.Cmp(edge.cuts[i+1]) >= 0 {
					continue
				}
				edge.cuts[i] = p.Value
				other := LeveledCuts{Across: found.Across, Down: found.Down}
				other.count(m.Verdicts[0].Matrix, x, target)
				require.GreaterOrEqual(t, other.Off, found.Off-sameOdds, "cut point %d at %s", i, p.Value)
				tried++
			}
			edge.cuts[i] = from
		}
	}
	require.Positive(t, tried)
}
