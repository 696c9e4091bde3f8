package check

import (
	"omphalos/core/fill"
	"omphalos/core/quiz"
)

// Holds reports whether a check holds in a document that need not have it, such as an earlier state of the one that
// does. It does not where the check cannot be said of that document.
func Holds(d *quiz.Document, c quiz.Check, tables fill.Tables) bool {
	other := *d
	c.Off = false
	other.Checks = []quiz.Check{c}
	r, err := New(&other, tables)
	if err != nil {
		return false
	}
	results := r.Run()
	return len(results) == 1 && results[0].Holds
}
