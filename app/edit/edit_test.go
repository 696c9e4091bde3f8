package edit

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/counting"
	"omphalos/app/store"
	"omphalos/app/store/documents"
	"omphalos/core/quiz"
)

var (
	ada  = Actor{Account: 1}
	bram = Actor{Account: 2}
)

// editor makes an editor with one quiz, whose document has the given parts.
func editor(t testing.TB, parts string) (*Editor, *documents.Quiz) {
	t.Helper()
	return editorOf(t, `{"format":"omphalos-quiz/1","name":"Start","questions":[],`+parts+`}`)
}

// editorOf makes an editor with the quiz of a document.
func editorOf(t testing.TB, text string) (*Editor, *documents.Quiz) {
	t.Helper()
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	_, err = quiz.ReadDraft([]byte(text))
	require.NoError(t, err)
	q, err := s.Documents.CreateQuizText("Start", []byte(text))
	require.NoError(t, err)
	return New(s, counting.New(), time.Now), q
}

const plain = `"outcomes":[{"id":"o"}],"otherwise":"o"`

func (e *Editor) document(t testing.TB, id string) *quiz.Document {
	t.Helper()
	q, err := e.store.Documents.Quiz(id)
	require.NoError(t, err)
	d, err := quiz.ReadDraft(q.Document)
	require.NoError(t, err)
	return d
}

// edits are all that have been made and are kept.
func edits(t testing.TB, s *store.Store, id string) []documents.Revision {
	t.Helper()
	q, err := s.Documents.Quiz(id)
	require.NoError(t, err)
	list, err := s.Documents.EditsSince(q, 0)
	require.NoError(t, err)
	return list
}

// An edit that another process overtakes is computed again on what is there then.
func TestAnEditThatIsOvertakenIsComputedAnew(t *testing.T) {
	e, q := editor(t, plain)
	other := New(e.store, counting.New(), time.Now)
	overtaken := 0
	e.now = func() time.Time { // asked for between reading and writing
		if overtaken < 3 {
			overtaken++
			patch := quiz.Patch{quiz.Add("/questions/-", map[string]any{"id": fmt.Sprint("q", overtaken), "kind": "statement"})}
			_, err := other.Apply(t.Context(), bram, q.ID, Edit{Window: "other", Base: q.Revision + overtaken - 1, Patch: patch})
			require.NoError(t, err)
		}
		return time.Now()
	}
	result, err := e.Apply(t.Context(), ada, q.ID, Edit{Window: "mine", Base: q.Revision, Patch: quiz.Patch{quiz.Add("/name", "Mine")}})
	require.NoError(t, err)
	require.Equal(t, q.Revision+4, result.Quiz.Revision)
	require.Len(t, result.Since, 3)
	d := e.document(t, q.ID)
	require.Equal(t, "Mine", d.Name)
	require.Len(t, d.Questions, 3)
}

// Random edits, undos and redos of one person against the plain model: a list of texts with a position in it.
func TestUndoAndRedoAreAListWithAPosition(t *testing.T) {
	e, q := editor(t, plain)
	r := rand.New(rand.NewPCG(1, 2))
	texts, at := []string{string(q.Document)}, 0
	for n := range 300 {
		var result *Result
		var err error
		switch r.IntN(3) {
		case 0:
			patch := quiz.Patch{quiz.Add("/name", fmt.Sprint("Name ", n))}
			switch r.IntN(3) {
			case 0:
				patch = append(patch, quiz.Add("/questions/-", quiz.Question{ID: fmt.Sprint("q", n), Kind: quiz.Date}))
			case 1:
				patch = append(patch, quiz.Add("/theme/words/next", fmt.Sprint(n))) // makes room for itself
			}
			result, err = e.Apply(t.Context(), ada, q.ID, Edit{Base: q.Revision, Patch: patch})
			require.NoError(t, err)
			texts = append(texts[:at+1], string(result.Quiz.Document))
			at++
		case 1:
			result, err = e.Undo(t.Context(), ada, q.ID, "", "")
			if at == 0 {
				require.Equal(t, Nothing, KindOf(err))
				continue
			}
			require.NoError(t, err)
			at--
		default:
			result, err = e.Redo(t.Context(), ada, q.ID, "", "")
			if at == len(texts)-1 {
				require.Equal(t, Nothing, KindOf(err))
				continue
			}
			require.NoError(t, err)
			at++
		}
		q = result.Quiz
		require.JSONEq(t, texts[at], string(q.Document), "step %d", n)
	}
}

func TestAnEditThatArrivesTwiceIsMadeOnce(t *testing.T) {
	e, q := editor(t, plain)
	add := Edit{ID: "click-1", Window: "w", Patch: quiz.Patch{quiz.Add("/questions/-", quiz.Question{ID: "q1", Kind: quiz.Date})}}
	first, err := e.Apply(t.Context(), ada, q.ID, add)
	require.NoError(t, err)
	again, err := e.Apply(t.Context(), ada, q.ID, add)
	require.NoError(t, err)
	require.True(t, again.Again)
	require.Equal(t, first.Made.Number, again.Made.Number)
	require.Len(t, e.document(t, q.ID).Questions, 1)
	_, err = e.Undo(t.Context(), ada, q.ID, "undo-1", "w")
	require.NoError(t, err)
	_, err = e.Undo(t.Context(), ada, q.ID, "undo-1", "w")
	require.NoError(t, err, "an undo, too")
	_, err = e.Undo(t.Context(), ada, q.ID, "undo-2", "w")
	require.Equal(t, Nothing, KindOf(err))
	var all sync.WaitGroup
	for range 10 { // at the same moment
		all.Go(func() {
			_, err := e.Apply(t.Context(), ada, q.ID, Edit{ID: "click-2", Window: "w", Base: 2, Patch: quiz.Patch{quiz.Add("/questions/-", quiz.Question{ID: "q2", Kind: quiz.Date})}})
			require.NoError(t, err)
		})
	}
	all.Wait()
	require.Len(t, e.document(t, q.ID).Questions, 1)
}

func TestAStaleEditIsRefusedWithWhatCameSince(t *testing.T) {
	e, q := editor(t, plain)
	_, err := e.Apply(t.Context(), ada, q.ID, Edit{Window: "a", Patch: quiz.Patch{quiz.Add("/name", "One")}})
	require.NoError(t, err)
	_, err = e.Apply(t.Context(), bram, q.ID, Edit{Window: "b", Patch: quiz.Patch{quiz.Add("/name", "Two")}})
	var failed *Error
	require.ErrorAs(t, err, &failed)
	require.Equal(t, Stale, failed.Kind)
	require.Len(t, failed.Since, 1)
	require.Equal(t, "One", e.document(t, q.ID).Name)
	_, err = e.Apply(t.Context(), ada, q.ID, Edit{Window: "a", Patch: quiz.Patch{quiz.Add("/name", "One and more")}})
	require.NoError(t, err, "its own window knew of the first")
	_, err = e.Apply(t.Context(), ada, q.ID, Edit{Base: 2, Patch: quiz.Patch{quiz.Add("/colour", "red")}})
	require.Equal(t, Refused, KindOf(err))
	_, err = e.Apply(t.Context(), ada, q.ID, Edit{Base: 99, Patch: quiz.Patch{quiz.Add("/name", "x")}})
	require.Equal(t, Refused, KindOf(err))
	_, err = e.Apply(t.Context(), ada, "nowhere", Edit{})
	require.Equal(t, Gone, KindOf(err))
	_, err = e.Apply(t.Context(), Actor{}, q.ID, Edit{})
	require.Equal(t, Forbidden, KindOf(err))
}

// Undo undoes what its own person did, moved over what others did since, and says when someone stands in the way.
func TestUndoIsEachPersonsOwn(t *testing.T) {
	e, q := editor(t, plain)
	do := func(who Actor, base int, op quiz.Operation) {
		t.Helper()
		_, err := e.Apply(t.Context(), who, q.ID, Edit{Base: base, Patch: quiz.Patch{op}})
		require.NoError(t, err)
	}
	do(ada, 0, quiz.Add("/questions/-", quiz.Question{ID: "a1", Kind: quiz.Date}))
	do(bram, 1, quiz.Add("/questions/0", quiz.Question{ID: "b1", Kind: quiz.Date}))
	do(ada, 2, quiz.Add("/questions/1/text", "Ada's"))
	do(bram, 3, quiz.Add("/questions/1/help", "Bram's"))
	_, err := e.Undo(t.Context(), ada, q.ID, "", "")
	require.NoError(t, err)
	d := e.document(t, q.ID)
	require.Empty(t, d.Questions[1].Text)
	require.Equal(t, "Bram's", d.Questions[1].Help)
	_, err = e.Undo(t.Context(), ada, q.ID, "", "")
	var failed *Error
	require.ErrorAs(t, err, &failed)
	require.Equal(t, Stale, failed.Kind, "the question holds what Bram wrote")
	require.NotEmpty(t, failed.Since)
	_, err = e.Undo(t.Context(), bram, q.ID, "", "")
	require.NoError(t, err)
	_, err = e.Undo(t.Context(), ada, q.ID, "", "")
	require.NoError(t, err, "now nobody stands in the way")
	d = e.document(t, q.ID)
	require.Len(t, d.Questions, 1)
	require.Equal(t, "b1", d.Questions[0].ID)
	for range 2 {
		_, err = e.Redo(t.Context(), ada, q.ID, "", "")
		require.NoError(t, err)
	}
	_, err = e.Redo(t.Context(), bram, q.ID, "", "")
	require.NoError(t, err)
	d = e.document(t, q.ID)
	require.Equal(t, []string{"Ada's", "Bram's"}, []string{d.Questions[1].Text, d.Questions[1].Help})
}

// The first values of an object that is not there yet come from two people at once, and neither takes the other's back.
func TestTwoPeopleMakeRoomAtOnce(t *testing.T) {
	e, q := editor(t, plain)
	for i, who := range []Actor{ada, bram} {
		op := quiz.Add([]string{"/theme/colour", "/theme/background"}[i], "#123456")
		_, err := e.Apply(t.Context(), who, q.ID, Edit{Window: fmt.Sprint(i), Patch: quiz.Patch{op}})
		require.NoError(t, err)
	}
	_, err := e.Undo(t.Context(), ada, q.ID, "", "")
	require.NoError(t, err)
	require.Equal(t, quiz.Theme{Background: "#123456"}, e.document(t, q.ID).Theme)
}

func TestSharesTypedAtOnceAreAllStored(t *testing.T) {
	e, q := editor(t, plain)
	var all sync.WaitGroup
	for i := range 20 {
		all.Go(func() {
			_, err := e.SetShare(ada, q.ID, Share{Group: "answers", Field: "area", Value: fmt.Sprint("a", i), Text: "5%"})
			require.NoError(t, err)
		})
	}
	all.Wait()
	now, err := e.store.Documents.Quiz(q.ID)
	require.NoError(t, err)
	require.Len(t, ReadAssumed(now.Assumed).Answers["area"], 20)
	_, err = e.SetShare(ada, q.ID, Share{Group: "answers", Field: "area", Value: "a1", Text: ""})
	require.NoError(t, err)
	_, err = e.SetShare(ada, q.ID, Share{Group: "answers", Field: "area", Value: "a1", Text: "101"})
	require.Equal(t, Refused, KindOf(err))
	_, err = e.SetShare(ada, "nowhere", Share{Group: "answers"})
	require.Equal(t, Gone, KindOf(err))
}

// Fifty edits at once, of one quiz, from fifty windows: none is lost.
func TestManyAtOnce(t *testing.T) {
	e, q := editor(t, plain)
	revisions, end := e.Watch(q.ID)
	defer end()
	var all sync.WaitGroup
	for i := range 50 {
		all.Go(func() {
			who := Actor{Account: uint(1 + i%3)}
			op := quiz.Add("/questions/-", quiz.Question{ID: fmt.Sprint("q", i), Kind: quiz.Date})
			_, err := e.Apply(t.Context(), who, q.ID, Edit{Window: fmt.Sprint(i), Patch: quiz.Patch{op}})
			require.NoError(t, err)
		})
	}
	all.Wait()
	require.Len(t, e.document(t, q.ID).Questions, 50)
	require.Equal(t, 50, <-revisions, "who watches is told the last")
}

// Two people edit at random, each in a window that sees the other's edits late, with replies lost and edits sent twice.
// In the end the log replayed is the draft, no edit that was acknowledged is lost or doubled, and each undo took back
// only its own person's.
func TestTwoPeopleAtRandom(t *testing.T) {
	const seed, actions = 20260301, 300
	r := rand.New(rand.NewPCG(seed, 1))
	e, q := editor(t, `"outcomes":[{"id":"o"}],"otherwise":"o","sections":[]`)
	type window struct {
		who  Actor
		name string
		seen int
		doc  *quiz.Document
	}
	look := func(w *window) {
		now, err := e.store.Documents.Quiz(q.ID)
		require.NoError(t, err)
		w.seen, w.doc = now.Revision, e.document(t, q.ID)
	}
	windows := []*window{{who: ada, name: "a"}, {who: bram, name: "b"}}
	acknowledged := map[string]string{} // text or id of what was stored, by edit
	for n := range 2 * actions {
		w := windows[r.IntN(2)]
		if w.doc == nil || r.IntN(3) > 0 {
			look(w)
		}
		id := fmt.Sprint("edit-", n)
		send := func() (*Result, error) {
			switch {
			case r.IntN(6) == 0:
				return e.Undo(t.Context(), w.who, q.ID, id, w.name)
			case r.IntN(10) == 0:
				return e.Redo(t.Context(), w.who, q.ID, id, w.name)
			}
			patch := randomEdit(r, w.doc, n)
			return e.Apply(t.Context(), w.who, q.ID, Edit{ID: id, Window: w.name, Base: w.seen, Patch: patch})
		}
		result, err := send()
		if err != nil {
			require.NotZero(t, KindOf(err), "%v", err)
			continue
		}
		acknowledged[id] = result.Made.Kind
		if r.IntN(5) == 0 { // the reply was lost: it is asked for again
			again, err := e.Apply(t.Context(), w.who, q.ID, Edit{ID: id, Window: w.name, Base: w.seen})
			require.NoError(t, err)
			require.True(t, again.Again)
			require.Equal(t, result.Made.Number, again.Made.Number)
		}
		w.doc = nil
	}
	log := edits(t, e.store, q.ID)
	require.Len(t, log, len(acknowledged), "none lost, none doubled")
	text := q.Document
	authors := map[int]uint{}
	for _, rev := range log {
		require.Contains(t, acknowledged, rev.EditID)
		authors[rev.Number] = rev.AccountID
		if rev.Cancels > 0 {
			require.Equal(t, authors[rev.Cancels], rev.AccountID, "undo touches only its own")
		}
		patch, err := quiz.ReadPatch(rev.Patch)
		require.NoError(t, err)
		edited, err := quiz.Edit(text, patch)
		require.NoError(t, err)
		text = edited.Text
	}
	now, err := e.store.Documents.Quiz(q.ID)
	require.NoError(t, err)
	require.JSONEq(t, string(text), string(now.Document))
	kinds := map[string]int{}
	for _, kind := range acknowledged {
		kinds[kind]++
	}
	require.Greater(t, kinds[documents.KindEdit], actions/2)
	require.Greater(t, kinds[documents.KindUndo], 20)
	require.Greater(t, kinds[documents.KindRedo], 3)
}

func randomEdit(r *rand.Rand, d *quiz.Document, n int) quiz.Patch {
	fresh := quiz.Question{ID: fmt.Sprint("q", n), Kind: quiz.Single, Choices: []quiz.Choice{{ID: "a"}, {ID: "b"}}}
	if len(d.Questions) == 0 {
		return quiz.Patch{quiz.Add("/questions/-", fresh)}
	}
	i := r.IntN(len(d.Questions))
	id := quiz.Test(quiz.Pointer("questions", i, "id"), d.Questions[i].ID)
	switch r.IntN(6) {
	case 0:
		return quiz.Patch{quiz.Add("/questions/-", fresh)}
	case 1:
		return quiz.Patch{quiz.Add(quiz.Pointer("questions", r.IntN(len(d.Questions)+1)), fresh)}
	case 2:
		return quiz.Patch{id, quiz.Remove(quiz.Pointer("questions", i))}
	case 3:
		return quiz.Patch{id, quiz.Move(quiz.Pointer("questions", i), quiz.Pointer("questions", r.IntN(len(d.Questions))))}
	case 4:
		return quiz.Patch{id, quiz.Add(quiz.Pointer("questions", i, "choices", "-"), quiz.Choice{ID: fmt.Sprint("c", n)})}
	}
	return quiz.Patch{id, quiz.Add(quiz.Pointer("questions", i, "text"), fmt.Sprint("text ", n))}
}

// Revisions that are older than 90 days and than the live version go, and undo says where it ends.
func TestUndoEndsBeforeTheLiveVersion(t *testing.T) {
	clock := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	now := func() time.Time { return clock }
	dir := t.TempDir()
	s, err := store.Open(dir, store.Options{Now: now})
	require.NoError(t, err)
	e := New(s, counting.New(), now)
	d := quiz.New("Start")
	d.Questions = []quiz.Question{{ID: "q", Kind: quiz.Statement, Text: "T"}}
	text, err := json.Marshal(d)
	require.NoError(t, err)
	q, err := e.Create(ada, text)
	require.NoError(t, err)
	for n := range 3 {
		_, err = e.Apply(t.Context(), ada, q.ID, Edit{Base: n, Patch: quiz.Patch{quiz.Add("/name", fmt.Sprint(n))}})
		require.NoError(t, err)
		if n == 1 {
			_, err = e.Launch(t.Context(), ada, Launch{Quiz: q.ID, Base: 2, Link: "q", Anyway: true})
			require.NoError(t, err)
		}
	}
	clock = clock.AddDate(0, 0, 91)
	require.NoError(t, s.Close())
	s, err = store.Open(dir, store.Options{Now: now})
	require.NoError(t, err)
	defer s.Close()
	e = New(s, counting.New(), now)
	_, err = e.Undo(t.Context(), ada, q.ID, "", "")
	require.NoError(t, err, "it came after the live version")
	_, err = e.Undo(t.Context(), ada, q.ID, "", "")
	require.Equal(t, Nothing, KindOf(err))
	require.ErrorContains(t, err, "90 days")
	list := edits(t, s, q.ID)
	require.Equal(t, []int{3, 4}, []int{list[0].Number, list[1].Number})
	require.True(t, slices.IsSortedFunc(list, func(a, b documents.Revision) int { return a.Number - b.Number }))
}
