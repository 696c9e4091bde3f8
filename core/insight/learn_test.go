package insight

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/walk"
)

// Wilson intervals and information of answers as other programs and publications give them: testdata/statistics.json (its
// source fields name scipy, R and Quinlan's Saturday mornings).
func TestStatisticsFromOutside(t *testing.T) {
	data, err := os.ReadFile("testdata/statistics.json")
	require.NoError(t, err)
	var s struct {
		Wilson95 []struct {
			X, N      int
			Low, High float64
		}
		Mornings struct {
			Rows [][]string
			Gain map[string]float64
		} `json:"info_gain_saturday_mornings"`
	}
	require.NoError(t, json.Unmarshal(data, &s))
	require.NotEmpty(t, s.Wilson95)
	for _, w := range s.Wilson95 {
		low, high := Wilson(Rate{w.X, w.N})
		require.InDelta(t, w.Low, low, 1e-9, "%d of %d", w.X, w.N)
		require.InDelta(t, w.High, high, 1e-9)
	}
	require.Len(t, s.Mornings.Rows, 14)
	for i, name := range []string{"outlook", "temperature", "humidity", "windy"} {
		var c Crossing
		for _, row := range s.Mornings.Rows {
			c.Add(row[i], row[4])
		}
		if want, given := s.Mornings.Gain[name]; given {
			require.InDelta(t, want, c.Information(), 1e-9, name)
		}
	}
	var outlook Crossing
	for _, row := range s.Mornings.Rows {
		outlook.Add(row[0], row[4])
	}
	require.InDelta(t, 0.246, outlook.Information(), 1e-3, "Quinlan 1986, Induction of decision trees, p. 90: 0.246 bits")
}

func table(t *testing.T, name string) []map[string]string {
	t.Helper()
	f, err := os.Open("testdata/" + name)
	require.NoError(t, err)
	defer f.Close()
	records, err := csv.NewReader(f).ReadAll()
	require.NoError(t, err)
	var out []map[string]string
	for _, r := range records[1:] {
		row := map[string]string{}
		for i, cell := range r {
			row[records[0][i]] = cell
		}
		out = append(out, row)
	}
	return out
}

// The logistic regression equals R's glm, and the areas under the curve and their DeLong intervals those of R's pROC, on
// the data set birthwt of R's package MASS (Hosmer & Lemeshow): testdata/won_birthwt*.
func TestDealsAsRComputesThem(t *testing.T) {
	var x [][]float64
	var won []bool
	is := func(yes bool) float64 {
		if yes {
			return 1
		}
		return 0
	}
	for _, r := range table(t, "won_birthwt.csv") {
		x = append(x, []float64{is(r["race"] == "black"), is(r["race"] == "other"), is(r["smoke"] == "yes"), is(r["ptl"] == "yes"), is(r["ht"] == "yes"), is(r["ui"] == "yes")})
		won = append(won, r["low"] == "1")
	}
	require.Len(t, x, 189)
	fit, err := FitLogistic(x, won, 0)
	require.NoError(t, err)
	glm := table(t, "won_birthwt_glm.csv")
	for i, term := range append([]float64{fit.Intercept}, fit.Coefficients...) {
		want, err := strconv.ParseFloat(glm[i]["coef"], 64)
		require.NoError(t, err)
		require.InDelta(t, want, term, 1e-6, glm[i]["term"])
	}
	data, err := os.ReadFile("testdata/won_birthwt_auc.json")
	require.NoError(t, err)
	type area struct{ AUC, Low, High float64 }
	var want struct {
		Score []float64
		Won   []int
		Hand  area `json:"auc_of_score"`
		Fit   area `json:"auc_of_fit_on_its_own_rows"`
	}
	require.NoError(t, json.Unmarshal(data, &want))
	same := func(want area, scores []float64, wins func(int) bool) {
		var hits, misses []float64
		for i, s := range scores {
			if wins(i) {
				hits = append(hits, s)
			} else {
				misses = append(misses, s)
			}
		}
		got, ok := AUC(hits, misses)
		require.True(t, ok)
		require.InDelta(t, want.AUC, got.Value, 1e-9)
		require.InDelta(t, want.Low, got.Low, 1e-9)
		require.InDelta(t, want.High, got.High, 1e-9)
	}
	same(want.Hand, want.Score, func(i int) bool { return want.Won[i] == 1 })
	var odds []float64
	for _, row := range x {
		odds = append(odds, math.Round(fit.LogOdds(row)*1e9)/1e9)
	}
	same(want.Fit, odds, func(i int) bool { return won[i] })
}

// bfi is the questionnaire of testdata/bfi_keys.csv: rating items from 1 to 6, five scales, some items reversed.
func bfi(t *testing.T) *quiz.Document {
	t.Helper()
	doc := map[string]any{"format": quiz.Format, "name": "bfi", "outcomes": []any{map[string]any{"id": "o"}}, "otherwise": "o"}
	var questions, scales []any
	seen := map[string]bool{}
	for _, k := range table(t, "bfi_keys.csv") {
		factor, offset := 1, 0
		if k["weight"] == "-1" {
			factor, offset = -1, 7
		}
		questions = append(questions, map[string]any{"id": k["item"], "kind": "rating", "from": 1, "to": 6,
			"linear": map[string]any{k["scale"]: map[string]any{"factor": factor, "offset": offset}}})
		if !seen[k["scale"]] {
			scales = append(scales, map[string]any{"id": k["scale"]})
		}
		seen[k["scale"]] = true
	}
	doc["questions"], doc["scales"] = questions, scales
	text, err := json.Marshal(doc)
	require.NoError(t, err)
	d, err := quiz.Read([]byte(strings.ToLower(string(text))))
	require.NoError(t, err)
	return d
}

// Alpha, item–rest correlations and means are those that the definitions give, worked out a second time from all pairs
// of answers (two passes, no covariance matrix).
func TestReliabilityByItsDefinition(t *testing.T) {
	d := bfi(t)
	c, err := walk.New(d)
	require.NoError(t, err)
	l := NewLearner(c)
	items := map[string][][]float64{} // by scale, the items of each complete respondent
	for _, r := range table(t, "bfi_responses_200.csv") {
		in := walk.Input{Answers: map[string]walk.Answer{}}
		for i := range d.Questions {
			q := &d.Questions[i]
			a, err := kind.Read(q, func(f string) []string { return []string{r[strings.ToUpper(f)]} })
			require.NoError(t, err)
			in.Answers[q.ID] = a
		}
		l.Add(in, c.Walk(in), nil)
		for _, s := range d.Scales {
			var x []float64
			whole := true
			for i := range d.Questions {
				if p, on := d.Questions[i].Linear[s.ID]; on {
					a := in.Answers[d.Questions[i].ID]
					if whole = whole && a.Number != nil; whole {
						x = append(x, p.Factor.Mul(*a.Number).Add(p.Offset).Float())
					}
				}
			}
			if whole {
				items[s.ID] = append(items[s.ID], x)
			}
		}
	}
	got := l.Learned(nil)
	require.Equal(t, 200, got.Responses)
	require.Nil(t, got.Won)
	for _, s := range got.Scales {
		x := items[s.ID]
		k := len(x[0])
		require.Equal(t, len(x), s.Complete)
		sum := func(skip int) []float64 {
			var out []float64
			for _, row := range x {
				total := 0.0
				for i, v := range row {
					if i != skip {
						total += v
					}
				}
				out = append(out, total)
			}
			return out
		}
		column := func(i int) []float64 {
			var out []float64
			for _, row := range x {
				out = append(out, row[i])
			}
			return out
		}
		alphaOf := func(skip int) float64 {
			n, traces := 0.0, 0.0
			for i := range k {
				if i != skip {
					n++
					traces += spread(column(i), column(i))
				}
			}
			return n / (n - 1) * (1 - traces/spread(sum(skip), sum(skip)))
		}
		require.InDelta(t, alphaOf(-1), *s.Alpha, 1e-9, s.ID)
		for i, it := range s.Items {
			rest := sum(i)
			want := spread(column(i), rest) / math.Sqrt(spread(column(i), column(i))*spread(rest, rest))
			require.InDelta(t, want, *it.ItemRest, 1e-9, it.ID)
			require.InDelta(t, alphaOf(i), *it.AlphaWithout, 1e-9, it.ID)
		}
		require.InDelta(t, math.Sqrt(spread(sum(-1), sum(-1))), *s.SD, 1e-9)
	}
}

// spread is the covariance by its definition.
func spread(x, y []float64) float64 {
	mx, my, sum := 0.0, 0.0, 0.0
	for i := range x {
		mx += x[i] / float64(len(x))
		my += y[i] / float64(len(y))
	}
	for i := range x {
		sum += (x[i] - mx) * (y[i] - my)
	}
	return sum / float64(len(x)-1)
}

// Advice is refused on too few deals, and said how many it needs; on enough it finds the answers that win, in whole
// points within the range of the present ones, though one answer is never lost and another is given once.
func TestSuggestedWeights(t *testing.T) {
	d, err := quiz.Read([]byte(`{"format": "omphalos-quiz/1", "name": "Deals", "scales": [{"id": "fit"}], "questions": [
		{"id": "size", "kind": "single", "required": true, "choices": [{"id": "s", "points": {"fit": 5}}, {"id": "m", "points": {"fit": 3}}, {"id": "l"}]},
		{"id": "when", "kind": "single", "choices": [{"id": "now"}, {"id": "later", "points": {"fit": 2}}]},
		{"id": "rare", "kind": "multiple", "choices": [{"id": "sure"}, {"id": "once"}]}], "outcomes": [{"id": "o"}], "otherwise": "o"}`))
	require.NoError(t, err)
	c, err := walk.New(d)
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(13, 1))
	l := NewLearner(c)
	for i := range 400 {
		size, when := []string{"s", "m", "l"}[r.IntN(3)], []string{"now", "later"}[r.IntN(2)]
		odds := map[string]float64{"s": -2, "m": 0, "l": 2}[size] + map[string]float64{"now": 1, "later": -1}[when]
		won := r.Float64() < 1/(1+math.Exp(-odds))
		in := walk.Input{Answers: map[string]walk.Answer{"size": {Picks: []string{size}}, "when": {Picks: []string{when}}}}
		if won && i%10 == 0 {
			in.Answers["rare"] = walk.Answer{Picks: []string{"sure"}}
		}
		if i == 7 {
			in.Answers["rare"] = walk.Answer{Picks: []string{"once"}}
		}
		l.Add(in, c.Walk(in), &won)
		if i == 20 {
			early := l.Learned(nil).Won
			require.Nil(t, early.Suggested)
			require.Equal(t, leastDeals, early.Needs)
		}
	}
	w := l.Learned(nil).Won
	require.Equal(t, 400, w.Won+w.Lost)
	require.Less(t, w.Scales[0].High, 0.5, "the present weights are the wrong way round")
	s := w.Suggested
	require.NotNil(t, s)
	require.Greater(t, s.AUCUnseen, 0.75)
	points := map[string]int{}
	for _, x := range s.Weights {
		points[x.Question+" "+x.Choice] = x.Points
	}
	require.Less(t, points["size s"], points["size m"])
	require.Less(t, points["size m"], points["size l"])
	require.Less(t, points["when later"], points["when now"])
	require.LessOrEqual(t, points["size l"]-points["size s"]+points["when now"]-points["when later"], 8, "the present points span 7, and rounding one more")
	again := l.Learned(nil).Won.Suggested
	require.Equal(t, s, again, "folds are fixed")
}

// Separation does not run off to infinity where there is a penalty, and is told where there is none.
func TestSeparation(t *testing.T) {
	x, won := [][]float64{{0}, {0}, {1}, {1}}, []bool{false, false, true, true}
	fit, err := FitLogistic(x, won, 1)
	require.NoError(t, err)
	require.Less(t, fit.Coefficients[0], 3.0)
	require.Greater(t, fit.Coefficients[0], 0.5)
	_, err = FitLogistic(nil, nil, 1)
	require.Error(t, err)
}

// The area under the curve is the share of pairs, ties counting half.
func TestAreaIsTheShareOfPairs(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for range 200 {
		won, lost := make([]float64, 1+r.IntN(12)), make([]float64, 1+r.IntN(12))
		for i := range won {
			won[i] = float64(r.IntN(6))
		}
		for i := range lost {
			lost[i] = float64(r.IntN(6))
		}
		want := 0.0
		for _, a := range won {
			for _, b := range lost {
				switch {
				case a > b:
					want++
				case a == b:
					want += 0.5
				}
			}
		}
		got, ok := AUC(won, lost)
		require.True(t, ok)
		require.InDelta(t, want/float64(len(won)*len(lost)), got.Value, 1e-12)
	}
	_, ok := AUC(nil, []float64{1})
	require.False(t, ok)
}

// Whatever the quiz, counts add up and shares are shares.
func TestLearningFromRandomQuizzes(t *testing.T) {
	r := rand.New(rand.NewPCG(13, 2))
	for range 200 {
		d := quiztest.Random(r, quiztest.Size{Questions: 5, Choices: 4})
		c, err := walk.New(d)
		require.NoError(t, err)
		l := NewLearner(c)
		n := r.IntN(40)
		for range n {
			in := walk.Input{Answers: map[string]walk.Answer{}}
			for i := range d.Questions {
				all := quiztest.Answers(&d.Questions[i])
				in.Answers[d.Questions[i].ID] = all[r.IntN(len(all))]
			}
			l.Add(in, c.Walk(in), nil)
		}
		got := l.Learned(nil)
		sum := 0
		for _, o := range got.Outcomes {
			sum += o.Count
			require.LessOrEqual(t, o.Low, o.Share+1e-12)
			require.GreaterOrEqual(t, o.High, o.Share-1e-12)
		}
		require.Equal(t, n, sum)
		for i, q := range got.Questions {
			answered := 0
			for _, x := range q.Choices {
				answered += x.Count
			}
			if k := d.Questions[i].Kind; k == quiz.Single || k == quiz.Rating || k == quiz.NumberQ {
				require.Equal(t, q.Asked-q.Blank, answered, fmt.Sprint(q))
			}
			require.GreaterOrEqual(t, q.Information, 0.0)
		}
		_, err = json.Marshal(got)
		require.NoError(t, err)
	}
}

func TestReplayedRows(t *testing.T) {
	var r Replay
	require.Equal(t, &Replayed{Moves: []Move{}}, r.Replayed())
	for row := 1; row <= 60; row++ {
		switch {
		case row%10 == 0:
			r.Unusable(row)
		case row%3 == 0:
			r.Add(row, "a", "b")
		case row%7 == 0:
			r.Add(row, "b", "a")
		default:
			r.Add(row, "a", "a")
		}
	}
	got := r.Replayed()
	require.Equal(t, 54, got.Rows)
	require.Equal(t, []int{10, 20, 30, 40, 50, 60}, got.Unusable)
	require.Equal(t, "a", got.Moves[0].From)
	require.Equal(t, 18, got.Moves[0].Count)
	require.Equal(t, got.Moved, got.Moves[0].Count+got.Moves[1].Count)
	require.Equal(t, []int{3, 6, 9}, got.Moves[0].Rows[:3])
}
