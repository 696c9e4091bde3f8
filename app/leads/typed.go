package leads

import (
	"maps"
	"slices"
	"time"

	"omphalos/app/store/responses"
	"omphalos/app/workbench"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// saidText is what someone typed.
type saidText struct{ Lead, Text string }

// Of typed answers so many are shown, from among so many responses.
const (
	mostSaid    = 5
	mostLooked  = 500
	saidLetters = 160
)

// typedAnswers is what was typed in the newest responses, which tallies do not hold, by question: texts, and the months
// of dates by outcome.
type typedAnswers struct {
	texts  map[string][]saidText
	months map[string]map[string]map[string]int // by question, month and outcome
}

func newSaid() *typedAnswers {
	return &typedAnswers{map[string][]saidText{}, map[string]map[string]map[string]int{}}
}

// isTyped reports whether someone types an answer to a question, or next to its choices.
func isTyped(q *quiz.Question) bool {
	about := kind.Of(q).About()
	return about.Typed && !about.Personal && !about.Range ||
		slices.ContainsFunc(q.Choices, func(c quiz.Choice) bool { return c.Other })
}

// readTyped reads what was typed.
func (h *Handler) readTyped(d *workbench.Draft) (*typedAnswers, error) {
	out := newSaid()
	asked := map[string]*quiz.Question{}
	for i := range d.Doc.Questions {
		if q := &d.Doc.Questions[i]; isTyped(q) {
			asked[q.ID] = q
		}
	}
	if len(asked) == 0 {
		return out, nil
	}
	n := 0
	reader := h.Store.Responses.Reader(d.Quiz.ID, responses.Genuine)
	for r, err := range reader.Only(responses.Filter{Import: responses.NotImported}).Lean().Newest() {
		if err != nil {
			return nil, err
		}
		if n++; n > mostLooked {
			break
		}
		a, err := r.Answered()
		if err != nil {
			return nil, err
		}
		for id, q := range asked {
			out.add(q, r, a.Answers[id])
		}
	}
	return out, nil
}

func (s *typedAnswers) add(q *quiz.Question, r *responses.Response, a walk.Answer) {
	if kind.Of(q).About().Day {
		day, err := time.Parse(time.DateOnly, a.Text)
		if err != nil {
			return // left blank
		}
		month := day.Format("2006-01")
		if s.months[q.ID] == nil {
			s.months[q.ID] = map[string]map[string]int{}
		}
		if s.months[q.ID][month] == nil {
			s.months[q.ID][month] = map[string]int{}
		}
		s.months[q.ID][month][r.Outcome]++
		return
	}
	text := quiz.FirstOf(a.Text, a.Other)
	if text != "" && len(s.texts[q.ID]) < mostSaid {
		s.texts[q.ID] = append(s.texts[q.ID], saidText{r.ID, quiz.Shorten(text, saidLetters)})
	}
}

// mostMonths is how many months of dates are shown one by one; more are put together by year.
const mostMonths = 18

// months adds a bar for each month of the dates that were answered.
func (v *questionView) months(d *workbench.Draft, byMonth map[string]map[string]int) {
	if len(byMonth) > mostMonths {
		years := map[string]map[string]int{}
		for month, outcomes := range byMonth {
			year := month[:4]
			if years[year] == nil {
				years[year] = map[string]int{}
			}
			for outcome, n := range outcomes {
				years[year][outcome] += n
			}
		}
		byMonth = years
	}
	all := 0
	for _, outcomes := range byMonth {
		all += total(outcomes)
	}
	for _, month := range slices.Sorted(maps.Keys(byMonth)) {
		name := month
		if day, err := time.Parse("2006-01", month); err == nil {
			name = day.Format("January 2006")
		}
		v.bar(d, byMonth[month], name, all, "")
	}
	if all > 0 {
		v.Texts, v.Dates = false, true
	}
}
