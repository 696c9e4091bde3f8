package edit

import (
	"context"
	"slices"

	"omphalos/app/store/documents"
	"omphalos/core/check"
	"omphalos/core/quiz"
)

// Broken is the edit since which a check does not hold.
type Broken struct {
	documents.Revision
	Text string // what it did, in words
}

// maxLookedBack is how many edits are gone back through for the one that broke a check.
const maxLookedBack = 300

// Broke goes back from the draft as it is for the edit since which a check does not hold; nil where it holds, never
// held, or broke too long ago.
func (e *Editor) Broke(ctx context.Context, quizID, checkID string) (*Broken, error) {
	q, err := e.store.Documents.Quiz(quizID)
	if err != nil {
		return nil, ofStore(err)
	}
	now, err := quiz.ReadStored(q.Document)
	if err != nil {
		return nil, err
	}
	at := now.Check(checkID)
	if at < 0 {
		return nil, errGone
	}
	tables, err := e.store.Documents.Tables(quizID)
	if err != nil {
		return nil, err
	}
	holds := func(d *quiz.Document) bool {
		return check.Holds(d, now.Checks[at], documents.Beside(tables, d.Language))
	}
	if holds(now) {
		return nil, nil
	}
	edits, err := e.store.Documents.EditsSince(q, max(0, q.Revision-maxLookedBack))
	if err != nil {
		return nil, err
	}
	text := q.Document
	for _, r := range slices.Backward(edits) {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		inverse, err := quiz.ReadLogged(r.Inverse)
		if err != nil {
			return nil, err
		}
		before, err := quiz.Edit(text, inverse)
		if err != nil {
			return nil, nil // the draft before it cannot be made again
		}
		if text = before.Text; holds(before.Document) {
			patch, err := quiz.ReadLogged(r.Patch)
			if err != nil {
				return nil, err
			}
			return &Broken{Revision: r, Text: before.Document.Describe(patch)}, nil
		}
	}
	return nil, nil
}
