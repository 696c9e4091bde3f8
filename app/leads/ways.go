package leads

import (
	"fmt"

	"omphalos/app/page"
	"omphalos/app/store/responses"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// wayOn is where some of those who finished went on from a question.
type wayOn struct {
	To    string
	Share string
	Count int
}

// onwardKey is what it depends on where people went on: the draft, and who has come.
type onwardKey struct {
	quiz     string
	revision int
	came     string
}

// onward tells, for each question of the draft that branches, where those who finished last went on from it; tallies do
// not know who went which way.
func (h *Handler) onward(d *workbench.Draft) (map[string][]wayOn, error) {
	branching := map[string]bool{}
	for i := range d.Doc.Questions {
		if q := &d.Doc.Questions[i]; len(q.Branches) > 0 {
			branching[q.ID] = true
		}
	}
	if len(branching) == 0 {
		return nil, nil
	}
	key := onwardKey{d.Quiz.ID, d.Quiz.Revision, countsStamp(d.Counts)}
	return h.onwards.Get(key, func() (map[string][]wayOn, int, error) {
		const weight = 256 // bytes of a question and where its people went, about
		went, err := h.countSteps(d, branching)
		out := map[string][]wayOn{}
		for id, to := range went {
			out[id] = waysOn(d.Doc, to)
		}
		return out, weight * (1 + len(out)), err
	})
}

// countSteps counts where the last who finished went on from some questions, by question and where to; "" is the end.
func (h *Handler) countSteps(d *workbench.Draft, from map[string]bool) (map[string]map[string]int, error) {
	walks := map[int]*walk.Compiled{}
	went := map[string]map[string]int{}
	n := 0
	reader := h.Store.Responses.Reader(d.Quiz.ID, responses.Genuine)
	for r, err := range reader.Only(responses.Filter{Import: responses.NotImported}).Lean().Newest() {
		if err != nil {
			return nil, err
		}
		if n++; n > mostLooked {
			break
		}
		c := walks[r.Version]
		if c == nil {
			doc, err := h.Store.Documents.VersionDocument(d.Quiz.ID, r.Version)
			if err == nil {
				c, err = walk.New(doc)
			}
			if err != nil {
				return nil, err
			}
			walks[r.Version] = c
		}
		a, err := r.Answered()
		if err != nil {
			return nil, err
		}
		path := c.Walk(inputOf(d, a)).Path
		for i, id := range path {
			if !from[id] {
				continue
			}
			to := ""
			if i+1 < len(path) {
				to = path[i+1]
			}
			if went[id] == nil {
				went[id] = map[string]int{}
			}
			went[id][to]++
		}
	}
	return went, nil
}

// waysOn lists where people went on to, in the order of the questions, the end last.
func waysOn(d *quiz.Document, to map[string]int) []wayOn {
	all := total(to)
	var out []wayOn
	put := func(name, id string) {
		if n := to[id]; n > 0 {
			out = append(out, wayOn{name, page.Percent(float64(n) / float64(all)), n})
		}
	}
	for i := range d.Questions {
		put(fmt.Sprint(i+1), d.Questions[i].ID)
	}
	put("the end", "")
	return out
}
