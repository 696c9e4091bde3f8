package reach

import (
	"context"
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// oneScale is a quiz of questions that all are asked, with points to one scale that begins somewhere, and cut points.
func oneScale(r *rand.Rand) *quiz.Document {
	d := quiz.New("One scale")
	places := max(0, r.IntN(4)-2)
	points := func() rule.Number { return rule.Unscaled(int64(r.IntN(14)-4), places) }
	d.Scales = []quiz.Scale{{ID: "s", Start: points()}}
	for q := range 2 + r.IntN(7) {
		question := quiz.Question{ID: fmt.Sprint("q", q), Kind: quiz.Single, Required: r.IntN(3) > 0}
		for c := range 1 + r.IntN(5) {
			choice := quiz.Choice{ID: fmt.Sprint("c", c)}
			if r.IntN(4) > 0 {
				choice.Points = map[string]rule.Number{"s": points()}
			}
			question.Choices = append(question.Choices, choice)
		}
		d.Questions = append(d.Questions, question)
	}
	d.Outcomes, d.Otherwise = []quiz.Outcome{{ID: "x"}, {ID: "y"}, {ID: "z"}}, "z"
	from := rule.Int(int64(r.IntN(30) - 15))
	d.Verdicts = []quiz.Verdict{{Bands: &quiz.Bands{On: "scale.s", Cuts: []quiz.Cut{
		{From: from, Outcome: "x"}, {From: from.Add(rule.Int(int64(1 + r.IntN(20)))), Outcome: "y"},
	}}}}
	return d
}

// Where a straight layer says that an answer leads is where the answer takes a state, settled and packed as elsewhere;
// and anyone who continues is there, by the example that is kept too.
func TestStraightWaysAreWhereAnswersLead(t *testing.T) {
	r := rand.New(rand.NewPCG(16, 1))
	straights := 0
	for range 300 {
		d := oneScale(r)
		m, err := newModel(context.Background(), d, nil)
		require.NoError(t, err)
		p, err := newPass(context.Background(), m, purpose{lines: true, below: r.IntN(2) == 0})
		require.NoError(t, err)
		c, err := p.run(context.Background(), spend{1 << 20, 1 << 30}, false)
		require.NoError(t, err)
		vec, scratch := make([]int64, p.end), []int64{}
		for at := range d.Questions {
			here, there := &c.tables[at], &c.tables[at+1]
			if !c.straight[at].is {
				continue
			}
			straights++
			mass, example := make([]float64, there.size()), make([]bool, there.size())
			for e := range p.effects[at] {
				for s, way := range c.arrowsOf(at, e) {
					require.Equal(t, way, c.way(at, e, s))
					require.EqualValues(t, at+1, way.layer)
					p.unpack(at, here.key(s), vec)
					p.apply(at, &p.effects[at][e], vec)
					p.settleNumbers(at+1, vec, scratch)
					require.Equal(t, p.pack(at+1, vec), there.key(int(way.to)))
					mass[way.to] += here.p[s] * p.effects[at][e].p
					from := there.from[way.to]
					example[way.to] = example[way.to] || from == origin{int32(at), int32(s), int32(e)}
				}
			}
			for s := range mass {
				near(t, mass[s], there.p[s], "layer %d", at+1)
				require.True(t, example[s], "somebody comes to each state by what is kept")
			}
			near(t, 1, c.edge(at, at+1).share, "all go on")
		}
	}
	require.Greater(t, straights, 900)
}

// A layer is not straight where a branch or a condition looks at the score, and where there are two numbers to keep.
func TestLayersThatAreNotStraight(t *testing.T) {
	count := func(change func(d *quiz.Document)) (straights []bool) {
		d := scored(4, 3, plain)
		change(d)
		m, err := newModel(context.Background(), d, nil)
		require.NoError(t, err)
		p, err := newPass(context.Background(), m, purpose{lines: true})
		require.NoError(t, err)
		c, err := p.run(context.Background(), spend{1 << 20, 1 << 30}, false)
		require.NoError(t, err)
		for i := range c.straight {
			straights = append(straights, c.straight[i].is)
		}
		return straights
	}
	over := rule.Condition{Fact: "scale.s", Op: rule.OpGe, Value: rule.One(rule.Scalar{Num: rule.Int(2), IsNum: true})}
	require.Equal(t, []bool{true, true, true, true}, count(func(*quiz.Document) {}))
	require.Equal(t, []bool{true, false, true, true}, count(func(d *quiz.Document) {
		d.Questions[1].Branches = []quiz.Branch{{When: over, Go: "finish"}}
	}))
	require.Equal(t, []bool{true, false, true, true}, count(func(d *quiz.Document) { d.Questions[2].VisibleIf = &over }))
	require.False(t, count(func(d *quiz.Document) {
		d.Scales = append(d.Scales, quiz.Scale{ID: "u"})
		for q := range d.Questions {
			d.Questions[q].Choices[q%3].Points["u"] = rule.Int(1)
		}
		u := over
		u.Fact = "scale.u"
		d.Verdicts = append([]quiz.Verdict{{When: &u, Outcome: "high"}}, d.Verdicts...)
	})[1])
}
