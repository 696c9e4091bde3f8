package walk

import (
	"fmt"
	"strings"
)

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
	"alone":        "You can’t combine “{1}” with other answers. Deselect it, or deselect the others.",
	"choose":       "Choose an answer.",
	"choose_some":  "Choose at least one answer.",
	"choose_most":  "Choose no more than {1} (you chose {2}).",
	"choose_least": "Choose at least {1} (you chose {2}).",
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
