package verdicts

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/page"
	"omphalos/app/store/documents"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/reach"
	"omphalos/core/rule"
)

func count(t *testing.T, d *quiz.Document, o reach.Options) *workbench.Counted {
	t.Helper()
	r, err := reach.Check(t.Context(), d, o)
	require.NoError(t, err)
	return &workbench.Counted{Draft: &workbench.Draft{Doc: d, Quiz: &documents.Quiz{ID: "x"}, Marks: page.Marks(d)}, Report: r, Options: o, Context: t.Context()}
}

// The shares of a leader line by its own rule are those of the report; by any other rule they come to the same in all,
// as a tie moves people from one keyword to another and never out of the line.
func TestSharesByEveryTieRule(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 9))
	lines, moved := 0, 0
	for range 150 {
		d := quiztest.Random(r, quiztest.Size{Questions: 4, Choices: 3})
		if len(d.Keywords) < 2 {
			continue
		}
		d.Verdicts = []quiz.Verdict{{Leader: &quiz.Leader{Outcomes: map[string]string{}, Ties: "order"}}}
		for i, k := range d.Keywords {
			d.Verdicts[0].Leader.Outcomes[k.ID] = d.Outcomes[i%len(d.Outcomes)].ID
		}
		require.Empty(t, d.Validate())
		v := count(t, d, reach.Options{})
		own := sharesByLine(v.Report)[1]
		again, err := byRule(v, 0, "order")
		require.NoError(t, err)
		sum := func(shares map[int]float64) (all float64) {
			for _, s := range shares {
				all += s
			}
			return all
		}
		for k, s := range own {
			require.InDelta(t, s, again[k], 1e-12)
		}
		for _, ties := range []string{"latest", "question:" + d.Questions[0].ID} {
			other, err := byRule(v, 0, ties)
			require.NoError(t, err)
			require.InDelta(t, sum(own), sum(other), 1e-9, ties)
			for k := range own {
				if diff := own[k] - other[k]; diff > 1e-9 || diff < -1e-9 {
					require.True(t, hasTies(v, 0), "without a tie no rule changes anything")
					moved++
				}
			}
		}
		require.Equal(t, "order", d.Verdicts[0].Leader.Ties, "the draft itself stays")
		lines++
	}
	require.Greater(t, lines, 50)
	require.Positive(t, moved)
}

// Why no tie is spoken of is said: there is none, or it was not counted.
func TestNotesOfTies(t *testing.T) {
	d := quiz.New("Ties")
	d.Keywords = []quiz.Keyword{{ID: "a"}, {ID: "b"}}
	d.Questions = []quiz.Question{{ID: "q", Kind: quiz.Single, Required: true, Choices: []quiz.Choice{{ID: "x", Votes: votes("a")}, {ID: "y", Votes: votes("b")}}}}
	d.Verdicts = []quiz.Verdict{{Leader: &quiz.Leader{Outcomes: map[string]string{"a": "thanks", "b": "thanks"}, Ties: "order"}}}
	require.Equal(t, "No ties are possible here.", tieNote(count(t, d, reach.Options{}), 0))
	d.Questions[0].Choices = append(d.Questions[0].Choices, quiz.Choice{ID: "both", Votes: votes("a", "b")})
	require.Empty(t, tieNote(count(t, d, reach.Options{}), 0), "the finding says it")
	for _, id := range []string{"r", "s", "t"} {
		q := d.Questions[0]
		q.ID = id
		q.Choices = []quiz.Choice{{ID: "x", Votes: votes("a")}, {ID: "y", Votes: votes("b")}}
		d.Questions = append(d.Questions, q)
	}
	simulated := count(t, d, reach.Options{Budget: 1})
	require.False(t, simulated.Report.Exact)
	require.Equal(t, "The share of ties isn’t available when shares are estimated.", tieNote(simulated, 0))
}

func votes(ids ...string) map[string]rule.Number {
	out := map[string]rule.Number{}
	for _, id := range ids {
		out[id] = rule.Int(1)
	}
	return out
}
