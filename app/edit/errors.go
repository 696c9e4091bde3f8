package edit

import (
	"errors"
	"net/http"

	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/core/quiz"
)

// Kind says why an edit was not made.
type Kind int

// The kinds of failure.
const (
	Gone      Kind = iota + 1 // the quiz, or what the edit is about, is no longer there
	Forbidden                 // anyone who asks may not edit this
	Stale                     // someone else has changed the same place: Since says what they did
	Refused                   // the quiz would break a rule: Problems say where
	Nothing                   // there is nothing to undo, or to make again
	Busy                      // others edit so fast that this one found no turn
)

// statuses are the kinds as HTTP says them (RFC 9110, section 15.5).
var statuses = map[Kind]int{
	Gone:      http.StatusGone,
	Forbidden: http.StatusForbidden,
	Stale:     http.StatusConflict,
	Refused:   http.StatusUnprocessableEntity,
	Nothing:   http.StatusUnprocessableEntity,
	Busy:      http.StatusServiceUnavailable,
}

// Error is an edit that was not made, and why.
type Error struct {
	Kind     Kind
	Message  string // a sentence
	Problems quiz.Problems
	Since    []documents.Revision
}

// Error is the sentence.
func (e *Error) Error() string { return e.Message }

// Status is the HTTP status that answers a failed edit: 500 for a failure that is no one's.
func Status(err error) int {
	var e *Error
	if errors.As(err, &e) {
		return statuses[e.Kind]
	}
	return http.StatusInternalServerError
}

// KindOf is the kind of a failed edit; 0 for a failure of the store.
func KindOf(err error) Kind {
	var e *Error
	if errors.As(err, &e) {
		return e.Kind
	}
	return 0
}

var (
	errGone   = &Error{Kind: Gone, Message: "This quiz has been deleted."}
	errBusy   = &Error{Kind: Busy, Message: "Someone else is saving changes to this quiz. Try again."}
	errNoUndo = &Error{Kind: Nothing, Message: "There’s nothing to undo."}
	errNoRedo = &Error{Kind: Nothing, Message: "There’s nothing to redo."}
	errTooOld = &Error{
		Kind:    Nothing,
		Message: "You can’t undo any further: earlier edits are more than 90 days old and from before the live version.",
	}
	errNoActor = &Error{Kind: Forbidden, Message: "Sign in to edit this quiz."}
)

// refused is the error of problems; nil when there are none.
func refused(ps quiz.Problems) error {
	if len(ps) == 0 {
		return nil
	}
	return &Error{Kind: Refused, Message: ps[0].Sentence(), Problems: ps}
}

// ofStore gives a failure of the store its kind.
func ofStore(err error) error {
	var ps quiz.Problems
	switch {
	case errors.Is(err, database.ErrNotFound):
		return errGone
	case errors.As(err, &ps):
		return refused(ps)
	}
	return err
}
