package page

import (
	"strings"
	"unicode"

	"omphalos/core/quiz"
)

// hues is how many outcome styles there are; see .o0 to .o9 in the styles: Paul Tol's "muted" scheme
// (SRON/EPS/TN/09-002), each hue with a pattern of its own.
const hues = 10

// Mark is how an outcome is shown in every view: its hue and pattern, its two letters and its name.
type Mark struct {
	ID      string
	Name    string
	Letters string
	Style   int  // 0 to 9
	Again   bool // the hue has been used by an outcome before: the pattern gets a frame
	Share   float64
	Count   int
}

// Marks returns the marks of the outcomes in document order. Letters are initials, made distinct.
func Marks(d *quiz.Document) []Mark {
	out := make([]Mark, len(d.Outcomes))
	taken := map[string]bool{}
	for i := range d.Outcomes {
		o := &d.Outcomes[i]
		out[i] = Mark{ID: o.ID, Name: o.Title(), Style: i % hues, Again: i >= hues}
		for _, letters := range candidates(o.Title()) {
			if out[i].Letters = letters; !taken[letters] {
				break
			}
		}
		taken[out[i].Letters] = true
	}
	return out
}

// candidates lists two-letter marks for a name, those that remind of it most first: initials of its first and last
// word, the beginnings of its words from the last on (names often begin alike), then its first letter with each later
// one.
func candidates(name string) []string {
	words := strings.FieldsFunc(name, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	if len(words) == 0 {
		words = []string{"??"}
	}
	upper := func(r ...rune) string { return strings.ToUpper(string(r)) }
	var out []string
	first := []rune(words[0])
	if len(words) > 1 {
		out = append(out, upper(first[0], []rune(words[len(words)-1])[0]))
	}
	for i := len(words) - 1; i >= 0 && len(words) > 1; i-- {
		word := []rune(words[i])
		if i > 0 {
			out = append(out, upper(first[0], word[0]))
		}
		if len(word) > 1 {
			out = append(out, upper(word[0], word[1]))
		}
	}
	for _, r := range []rune(strings.Join(words, ""))[1:] {
		out = append(out, upper(first[0], r))
	}
	for r := 'A'; r <= 'Z'; r++ {
		out = append(out, upper(first[0], r))
	}
	return out
}

// MarkOf finds a mark by outcome id; an outcome that the document no longer has is shown by its id.
func MarkOf(marks []Mark, id string) Mark {
	for _, m := range marks {
		if m.ID == id {
			return m
		}
	}
	return Mark{ID: id, Name: id, Letters: "–", Style: hues - 1}
}
