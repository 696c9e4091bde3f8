// Package fill puts answers, scores, computed values and parameters into texts and addresses.
package fill

import (
	"strings"
)

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

// Text fills the slots of a text. A blank or unknown value gives the slot's fallback; several values are joined by
// commas. Filled values go through escape; the text around them and the fallbacks, which the author wrote, do not.
func Text(src string, look Lookup, escape func(string) string) string {
	var b strings.Builder
	scan(src, func(s string) { b.WriteString(s) }, func(s slot) {
		if values, known := look(s.name); known && len(values) > 0 {
			b.WriteString(escape(strings.Join(values, ", ")))
			return
		}
		b.WriteString(s.fallback)
	})
	return b.String()
}

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
