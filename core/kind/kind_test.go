package kind

import (
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/rule"
	"omphalos/core/say"
)

// fresh is a question of a kind as it begins.
func fresh(name Name) *Question {
	q := Of(&Question{Kind: name}).Fresh()[0].Make()
	q.ID = "q"
	return &q
}

func TestEveryKindSaysWhatItIs(t *testing.T) {
	words := map[string]bool{}
	for _, name := range Names {
		about := Of(&Question{Kind: name}).About()
		require.Equal(t, name, about.Name)
		require.False(t, words[about.Words], "two kinds are called %s", about.Words)
		words[about.Words] = true
		require.Empty(t, faults(fresh(name)), "a new question can be asked")
		for _, f := range Of(fresh(name)).Facts(fresh(name)) {
			require.NotEmpty(t, f.Type.Ops())
		}
	}
	require.Equal(t, ShortText, Of(&Question{Kind: "slider"}).About().Name, "an unknown kind takes text")
}

func faults(q *Question) []string {
	var out []string
	Validate(q, func(at string, _, _ say.Text) { out = append(out, at) })
	return out
}

func TestRankingsThatCannotBe(t *testing.T) {
	seven := func(q *Question) {
		for _, id := range []string{"a", "b", "c", "d", "e", "f", "g", "h", "i"} {
			q.Choices = append(q.Choices, Choice{ID: id})
		}
	}
	for name, c := range map[string]struct {
		change func(q *Question)
		want   []string
	}{
		"as it begins":     {func(*Question) {}, nil},
		"no choices":       {func(q *Question) { q.Choices = nil }, []string{"/choices"}},
		"least over most":  {func(q *Question) { q.Least, q.Most = 3, 2 }, []string{"/least"}},
		"more than all":    {func(q *Question) { q.Most = 4 }, []string{"/least"}},
		"too many orders":  {func(q *Question) { q.Choices = nil; seven(q) }, []string{""}},
		"few of many":      {func(q *Question) { q.Choices = nil; seven(q); q.Most = 3 }, nil},
		"places":           {func(q *Question) { q.Places = []rule.Number{rule.Int(3), rule.Int(1)} }, nil},
		"places elsewhere": {func(q *Question) { q.Kind, q.Places = Single, []rule.Number{rule.Int(3)} }, []string{"/places"}},
	} {
		t.Run(name, func(t *testing.T) {
			q := fresh(Ranking)
			c.change(q)
			require.Equal(t, c.want, faults(q))
		})
	}
}

// orders are all allowed orders, found by trying each.
func orders(q *Question, first []string) [][]string {
	least, most := Of(q).Picks(q)
	var out [][]string
	if len(first) >= least && len(first) > 0 {
		out = append(out, slices.Clone(first))
	}
	for _, c := range q.Choices {
		if len(first) < most && !slices.Contains(first, c.ID) {
			out = append(out, orders(q, append(slices.Clone(first), c.ID))...)
		}
	}
	return out
}

// The best sum, the number of orders and those drawn are as of all orders, one by one.
func TestRankingsEqualAllOrders(t *testing.T) {
	const seed = 30
	r := rand.New(rand.NewPCG(seed, 1))
	for n := range 300 {
		q := fresh(Ranking)
		q.Choices, q.Required = nil, r.IntN(2) == 0
		points := make([]rule.Number, 1+r.IntN(5))
		for j := range points {
			points[j] = rule.Int(int64(r.IntN(9) - 3))
			q.Choices = append(q.Choices, Choice{ID: string(rune('a' + j))})
		}
		q.Most = r.IntN(len(points) + 1)
		q.Least = r.IntN(max(1, q.most()) + 1)
		for range r.IntN(4) {
			q.Places = append(q.Places, rule.Int(int64(r.IntN(6)-2)))
		}
		all := orders(q, nil)
		best, found := rule.Number{}, !q.Required
		for _, order := range all {
			sum := rule.Number{}
			Of(
				q,
			).Counts(q, ordered(order), func(choice int, times rule.Number) { sum = sum.Add(points[choice].Mul(times)) })
			if !found || sum.Cmp(best) > 0 {
				best, found = sum, true
			}
		}
		got := Of(q).Best(q, func(j int) rule.Number { return points[j] }, nil)
		require.Zero(t, best.Cmp(got), "seed %d, quiz %d: %s, not %s", seed, n, best, got)
		l := &Listing{Question: q, Shares: func(string) map[string]float64 { return nil }}
		require.Equal(t, big.NewInt(int64(len(all))+l.blanks()), Of(q).Count(l))
		draw := Of(q).Draw(l, r)
		for range 20 {
			a := draw()
			require.True(
				t,
				a.Blank() && !q.Required ||
					slices.ContainsFunc(all, func(o []string) bool { return slices.Equal(o, a.Picks) }),
			)
		}
	}
}

// What exports say of several answers is read again, whatever stands in the labels.
func TestAnswersInWords(t *testing.T) {
	several := &Question{ID: "q", Kind: Multiple, Choices: []Choice{
		{ID: "a", Label: "Ferns"}, {ID: "b", Label: "Ferns, large"}, {ID: "c", Label: "Moss"},
	}}
	order := &Question{ID: "q", Kind: Ranking, Choices: several.Choices}
	for name, c := range map[string]struct {
		q    *Question
		text string
		want []string
		no   bool
	}{
		"labels":           {q: several, text: "Ferns, Moss", want: []string{"a", "c"}},
		"a comma in one":   {q: several, text: "Ferns, large, Moss", want: []string{"b", "c"}},
		"ids":              {q: several, text: "a, b", want: []string{"a", "b"}},
		"an order":         {q: order, text: "Moss › Ferns, large", want: []string{"c", "b"}},
		"an order of ids":  {q: order, text: "c, a", want: []string{"c", "a"}},
		"something else":   {q: several, text: "Ferns and Moss", no: true},
		"one that is gone": {q: several, text: "Ferns, Ivy", no: true},
	} {
		t.Run(name, func(t *testing.T) {
			got, ok := PicksInWords(c.q, c.text)
			require.Equal(t, !c.no, ok)
			require.Equal(t, c.want, got)
		})
	}
	bare := &Question{ID: "q", Kind: Multiple, Choices: []Choice{{ID: "a"}}} // each name is tried twice
	_, ok := PicksInWords(bare, strings.Repeat("a, ", 2000)+"b")
	require.False(t, ok)
	rows := &Question{
		ID:      "g",
		Kind:    Grid,
		Rows:    []Row{{ID: "r", Label: "Watering"}, {ID: "t"}},
		Choices: several.Choices,
	}
	a := Answer{Rows: map[string]string{"r": "b", "t": "c"}}
	got, ok := RowsInWords(rows, a.Words(rows))
	require.True(t, ok)
	require.Equal(t, a.Rows, got)
	_, ok = RowsInWords(rows, "Watering: Ivy")
	require.False(t, ok)
}

func TestTypesOfAnswersThatDocumentsGive(t *testing.T) {
	two := rule.Int(2)
	for _, name := range Names {
		q := fresh(name)
		if name == Statement {
			continue
		}
		wrong := Given{Number: &two}
		if Of(q).About().Range {
			wrong = Given{Text: "two"}
		}
		_, err := Of(q).Take(q, wrong)
		require.Error(t, err, name)
	}
}
