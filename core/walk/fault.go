package walk

import (
	"fmt"
	"strings"
)

// A FieldError says what is wrong with one field of an answer: a code, with what it names. Its sentence is looked up
// last, in the language of whoever reads it.
type FieldError struct {
	Field string   `json:"f"`
	Code  string   `json:"c"`           // a key of Sentences
	Args  []string `json:"a,omitempty"` // for {1}, {2}
}

// Sentences are the English sentences of the codes.
var Sentences = map[string]string{
	"one_answer":   "Give one answer here, not {1}.",
	"not_a_choice": "“{1}” is not one of the answers.",
	"two_choices":  "“{1}” is the label of more than one answer: use its id.",
	"alone":        "“{1}” goes only alone: take it away, or the others.",
	"choose":       "Choose an answer.",
	"choose_some":  "Choose at least one answer.",
	"choose_most":  "Choose at most {1}; you chose {2}.",
	"choose_least": "Choose at least {1}; you chose {2}.",
	"row":          "Choose an answer in this row.",
	"type":         "Type an answer.",
	"type_number":  "Type a number.",
	"number_such":  "Type a number, such as {1}.",
	"number_range": "Type a number from {1} to {2}.",
	"number_least": "Type a number of at least {1}.",
	"number_most":  "Type a number of at most {1}.",
	"number_steps": "Type a number in steps of {1} from {2}.",
	"number_whole": "Type a whole number.",
	"decimals":     "Use at most {1} decimals.",
	"characters":   "Use at most {1} characters.",
	"date":         "Type a day as YYYY-MM-DD, such as 2026-03-31.",
	"email":        "Type an e-mail address such as name@example.org.",
	"phone":        "Type a telephone number with its country code, such as +353 1 496 0123.",
	"tick":         "Tick the box to go on.",
	"tick_or_not":  "Tick the box, or leave it.",
}

// Error is the English sentence alone: it stands beside the field.
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
