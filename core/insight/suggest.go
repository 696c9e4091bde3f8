package insight

import (
	"math"
	"slices"

	"omphalos/core/kind"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// Suggestion is weights that tell better who wins.
type Suggestion struct {
	Scale     string            `json:"scale"`
	AUCNow    float64           `json:"auc_now"`    // of the present weights
	AUCUnseen float64           `json:"auc_unseen"` // of such weights on responses that they were not made from
	Folds     int               `json:"folds"`
	Weights   []SuggestedWeight `json:"weights"`
}

// SuggestedWeight is what a choice gives now, and what it would give.
type SuggestedWeight struct {
	Question string      `json:"question"`
	Choice   string      `json:"choice"`
	Now      rule.Number `json:"now"`
	Points   int         `json:"points"`
}

// What advice rests on.
const (
	leastDeals   = 20 // won, and as many lost: below, weights say more of chance than of answers
	ridgePenalty = 1.0
	folds        = 10
	plainRange   = 10 // points that suggested weights span where the present ones span none
)

// won is what deals tell; nil where none is known.
func (l *Learner) won() *LearnedWon {
	if len(l.deals) == 0 {
		return nil
	}
	out := &LearnedWon{Scales: []LearnedScore{}}
	for _, d := range l.deals {
		if d.won {
			out.Won++
		} else {
			out.Lost++
		}
	}
	best, at := -1.0, -1
	for s := range l.c.Doc.Scales {
		a, ok := l.area(s)
		if !ok {
			continue
		}
		out.Scales = append(out.Scales, LearnedScore{l.c.Doc.Scales[s].ID, a.Value, a.Low, a.High})
		if a.Value > best {
			best, at = a.Value, s
		}
	}
	if min(out.Won, out.Lost) < leastDeals {
		out.Needs = leastDeals
		return out
	}
	if at >= 0 {
		out.Suggested = l.suggest(at, best)
	}
	return out
}

func (l *Learner) area(s int) (Area, bool) {
	var won, lost []float64
	for _, d := range l.deals {
		if d.won {
			won = append(won, d.scales[s])
		} else {
			lost = append(lost, d.scales[s])
		}
	}
	return AUC(won, lost)
}

// feature is one choice of one question.
type feature struct{ question, choice int }

// features are the choices that deals differ in.
func (l *Learner) features() []feature {
	var out []feature
	for i := range l.c.Doc.Questions {
		if q := &l.c.Doc.Questions[i]; kind.Of(q).About().Choices {
			for j := range q.Choices {
				out = append(out, feature{i, j})
			}
		}
	}
	return out
}

// rows are the deals as numbers: how often each choice was given.
func (l *Learner) rows(list []feature) (x [][]float64, won []bool) {
	for _, d := range l.deals {
		row := make([]float64, len(list))
		for k, f := range list {
			q := &l.c.Doc.Questions[f.question]
			if slices.Contains(d.path, q.ID) {
				row[k] = choiceValue(d.answers[q.ID], q.Choices[f.choice].ID)
			}
		}
		x, won = append(x, row), append(won, d.won)
	}
	return x, won
}

func choiceValue(a walk.Answer, choice string) float64 {
	n := 0.0
	for _, id := range a.Picks {
		if id == choice {
			n++
		}
	}
	for _, id := range a.Rows {
		if id == choice {
			n++
		}
	}
	return n
}

// suggest makes weights for a scale from the answers of those who won and lost.
func (l *Learner) suggest(scale int, now float64) *Suggestion {
	list := l.features()
	if len(list) == 0 {
		return nil
	}
	x, won := l.rows(list)
	fit, err := FitLogistic(x, won, ridgePenalty)
	if err != nil {
		return nil
	}
	unseen, ok := crossValidated(x, won)
	if !ok {
		return nil
	}
	id := l.c.Doc.Scales[scale].ID
	out := &Suggestion{Scale: id, AUCNow: now, AUCUnseen: unseen, Folds: folds, Weights: []SuggestedWeight{}}
	points := l.points(id, list, fit.Coefficients)
	for k, f := range list {
		q := &l.c.Doc.Questions[f.question]
		out.Weights = append(out.Weights, SuggestedWeight{q.ID, q.Choices[f.choice].ID, q.Choices[f.choice].Points[id], points[k]})
	}
	return out
}

// points brings coefficients to the range of the present points, in whole ones. Of a question with one answer only
// differences count: its least choice keeps the least of the present points.
func (l *Learner) points(scale string, list []feature, coefficients []float64) []int {
	type span struct{ least, most, now, nowMost float64 }
	spans := map[int]*span{}
	for k, f := range list {
		n := l.c.Doc.Questions[f.question].Choices[f.choice].Points[scale]
		s := spans[f.question]
		if s == nil {
			s = &span{math.Inf(1), math.Inf(-1), math.Inf(1), math.Inf(-1)}
			spans[f.question] = s
		}
		s.least, s.most = math.Min(s.least, coefficients[k]), math.Max(s.most, coefficients[k])
		s.now, s.nowMost = math.Min(s.now, n.Float()), math.Max(s.nowMost, n.Float())
	}
	fitted, present := 0.0, 0.0
	for _, s := range spans {
		fitted += s.most - s.least
		present += s.nowMost - s.now
	}
	if present == 0 {
		present = plainRange
	}
	factor := 0.0
	if fitted > 1e-9 {
		factor = present / fitted
	}
	out := make([]int, len(list))
	for k, f := range list {
		s := spans[f.question]
		if kind.Of(&l.c.Doc.Questions[f.question]).About().Many {
			out[k] = int(math.Round(coefficients[k] * factor))
		} else {
			out[k] = int(math.Round(s.now + (coefficients[k]-s.least)*factor))
		}
	}
	return out
}

// crossValidated is the area of predictions for each deal by a fit that has not seen it. Folds are fixed: the won and
// the lost are dealt out in turn, in their order.
func crossValidated(x [][]float64, won []bool) (float64, bool) {
	fold := make([]int, len(won))
	seen := map[bool]int{}
	for i, w := range won {
		fold[i] = seen[w] % folds
		seen[w]++
	}
	var hits, misses []float64
	for k := range folds {
		var train [][]float64
		var truth []bool
		for i := range x {
			if fold[i] != k {
				train, truth = append(train, x[i]), append(truth, won[i])
			}
		}
		fit, err := FitLogistic(train, truth, ridgePenalty)
		if err != nil {
			return 0, false
		}
		for i := range x {
			if fold[i] != k {
				continue
			}
			if p := fit.LogOdds(x[i]); won[i] {
				hits = append(hits, p)
			} else {
				misses = append(misses, p)
			}
		}
	}
	a, ok := AUC(hits, misses)
	return a.Value, ok
}
