// Package fill inserts answers, scores, computed values and parameters into texts and addresses.
package fill

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// How many bytes are filled in at most. Respondents write the values, and the author how often each stands: without a
// bound a few kilobytes of both would make hundreds of megabytes.
const (
	MostOnPage    = 400_000   // of all texts of a page
	MostInMail    = 1_000_000 // of a mail
	MostInAddress = 8_000     // of an address; browsers and servers take few that are longer
	MostInLine    = 2_000     // of a subject, and of what a link looks like in a chat
)

// Budget is how many bytes may still be filled in.
type Budget struct{ left int }

// NewBudget is one of so many bytes.
func NewBudget(most int) *Budget { return &Budget{most} }

// take is a value as far as the budget goes.
func (b *Budget) take(value string) string {
	value = Cut(value, b.left)
	b.left -= min(b.left, len(value))
	return value
}

// Cut is a text of at most so many bytes: a longer one ends at a word, with “…”.
func Cut(s string, most int) string {
	if len(s) <= most {
		return s
	}
	const more = "…"
	end := max(0, most-len(more))
	for end > 0 && !utf8.RuneStart(s[end]) {
		end--
	}
	if at := strings.LastIndexFunc(s[:end], unicode.IsSpace); at > end/2 {
		end = at
	}
	return strings.TrimRightFunc(s[:end], unicode.IsSpace) + more
}

// Lookup finds the value of a name: several of a multiple choice, none of a blank. It reports false for an unknown
// name.
type Lookup func(name string) (values []string, known bool)

// slot is one {name} or {name|fallback} of a text.
type slot struct {
	name     string
	fallback string
}

// scan splits a text into plain parts and slots, and calls one of the two for each in order.
func scan(src string, plain func(string), fill func(slot)) {
	for src != "" {
		open := strings.IndexByte(src, '{')
		if open < 0 {
			plain(src)
			return
		}
		plain(src[:open])
		src = src[open:]
		if strings.HasPrefix(src, "{{") {
			plain("{")
			src = src[2:]
			continue
		}
		end := strings.IndexByte(src, '}')
		name, fallback, _ := strings.Cut(src[1:max(end, 1)], "|")
		if end < 0 || !isName(name) {
			plain("{")
			src = src[1:]
			continue
		}
		fill(slot{name, fallback})
		src = src[end+1:]
	}
}

func isName(s string) bool {
	return s != "" && strings.IndexFunc(s, notOfName) < 0
}

func notOfName(r rune) bool {
	letter := r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z'
	digit := r >= '0' && r <= '9'
	return !letter && !digit && r != '_' && r != '-' && r != '.'
}

// Text fills the slots of a text, with at most MostOnPage bytes of values: see TextWithin.
func Text(src string, look Lookup, escape func(string) string) string {
	return TextWithin(NewBudget(MostOnPage), src, look, escape)
}

// TextWithin fills the slots of a text. A blank or unknown value gives the slot's fallback; several values are joined
// by commas. Filled values go through escape; the text around them and the fallbacks, which the author wrote, do not.
// Past the budget values are cut.
func TextWithin(budget *Budget, src string, look Lookup, escape func(string) string) string {
	var b strings.Builder
	scan(src, func(s string) { b.WriteString(s) }, func(s slot) {
		if values, known := look(s.name); known && len(values) > 0 {
			b.WriteString(escape(budget.take(strings.Join(values, ", "))))
			return
		}
		b.WriteString(s.fallback)
	})
	return b.String()
}

// Slots are the {name}s of a text that is made into something else before they are filled in.
type Slots []slot

// Marked returns a text with a mark in place of each of its slots.
func Marked(src string, mark func(i int) string) (marked string, slots Slots) {
	var b strings.Builder
	scan(src, func(s string) { b.WriteString(s) }, func(s slot) {
		b.WriteString(mark(len(slots)))
		slots = append(slots, s)
	})
	return b.String(), slots
}

// Value is what one of them is filled with: the value as far as the budget goes, else the author's fallback.
func (s Slots) Value(i int, budget *Budget, look Lookup) string {
	if values, known := look(s[i].name); known && len(values) > 0 {
		return budget.take(strings.Join(values, ", "))
	}
	return s[i].fallback
}

// Fallback is what the author wrote for a blank value.
func (s Slots) Fallback(i int) string { return s[i].fallback }

// Names returns the names of a text's slots.
func Names(src string) []string {
	var out []string
	scan(src, func(string) {}, func(s slot) { out = append(out, s.name) })
	return out
}

// EscapeMarkdown makes text safe to stand in Markdown (CommonMark 0.31, section 2.4): every ASCII punctuation character
// gets a backslash, and line breaks become spaces.
func EscapeMarkdown(s string) string {
	var b strings.Builder
	for _, r := range s {
		switch {
		case r == '\n' || r == '\r':
			r = ' '
		case r > ' ' && r < 127 && !(r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9'):
			b.WriteByte('\\')
		}
		b.WriteRune(r)
	}
	return b.String()
}

// Plain leaves text as it is, for places that escape by themselves.
func Plain(s string) string { return s }
