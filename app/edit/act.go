package edit

import (
	"encoding/json"
	"fmt"

	"omphalos/core/quiz"
)

// Act is an edit that says what it means instead of which places change: "this comparison is now at least", "delete
// this column". What it comes to is worked out on the draft as it is when the act arrives, so an act never carries a
// copy of what a page showed once.
type Act struct {
	Name  string          `json:"name"`
	At    string          `json:"at"`    // the place that it is about, a reference
	Value json.RawMessage `json:"value"` // what it takes; each act has its own
}

// Change is what an act comes to.
type Change struct {
	Patch quiz.Patch
	Said  string // what went with it, for the person who did it; "" where the page shows it
	Focus string // the place to continue at, a reference on the next draft; "" for where they are
}

// Acting works out an act on a draft. At is a pointer into it. Errors are Problems.
type Acting func(d *quiz.Document, at string, value json.RawMessage) (Change, error)

// act is the patch of an act on the draft of a quiz; at is its place there.
func (e *Editor) act(text []byte, read *quiz.Document, a *Act, at string) (Change, error) {
	do, known := e.Acts[a.Name]
	if !known {
		return Change{}, refused(quiz.Problems{{Message: fmt.Sprintf("this server does not know the edit %q", a.Name),
			Mend: "Load the page again."}})
	}
	d := read
	if d == nil {
		var err error
		if d, err = quiz.ReadStored(text); err != nil {
			return Change{}, err
		}
	}
	place, there := d.Find(at)
	if !there {
		return Change{}, refused(quiz.Gone(a.At))
	}
	change, err := do(d, place, a.Value)
	if err != nil {
		return change, err
	}
	change.Patch, err = quiz.Compact(d, change.Patch)
	return change, err
}
