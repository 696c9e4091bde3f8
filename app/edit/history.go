package edit

import (
	"context"
	"errors"

	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/core/quiz"
)

// Undo takes the actor's last edit back, and Redo makes the one again that was undone last. Each person has a
// history of their own: what others did stays, and the edit is moved over it; where it cannot be, the error says what
// stands in the way.
func (e *Editor) Undo(ctx context.Context, who Actor, quizID, editID, window string) (*Result, error) {
	return e.revise(ctx, revision(who, quizID, editID, window, documents.KindUndo), e.undo)
}

// Redo: see Undo.
func (e *Editor) Redo(ctx context.Context, who Actor, quizID, editID, window string) (*Result, error) {
	return e.revise(ctx, revision(who, quizID, editID, window, documents.KindRedo), e.redo)
}

func (e *Editor) undo(q *documents.Quiz, next *documents.Next) ([]documents.Revision, quiz.Patch, error) {
	r, h := &next.Revision, &next.History
	done, err := e.cancelled(q.ID, h.Undo, errNoUndo)
	if err != nil {
		return nil, nil, err
	}
	r.Cancels, r.RedoBelow = done.Number, h.Redo
	h.Undo, h.Redo = done.UndoBelow, r.Number
	return e.back(q, done)
}

func (e *Editor) redo(q *documents.Quiz, next *documents.Next) ([]documents.Revision, quiz.Patch, error) {
	r, h := &next.Revision, &next.History
	undone, err := e.cancelled(q.ID, h.Redo, errNoRedo)
	if err != nil {
		return nil, nil, err
	}
	r.Cancels, r.UndoBelow = undone.Number, h.Undo
	h.Undo, h.Redo = r.Number, undone.RedoBelow
	return e.back(q, undone)
}

// cancelled reads the revision that is to be undone.
func (e *Editor) cancelled(quizID string, number int, none error) (*documents.Revision, error) {
	if number == 0 {
		return nil, none
	}
	r, err := e.store.Documents.Revision(quizID, number)
	if errors.Is(err, database.ErrNotFound) {
		return nil, errTooOld
	}
	return r, err
}

// back is the patch that takes the effect of a revision back on the draft as it is now.
func (e *Editor) back(q *documents.Quiz, done *documents.Revision) ([]documents.Revision, quiz.Patch, error) {
	inverse, err := quiz.ReadLogged(done.Inverse)
	if err != nil {
		return nil, nil, err
	}
	since, err := e.store.Documents.EditsSince(q, done.Number)
	if err != nil {
		return nil, nil, err
	}
	patch, err := move(q, inverse, since, "")
	if KindOf(err) == Stale {
		// Others may have used the empty object or list that the edit made room with: then it stays.
		made, readErr := quiz.ReadLogged(done.Patch)
		if readErr != nil {
			return nil, nil, readErr
		}
		if rest := quiz.KeepRoom(inverse, made); len(rest) < len(inverse) {
			patch, err = move(q, rest, since, "")
		}
	}
	var stale *Error
	if errors.As(err, &stale) {
		return nil, nil, &Error{
			Kind:    Stale,
			Message: "You can’t undo this: someone has changed the same text or setting since.",
			Since:   othersThan(done.AccountID, since),
		}
	}
	return nil, patch, err
}

func othersThan(account uint, list []documents.Revision) []documents.Revision {
	var out []documents.Revision
	for _, r := range list {
		if r.AccountID != account {
			out = append(out, r)
		}
	}
	return out
}
