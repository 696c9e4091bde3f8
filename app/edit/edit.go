// Package edit is the only way to change a quiz: its draft and everything stored next to it. Rooms, imports, launches
// and the API all call it, so each rule is enforced in one place.
package edit

import (
	"context"
	"encoding/json"
	"errors"
	"sync"
	"time"

	"omphalos/app/counting"
	"omphalos/app/store"
	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/core/quiz"
)

// Actor is who edits.
type Actor struct {
	Account uint
}

// Edit is one change as a window sends it.
type Edit struct {
	ID     string // made at the click: an edit that arrives twice is made once
	Window string // where it was made: an edit knows of those that its window made before
	Base   int    // the revision that the window showed
	Patch  quiz.Patch
	Act    *Act // instead of Patch
	Exact  bool // it is made on Base or not at all: not moved over what others did since
}

// Result is a draft after an edit.
type Result struct {
	Quiz  *documents.Quiz
	Made  documents.Revision   // what the edit did
	Since []documents.Revision // what others did between its base and it
	Again bool                 // it had been made already: its reply was lost
	Said  string               // of an act: see Change
	Focus string
}

// Editor makes edits.
type Editor struct {
	store  *store.Store
	counts *counting.Counts
	now    func() time.Time
	turns  turns
	watch  watchers
	Acts   map[string]Acting // by name
}

// New makes an editor of the quizzes in a store; now is the clock.
func New(s *store.Store, counts *counting.Counts, now func() time.Time) *Editor {
	return &Editor{store: s, counts: counts, now: now}
}

// attempts bounds how often an edit is computed again because someone else was faster.
const attempts = 8

// Apply makes an edit, moved over what others did since its base. In a failure, *Error, nothing has changed.
//
// All that takes time happens outside of the database's write lock: the store only compares the revision that the
// edit was computed on with the one that there is, and writes.
func (e *Editor) Apply(ctx context.Context, who Actor, quizID string, edit Edit) (*Result, error) {
	made := revision(who, quizID, edit.ID, edit.Window, documents.KindEdit)
	var change Change
	result, err := e.revise(
		ctx,
		made,
		func(q *documents.Quiz, next *documents.Next) ([]documents.Revision, quiz.Patch, error) {
			r, h := &next.Revision, &next.History
			r.UndoBelow = h.Undo
			h.Undo, h.Redo = r.Number, 0
			if edit.Base > q.Revision || edit.Base < 0 {
				return nil, nil, refused(quiz.Problems{{
					Message: "this page is out of step with the quiz",
					Mend:    "Reload the page.",
				}})
			}
			if edit.Exact && edit.Base != q.Revision {
				return nil, nil, &Error{Kind: Stale, Message: "The quiz has changed since you loaded it."}
			}
			since, err := e.store.Documents.EditsSince(q, edit.Base)
			if err != nil {
				return nil, nil, err
			}
			if edit.Act == nil {
				patch, err := move(q, edit.Patch, since, edit.Window)
				return since, patch, err
			}
			place, err := move(q, quiz.Patch{{Op: "test", Path: edit.Act.At}}, since, edit.Window)
			if err != nil {
				return nil, nil, err
			}
			change, err = e.act(q.Document, q.Read, edit.Act, place[0].Path)
			return since, change.Patch, err
		},
	)
	if result != nil && !result.Again {
		result.Said, result.Focus = change.Said, change.Focus
	}
	return result, err
}

// revision is a step of a draft's history as it is asked for.
func revision(who Actor, quizID, editID, window, kind string) documents.Revision {
	return documents.Revision{
		QuizID:    quizID,
		EditID:    quiz.FirstOf(editID, database.NewID()),
		Window:    window,
		AccountID: who.Account,
		Kind:      kind,
	}
}

// step finds the patch of one edit: what is to be done to the draft, and the edits since that it was moved over. It
// sets the links of the revision to those before it.
type step func(q *documents.Quiz, next *documents.Next) (since []documents.Revision, patch quiz.Patch, err error)

// revise makes one step of a draft's history: it computes and swaps, and once more if the draft has changed meanwhile.
func (e *Editor) revise(ctx context.Context, r documents.Revision, f step) (*Result, error) {
	if r.AccountID == 0 {
		return nil, errNoActor
	}
	defer e.turns.take(r.QuizID)()
	for range attempts {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		made, err := e.store.Documents.RevisionOfEdit(r.QuizID, r.EditID)
		if err == nil {
			return e.repeatResult(made)
		}
		if !errors.Is(err, database.ErrNotFound) {
			return nil, err
		}
		result, err := e.attempt(r, f)
		if errors.Is(err, documents.ErrOvertaken) {
			continue
		}
		if err != nil {
			return nil, ofStore(err)
		}
		e.watch.tell(r.QuizID, result.Quiz.Revision)
		return result, nil
	}
	return nil, errBusy
}

// attempt computes the next draft and swaps it in.
func (e *Editor) attempt(r documents.Revision, f step) (*Result, error) {
	q, err := e.store.Documents.Quiz(r.QuizID)
	if err != nil {
		return nil, err
	}
	r.Number, r.At = q.Revision+1, e.now().UTC()
	next := &documents.Next{Revision: r}
	if next.History, err = e.store.Documents.History(r.QuizID, r.AccountID); err != nil {
		return nil, err
	}
	since, patch, err := f(q, next)
	if err != nil {
		return nil, err
	}
	edited, err := quiz.Edit(q.Document, patch)
	if err != nil {
		return nil, err
	}
	if err := checkDraft(q, edited); err != nil {
		return nil, err
	}
	if next.Revision.Patch, err = json.Marshal(edited.Patch); err != nil {
		return nil, err
	}
	if next.Revision.Inverse, err = json.Marshal(edited.Inverse); err != nil {
		return nil, err
	}
	next.Name, next.Document = edited.Document.Name, edited.Text
	if err := e.store.Documents.Swap(q.Revision, next); err != nil {
		return nil, err
	}
	q.Name, q.Document, q.Revision, q.UpdatedAt, q.Read = next.Name, edited.Text, r.Number, r.At, edited.Document
	return &Result{Quiz: q, Made: next.Revision, Since: byOthers(since, r.Window)}, nil
}

// repeatResult is the first result of an edit that has been made already, on the draft as it is now.
func (e *Editor) repeatResult(made *documents.Revision) (*Result, error) {
	q, err := e.store.Documents.Quiz(made.QuizID)
	if err != nil {
		return nil, ofStore(err)
	}
	since, err := e.store.Documents.EditsSince(q, made.Number)
	return &Result{Quiz: q, Made: *made, Since: byOthers(since, made.Window), Again: true}, err
}

// byOthers leaves out what a window did itself.
func byOthers(list []documents.Revision, window string) []documents.Revision {
	var out []documents.Revision
	for _, r := range list {
		if window == "" || r.Window != window {
			out = append(out, r)
		}
	}
	return out
}

// move moves a patch over the edits since it was made. q is the draft as it is now.
func move(q *documents.Quiz, patch quiz.Patch, since []documents.Revision, window string) (quiz.Patch, error) {
	steps := make([]quiz.Logged, len(since))
	for i, r := range since {
		p, err := quiz.ReadLogged(r.Patch)
		if err != nil {
			return nil, err
		}
		back, err := quiz.ReadLogged(r.Inverse)
		if err != nil {
			return nil, err
		}
		own := window != "" && r.Window == window
		steps[i] = quiz.Logged{Number: r.Number, Cancels: r.Cancels, Patch: p, Inverse: back, Own: own}
	}
	moved, ok := quiz.Rebase(q.Document, patch, steps)
	if !ok {
		return nil, &Error{
			Kind:    Stale,
			Message: "Someone else changed the same text or setting.",
			Since:   byOthers(since, window),
		}
	}
	return moved, nil
}

// turns lets the edits of one quiz wait for each other within this process, so that none computes what the next one
// overtakes. Edits of other processes are met by the swap.
type turns struct {
	mu    sync.Mutex
	taken map[string]*turn
}

type turn struct {
	mu      sync.Mutex
	waiting int
}

// take waits for the turn of a quiz and returns what ends it.
func (t *turns) take(quizID string) (done func()) {
	t.mu.Lock()
	if t.taken == nil {
		t.taken = map[string]*turn{}
	}
	mine := t.taken[quizID]
	if mine == nil {
		mine = &turn{}
		t.taken[quizID] = mine
	}
	mine.waiting++
	t.mu.Unlock()
	mine.mu.Lock()
	return func() {
		mine.mu.Unlock()
		t.mu.Lock()
		defer t.mu.Unlock()
		if mine.waiting--; mine.waiting == 0 {
			delete(t.taken, quizID)
		}
	}
}
