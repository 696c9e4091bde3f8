package walk

import (
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// Failed says what of a verdict line did not hold; "" for the line that decides.
func (t Tried) Failed(d *quiz.Document) string {
	if t.Holds {
		return ""
	}
	shown := Shown(t.Value)
	if i := d.Question(strings.TrimPrefix(t.Fact, "answer.")); i >= 0 && t.Value.Kind != rule.Blank {
		if at := d.Questions[i].Choice(t.Value.String()); at >= 0 {
			shown = "“" + d.Questions[i].Choices[at].Title() + "”"
		}
	}
	switch {
	case t.Part != nil && t.Fact != "":
		return d.Sentence(t.Part) + ": it is " + shown
	case t.Part != nil:
		return d.Sentence(t.Part)
	case t.Fact != "":
		return strings.TrimSuffix(d.FactName(t.Fact), ",") + " is " + shown + ", below all cut points"
	}
	return "no row or keyword matches"
}
