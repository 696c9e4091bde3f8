package kind

import (
	"encoding/json"
	"fmt"
	"strings"
	"unicode/utf8"

	"omphalos/core/rule"
)

// Answer is what a respondent answered to one question. The zero Answer is blank.
type Answer struct {
	// Picks are ids of choices, in the order of the question's choices; of a ranking in the order of the respondent.
	Picks  []string          `json:"picks,omitempty"`
	Number *rule.Number      `json:"number,omitempty"` // of a rating or number
	Text   string            `json:"text,omitempty"`   // of the text kinds, email, phone, date; "yes" of a consent
	Rows   map[string]string `json:"rows,omitempty"`   // of a grid: row id to choice id; blank rows are left out
	Other  string            `json:"other,omitempty"`  // the fill-in of an "other" choice
	// Ordered says that the picks are in the order of the respondent: who tallies answers does not know their question.
	Ordered bool `json:"ordered,omitempty"`
}

// Blank reports whether nothing was answered.
func (a Answer) Blank() bool {
	return len(a.Picks) == 0 && a.Number == nil && a.Text == "" && len(a.Rows) == 0
}

// Fields writes the answer as form fields: the question's id to the ids of picks, the number or the text;
// a grid row under ID.ROW. A blank answer has no fields.
func (a Answer) Fields(q *Question) map[string][]string {
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

// Value is the answer as conditions see it.
func (a Answer) Value(q *Question) rule.Value { return Of(q).Value(q, a, "") }

// JSON writes an answer's fields as witnesses and exports show them: a string, a number, or a list of picks.
func (a Answer) JSON(q *Question) any { return Of(q).JSON(a) }

// Read reads an answer from named fields, each with its values: choice ids or labels, a number, or text.
// It refuses what the question does not allow. Whether a required question may be blank is for Check to say.
func Read(q *Question, get func(field string) []string) (Answer, error) {
	return Of(q).Read(q, func(field string) []string {
		var out []string
		for _, v := range get(field) {
			if v = strings.TrimSpace(v); v != "" {
				out = append(out, v)
			}
		}
		return out
	})
}

// Check says whether the question takes this answer as final: a required question needs one.
func Check(q *Question, a Answer) error {
	for _, id := range a.Picks { // an "other" says nothing without its words
		if n := q.Choice(id); n >= 0 && q.Choices[n].Other && !q.Choices[n].OtherOptional && a.Other == "" {
			return fault(q.ID, "type")
		}
	}
	if !q.Required {
		return nil
	}
	if f := Of(q).Missing(q, a); f != nil {
		return f
	}
	return nil
}

// Words writes an answer to q as people read it: labels for choices, "blank" for nothing.
func (a Answer) Words(q *Question) string {
	label := func(id string) string {
		if i := q.Choice(id); i >= 0 {
			return q.Choices[i].Title()
		}
		return id
	}
	var parts []string
	for _, id := range a.Picks {
		parts = append(parts, label(id))
	}
	for _, row := range q.Rows {
		if c := a.Rows[row.ID]; c != "" {
			parts = append(parts, row.Title()+": "+label(c))
		}
	}
	switch {
	case a.Number != nil:
		parts = append(parts, strings.TrimSpace(a.Number.String()+" "+q.Unit))
	case a.Text != "":
		parts = append(parts, a.Text)
	}
	if a.Other != "" {
		parts = append(parts, a.Other)
	}
	if len(parts) == 0 {
		return "blank"
	}
	return strings.Join(parts, between(q))
}

// between stands between the answers to a question in words.
func between(q *Question) string {
	if Of(q).About().Ordered {
		return " › "
	}
	return ", "
}

// PicksInWords reads picks as Words writes them, or their ids with commas between them; false where the text is no list
// of choices.
func PicksInWords(q *Question, text string) ([]string, bool) {
	text = strings.TrimSpace(text)
	for _, apart := range []string{between(q), ", "} {
		if list, ok := picksIn(q, text, apart, map[int]bool{}); ok {
			return list, true
		}
	}
	return nil, false
}

// picksIn reads a list. Ends of the text that are none, by their length, are looked at once.
func picksIn(q *Question, text, apart string, failed map[int]bool) ([]string, bool) {
	if failed[len(text)] {
		return nil, false
	}
	for i := range q.Choices {
		for _, name := range []string{q.Choices[i].Title(), q.Choices[i].ID} {
			rest, begins := strings.CutPrefix(text, name)
			if !begins {
				continue
			}
			if rest == "" {
				return []string{q.Choices[i].ID}, true
			}
			rest, more := strings.CutPrefix(rest, apart)
			if !more {
				continue
			}
			if list, ok := picksIn(q, rest, apart, failed); ok {
				return append([]string{q.Choices[i].ID}, list...), true
			}
		}
	}
	failed[len(text)] = true
	return nil, false
}

// RowsInWords reads the rows of a grid as Words writes them, or their ids: row id to choice id; false where the text is
// something else.
func RowsInWords(q *Question, text string) (map[string]string, bool) {
	rows := map[string]string{}
	return rows, rowsIn(q, strings.TrimSpace(text), rows, map[int]bool{})
}

// rowsIn reads rows into a map. Where a label begins another one, what stands behind it tells which it is.
func rowsIn(q *Question, text string, into map[string]string, failed map[int]bool) bool {
	if text == "" || failed[len(text)] {
		return text == ""
	}
	for i := range q.Rows {
		for _, name := range []string{q.Rows[i].Title(), q.Rows[i].ID} {
			said, begins := strings.CutPrefix(text, name+": ")
			for j := 0; begins && j < 2*len(q.Choices); j++ {
				c := &q.Choices[j/2]
				rest, is := strings.CutPrefix(said, []string{c.Title(), c.ID}[j%2])
				behind, more := strings.CutPrefix(rest, ", ")
				if is && (rest == "" || more) && rowsIn(q, behind, into, failed) {
					into[q.Rows[i].ID] = c.ID
					return true
				}
			}
		}
	}
	failed[len(text)] = true
	return false
}

// Given is an answer as a document writes it. Exactly one of the four is set; the zero Given is blank.
type Given struct {
	Text   string            // a choice's id, a text, an email address, a date, "yes" of a consent
	Number *rule.Number      // of a rating or number
	List   []string          // ids of picks
	Rows   map[string]string // of a grid: row id to choice id
}

// ids are the ids that stand in a list, or alone.
func (g Given) ids() []string {
	if g.Text != "" && g.List == nil {
		return []string{g.Text}
	}
	return g.List
}

func (g Given) blank() bool {
	return g.Text == "" && g.Number == nil && len(g.List) == 0 && len(g.Rows) == 0
}

// UnmarshalJSON reads a text, a number, a list of ids, or an object of row id to choice id.
func (g *Given) UnmarshalJSON(b []byte) error {
	*g = Given{}
	switch b[0] {
	case '"':
		return json.Unmarshal(b, &g.Text)
	case '[':
		return json.Unmarshal(b, &g.List)
	case '{':
		return json.Unmarshal(b, &g.Rows)
	}
	n, err := rule.ParseNumber(string(b))
	if err != nil {
		return fmt.Errorf("%s isn’t an answer: use a choice ID, a list of IDs, a number, a text, or rows with IDs", b)
	}
	g.Number = &n
	return nil
}

// MarshalJSON writes what UnmarshalJSON reads.
func (g Given) MarshalJSON() ([]byte, error) {
	switch {
	case g.Number != nil:
		return g.Number.MarshalJSON()
	case g.List != nil:
		return json.Marshal(g.List)
	case g.Rows != nil:
		return json.Marshal(g.Rows)
	}
	return json.Marshal(g.Text)
}

// Write writes an answer as a document does; false for one that is blank.
func Write(q *Question, a Answer) (Given, bool) {
	switch {
	case a.Blank():
		return Given{}, false
	case len(a.Picks) > 0 && Of(q).About().Many:
		return Given{List: a.Picks}, true
	case a.Number != nil:
		return Given{Number: a.Number}, true
	case len(a.Rows) > 0:
		return Given{Rows: a.Rows}, true
	case len(a.Picks) > 0:
		return Given{Text: a.Picks[0]}, true
	}
	return Given{Text: a.Text}, true
}

// MaxText is how many characters a typed answer has at most.
func MaxText(q *Question) int {
	if Of(q).About().Lines {
		return 10_000
	}
	return 500
}

// tooLong says that a text is longer than an answer may be; nil when it is not.
func tooLong(q *Question, text string) error {
	if limit := MaxText(q); utf8.RuneCountInString(text) > limit {
		return fault(q.ID, "characters", limit)
	}
	return nil
}

// A FieldError says what is wrong with one field of an answer: a code, with what it names. Its sentence is looked up
// last, in the language of anyone who reads it.
type FieldError struct {
	Field string   `json:"f"`
	Code  string   `json:"c"`           // a key of Sentences
	Args  []string `json:"a,omitempty"` // for {1}, {2}
}

// Sentences are the English sentences of the codes.
var Sentences = map[string]string{
	"one_answer":   "Please choose only one answer (you chose {1}).",
	"not_a_choice": "“{1}” is not one of the answers.",
	"two_choices":  "More than one answer is called “{1}”. Use the answer’s ID.",
	"twice":        "“{1}” is in the list twice.",
	"alone":        "You can’t combine “{1}” with other answers. Deselect it, or deselect the others.",
	"choose":       "Choose an answer.",
	"choose_some":  "Choose at least one answer.",
	"choose_most":  "Choose no more than {1} (you chose {2}).",
	"choose_least": "Choose at least {1} (you chose {2}).",
	"order_some":   "Put the answers in order.",
	"row":          "Choose an answer in this row.",
	"type":         "Enter an answer.",
	"type_number":  "Enter a number.",
	"number_such":  "Enter a number, such as {1}.",
	"number_range": "Enter a number from {1} to {2}.",
	"number_least": "Enter a number of {1} or more.",
	"number_most":  "Enter a number of {1} or less.",
	"number_steps": "Enter a number in steps of {1}, starting at {2}.",
	"number_whole": "Enter a whole number.",
	"decimals":     "Use no more than {1} decimal places.",
	"characters":   "Use no more than {1} characters.",
	"date":         "Enter a date as YYYY-MM-DD, such as 2026-03-31.",
	"email":        "Enter an email address, such as name@example.org.",
	"phone":        "Enter a phone number with its country code, such as +353 1 496 0123.",
	"tick":         "Tick the box to continue.",
	"tick_or_not":  "Tick the box or leave it empty.",
}

// Error is the English sentence alone: it stands next to the field.
func (e *FieldError) Error() string { return e.Sentence(Sentences[e.Code]) }

// Sentence puts what the error names into a sentence with {1} and {2}.
func (e *FieldError) Sentence(pattern string) string {
	for i, arg := range e.Args {
		pattern = strings.ReplaceAll(pattern, fmt.Sprintf("{%d}", i+1), arg)
	}
	return pattern
}

// fault makes a FieldError; what it names is written as people read it.
func fault(field, code string, args ...any) *FieldError {
	e := &FieldError{Field: field, Code: code}
	for _, a := range args {
		e.Args = append(e.Args, fmt.Sprint(a))
	}
	return e
}
