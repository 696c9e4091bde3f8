// Package walk takes one respondent through a quiz. Answers go in; the path, points, votes, the outcome and the reason
// for each come out.
package walk

import (
	"encoding/json"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// Answer is what a respondent answered to one question. The zero Answer is blank.
type Answer struct {
	Picks  []string          `json:"picks,omitempty"`  // ids of choices, in the order of the question's choices
	Number *rule.Number      `json:"number,omitempty"` // of a rating or number
	Text   string            `json:"text,omitempty"`   // of the text kinds, email, phone, date; "yes" of a consent
	Rows   map[string]string `json:"rows,omitempty"`   // of a grid: row id to choice id; blank rows are left out
	Other  string            `json:"other,omitempty"`  // the fill-in of an "other" choice
}

// Blank reports whether nothing was answered.
func (a Answer) Blank() bool {
	return len(a.Picks) == 0 && a.Number == nil && a.Text == "" && len(a.Rows) == 0
}

// Fields writes the answer as form fields: the question's id to the ids of picks, the number or the text;
// a grid row under ID.ROW. A blank answer has no fields.
func (a Answer) Fields(q *quiz.Question) map[string][]string {
	out := map[string][]string{}
	switch {
	case len(a.Picks) > 0:
		out[q.ID] = a.Picks
	case a.Number != nil:
		out[q.ID] = []string{a.Number.String()}
	case a.Text != "":
		out[q.ID] = []string{a.Text}
	}
	for row, choice := range a.Rows {
		out[q.ID+"."+row] = []string{choice}
	}
	if a.Other != "" {
		out[q.ID+".other"] = []string{a.Other}
	}
	return out
}

// FieldNames returns the names of the form fields that hold the question's answer.
func FieldNames(q *quiz.Question) []string {
	if q.Kind != quiz.Grid {
		return []string{q.ID}
	}
	names := make([]string, len(q.Rows))
	for i, r := range q.Rows {
		names[i] = q.ID + "." + r.ID
	}
	return names
}

// Takes reports whether the document takes answers that were given to another one: no question of them no longer
// exists, and each can still be answered so.
func (c *Compiled) Takes(answers map[string]Answer) bool {
	for id, a := range answers {
		i := c.Doc.Question(id)
		switch {
		case i < 0:
			return false
		case a.Blank() || c.Doc.Questions[i].ChoicesFrom != nil:
			continue
		}
		q := &c.Doc.Questions[i]
		if q.Kind == quiz.Single && len(a.Picks) == 1 && a.Other == "" { // as nearly all are
			if q.Choice(a.Picks[0]) < 0 {
				return false
			}
			continue
		}
		fields := a.Fields(q)
		if _, err := Parse(q, func(name string) []string { return fields[name] }); err != nil {
			return false
		}
	}
	return true
}

// Parse reads an answer from named fields, each with its values: choice ids or labels, a number, or text.
// It refuses what the question does not allow. Whether a required question may be blank is for Check to say.
func Parse(q *quiz.Question, get func(field string) []string) (Answer, error) {
	values := func(field string) []string {
		var out []string
		for _, v := range get(field) {
			if v = strings.TrimSpace(v); v != "" {
				out = append(out, v)
			}
		}
		return out
	}
	if q.Kind == quiz.Grid {
		return parseGrid(q, values)
	}
	given := values(q.ID)
	if len(given) == 0 || q.Kind == quiz.Statement {
		return Answer{}, nil
	}
	if q.Kind != quiz.Multiple && len(given) > 1 {
		return Answer{}, fault(q.ID, "one_answer", len(given))
	}
	switch q.Kind {
	case quiz.Single, quiz.Multiple:
		if q.ChoicesFrom != nil {
			return Answer{Text: given[0]}, nil
		}
		a, err := pick(q, given)
		if err == nil && slices.ContainsFunc(a.Picks, func(id string) bool { return q.Choices[q.Choice(id)].Other }) {
			a.Other = strings.Join(values(q.ID+".other"), " ")
			if limit := MaxText(q); utf8.RuneCountInString(a.Other) > limit {
				return Answer{}, fault(q.ID, "characters", limit)
			}
		}
		return a, err
	case quiz.Rating, quiz.NumberQ:
		n, err := rule.ParseNumber(strings.Replace(given[0], "−", "-", 1))
		if err != nil {
			return Answer{}, fault(q.ID, "number_such", example(q))
		}
		if err := offRange(q, n); err != nil {
			return Answer{}, err
		}
		return Answer{Number: &n}, nil
	case quiz.Consent:
		if !slices.Contains([]string{"yes", "on", "true", "1"}, strings.ToLower(given[0])) {
			return Answer{}, fault(q.ID, "tick_or_not")
		}
		return Answer{Text: "yes"}, nil
	case quiz.Email:
		if !quiz.ValidEmail(given[0]) {
			return Answer{}, fault(q.ID, "email")
		}
	case quiz.Date:
		if !validDate(given[0]) {
			return Answer{}, fault(q.ID, "date")
		}
	}
	if limit := MaxText(q); utf8.RuneCountInString(given[0]) > limit {
		return Answer{}, fault(q.ID, "characters", limit)
	}
	return Answer{Text: given[0]}, nil
}

// MaxText is how many characters a typed answer has at most.
func MaxText(q *quiz.Question) int {
	if q.Kind == quiz.LongText {
		return 10_000
	}
	return 500
}

func example(q *quiz.Question) string {
	if q.From != nil {
		return q.From.String()
	}
	return "12"
}

func parseGrid(q *quiz.Question, values func(string) []string) (Answer, error) {
	rows := map[string]string{}
	for _, r := range q.Rows {
		field := q.ID + "." + r.ID
		given := values(field)
		if len(given) == 0 {
			continue
		}
		if len(given) > 1 {
			return Answer{}, fault(field, "one_answer", len(given))
		}
		id, err := choiceOf(q, field, given[0])
		if err != nil {
			return Answer{}, err
		}
		rows[r.ID] = id
	}
	if len(rows) == 0 {
		rows = nil
	}
	return Answer{Rows: rows}, nil
}

// pick turns ids or labels into picks in the order of the choices, and checks their number.
func pick(q *quiz.Question, given []string) (Answer, error) {
	picked := map[string]bool{}
	for _, v := range given {
		id, err := choiceOf(q, q.ID, v)
		if err != nil {
			return Answer{}, err
		}
		picked[id] = true
	}
	var a Answer
	for _, c := range q.Choices {
		if !picked[c.ID] {
			continue
		}
		if c.Exclusive && len(picked) > 1 && q.Kind == quiz.Multiple {
			return Answer{}, fault(q.ID, "alone", c.Title())
		}
		a.Picks = append(a.Picks, c.ID)
	}
	if q.Kind == quiz.Multiple {
		least, most := q.Picks()
		if n := len(a.Picks); n > most {
			return Answer{}, fault(q.ID, "choose_most", most, n)
		} else if n < least {
			return Answer{}, fault(q.ID, "choose_least", least, n)
		}
	}
	return a, nil
}

// choiceOf finds a choice by id, else by its label.
func choiceOf(q *quiz.Question, field, v string) (string, error) {
	if q.Choice(v) >= 0 {
		return v, nil
	}
	found := ""
	for _, c := range q.Choices {
		if strings.EqualFold(strings.TrimSpace(c.Label), v) {
			if found != "" {
				return "", fault(field, "two_choices", v)
			}
			found = c.ID
		}
	}
	if found == "" {
		return "", fault(field, "not_a_choice", v)
	}
	return found, nil
}

// offRange says why n is not a value of the question; nil when it is one.
func offRange(q *quiz.Question, n rule.Number) error {
	bound := func(n *rule.Number) string { return strings.TrimSpace(n.String() + " " + q.Unit) }
	low, high := q.From != nil && n.Cmp(*q.From) < 0, q.To != nil && n.Cmp(*q.To) > 0
	switch {
	case (low || high) && q.From != nil && q.To != nil:
		return fault(q.ID, "number_range", q.From, bound(q.To))
	case low:
		return fault(q.ID, "number_least", bound(q.From))
	case high:
		return fault(q.ID, "number_most", bound(q.To))
	}
	switch {
	case n.Cmp(rule.Largest) > 0:
		return fault(q.ID, "number_most", rule.Largest)
	case n.Cmp(rule.Largest.Neg()) < 0:
		return fault(q.ID, "number_least", rule.Largest.Neg())
	}
	base := rule.Int(0)
	if q.From != nil {
		base = *q.From
	}
	if step := q.Increment(); !rule.Ratio(n.Sub(base), step).IsInt() {
		if step.Cmp(rule.Int(1)) == 0 && base.IsInt() {
			return fault(q.ID, "number_whole")
		}
		return fault(q.ID, "number_steps", step, base)
	}
	if places, ok := n.Places(); !ok || places > rule.MaxPlaces {
		return fault(q.ID, "decimals", rule.MaxPlaces)
	}
	return nil
}

// Check says whether the question takes this answer as final: a required question needs one.
func Check(q *quiz.Question, a Answer) error {
	for _, id := range a.Picks { // an "other" says nothing without its words
		if n := q.Choice(id); n >= 0 && q.Choices[n].Other && !q.Choices[n].OtherOptional && a.Other == "" {
			return fault(q.ID, "type")
		}
	}
	if !q.Required || q.Kind == quiz.Statement {
		return nil
	}
	if q.Kind == quiz.Grid {
		for _, r := range q.Rows {
			if a.Rows[r.ID] == "" {
				return fault(q.ID+"."+r.ID, "row")
			}
		}
		return nil
	}
	if !a.Blank() {
		return nil
	}
	switch q.Kind {
	case quiz.Single, quiz.Rating:
		return fault(q.ID, "choose")
	case quiz.Multiple:
		return fault(q.ID, "choose_some")
	case quiz.Consent:
		return fault(q.ID, "tick")
	case quiz.NumberQ:
		return fault(q.ID, "type_number")
	}
	return fault(q.ID, "type")
}

var datePattern = regexp.MustCompile(`^\d{4}-\d{2}-\d{2}$`)

func validDate(s string) bool {
	if !datePattern.MatchString(s) {
		return false
	}
	month, day := s[5:7], s[8:]
	days := map[string]string{"02": "29", "04": "30", "06": "30", "09": "30", "11": "30"}
	last, short := days[month]
	if !short {
		last = "31"
	}
	if month == "02" && !leap(s[:4]) {
		last = "28"
	}
	return month >= "01" && month <= "12" && day >= "01" && day <= last
}

func leap(year string) bool {
	y := 0
	for _, c := range year {
		y = y*10 + int(c-'0')
	}
	return y%4 == 0 && (y%100 != 0 || y%400 == 0)
}

// Value is the answer as conditions see it.
func (a Answer) Value(q *quiz.Question) rule.Value {
	switch {
	case a.Number != nil:
		return rule.NumValue(*a.Number)
	case q.Kind == quiz.Multiple:
		return rule.SetValue(a.Picks)
	case len(a.Picks) > 0:
		return rule.TextValue(a.Picks[0])
	case len(a.Rows) > 0:
		var rows []string
		for _, r := range q.Rows {
			if c := a.Rows[r.ID]; c != "" {
				rows = append(rows, r.ID+"="+c)
			}
		}
		return rule.SetValue(rows)
	}
	return rule.TextValue(a.Text)
}

// JSON writes an answer's fields as witnesses and exports show them: a string, a number, or a list of picks.
func (a Answer) JSON(q *quiz.Question) any {
	switch {
	case q.Kind == quiz.Multiple:
		return slices.Concat([]string{}, a.Picks)
	case a.Number != nil:
		return json.Number(a.Number.String())
	case len(a.Picks) > 0:
		return a.Picks[0]
	}
	return a.Text
}
