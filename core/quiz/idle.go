package quiz

import (
	"bytes"
	"encoding/json"
	"regexp"

	"omphalos/core/rule"
)

// IdleColumns finds scales and keywords that answers are weighed on and that nothing looks at: no line, branch,
// formula, text or address. They decide nothing, which is seldom meant.
func (d *Document) IdleColumns() Problems {
	weighed := d.weighed()
	rest := *d
	rest.Scales, rest.Keywords, rest.Translations = nil, nil, nil
	rest.Questions = append([]Question{}, d.Questions...)
	for i := range rest.Questions { // what is left names a column only where it looks at it
		q := &rest.Questions[i]
		q.Steps, q.Linear = nil, nil
		q.Choices = append([]Choice{}, q.Choices...)
		for j := range q.Choices {
			q.Choices[j].Points, q.Choices[j].Votes = nil, nil
		}
	}
	text, err := json.Marshal(&rest)
	if err != nil {
		return nil // a document is always JSON
	}
	uses := func(kinds, id string) bool { // the whole id: a look at scale.fitness is none at scale.fit
		return regexp.MustCompile(`(` + kinds + `)\.` + regexp.QuoteMeta(id) + `\W`).Match(text)
	}
	var ps Problems
	for i := range d.Scales {
		s := &d.Scales[i]
		if weighed[s.ID] && !uses("scale|percent|percentile", s.ID) && !d.Settings.ShowScore {
			ps.add(Pointer("scales", i), useInVerdictsOrIn.With(), answersGivePointsOnBut.With(quoteTitle(s.Title())))
		}
	}
	leads := bytes.Contains(text, []byte(`"leader"`)) || bytes.Contains(text, []byte(`"of":"keywords"`))
	for i := range d.Keywords {
		k := &d.Keywords[i]
		if weighed["#"+k.ID] && !leads && !uses("keyword", k.ID) {
			ps.add(Pointer("keywords", i), addLeadingKeywordLineIn.With(), answersVoteButNothingUses.With(quoteTitle(k.Title())))
		}
	}
	return ps
}

// weighed are the scales, and with # before them the keywords, that some answer gives something.
func (d *Document) weighed() map[string]bool {
	out := map[string]bool{}
	see := func(mark string, m map[string]rule.Number) {
		for id, n := range m {
			out[mark+id] = out[mark+id] || n.Sign() != 0
		}
	}
	for i := range d.Questions {
		q := &d.Questions[i]
		for j := range q.Choices {
			see("", q.Choices[j].Points)
			see("#", q.Choices[j].Votes)
		}
		for j := range q.Steps {
			see("", q.Steps[j].Points)
			see("#", q.Steps[j].Votes)
		}
		for id, l := range q.Linear {
			out[id] = out[id] || l.Factor.Sign() != 0
		}
	}
	return out
}
