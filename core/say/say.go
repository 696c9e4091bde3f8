// Package say keeps the sentences of the program apart from its logic, so that they can be read in one place for each
// package, and translated. A sentence has a code that never changes, its English, and slots for arguments.
package say

import (
	"fmt"
	"maps"
)

// Sentence is a text with slots, in the notation of package fmt. A translation may use the slots in another order
// (“%[2]s”).
type Sentence struct{ code, english string }

var known = map[string]string{}

// New makes a sentence. Its code begins with the name of its package; it panics if the code is taken.
func New(code, english string) Sentence {
	if _, taken := known[code]; taken {
		panic("say: two sentences have the code " + code)
	}
	known[code] = english
	return Sentence{code, english}
}

// English returns all sentences by code: what a translator starts from.
func English() map[string]string { return maps.Clone(known) }

// With fills the slots. An argument can be a text itself.
func (s Sentence) With(args ...any) Text { return Text{s, args} }

// Error is an error that says the sentence. It has no cause: wrap one with fmt.Errorf.
func (s Sentence) Error(args ...any) error { return &failure{s.With(args...)} }

// Text is a sentence with its arguments. Its zero value says nothing.
type Text struct {
	Sentence
	Args []any
}

// Plain is a text that has been made elsewhere: it has no code, and is the same in every language.
func Plain(text string) Text { return Text{Sentence{"", "%s"}, []any{text}} }

// Code is the code of the sentence, "" for a plain text.
func (t Text) Code() string { return t.code }

// String says the text in English.
func (t Text) String() string { return t.In(nil) }

// In says the text in the language of a list of sentences by code; what the list lacks is said in English.
func (t Text) In(list map[string]string) string {
	form := t.english
	if own := list[t.code]; own != "" && t.code != "" {
		form = own
	}
	args := t.Args
	for i, arg := range args {
		if part, is := arg.(Text); is {
			args = append(append(append([]any{}, args[:i]...), part.In(list)), args[i+1:]...)
		}
	}
	return fmt.Sprintf(form, args...)
}

type failure struct{ Text }

// Error says it in English.
func (f *failure) Error() string { return f.String() }

// Of finds the text of an error, or makes a plain one of it.
func Of(err error) Text {
	if f, is := err.(*failure); is {
		return f.Text
	}
	return Plain(err.Error())
}
