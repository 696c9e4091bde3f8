package store

import (
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"gorm.io/gorm/clause"

	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/documents"
	"omphalos/app/store/people"
	"omphalos/app/store/responses"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

func open(t testing.TB) *Store {
	t.Helper()
	s, err := openAt(t, t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	return s
}

// has makes sure that there is a quiz of an id.
func has(t testing.TB, s *Store, id string) {
	t.Helper()
	q := &documents.Quiz{ID: id, Document: []byte(`{"format":"omphalos-quiz/1","name":"","questions":[],"outcomes":[{"id":"o"}],"otherwise":"o"}`), CreatedAt: s.Now().UTC()}
	require.NoError(t, s.Write.Clauses(clause.OnConflict{DoNothing: true}).Create(q).Error)
}

// changeName is an edit as the editor stores it.
func changeName(t *testing.T, s *Store, id string, base int, name string) {
	t.Helper()
	q, err := s.Documents.Quiz(id)
	require.NoError(t, err)
	edited, err := quiz.Edit(q.Document, quiz.Patch{quiz.Add("/name", name)})
	require.NoError(t, err)
	next := &documents.Next{Name: name, Document: edited.Text, Revision: documents.Revision{QuizID: id, Number: base + 1, EditID: database.NewID(), AccountID: 1, At: s.Now().UTC()},
		History: documents.History{QuizID: id, AccountID: 1, Undo: base + 1}}
	require.NoError(t, s.Documents.Swap(base, next))
	require.ErrorIs(t, s.Documents.Swap(base, next), documents.ErrOvertaken)
}

func TestLaunchFreezesAndSlugsAreUnique(t *testing.T) {
	s := open(t)
	a, err := s.Documents.CreateQuiz(quiz.New("A"))
	require.NoError(t, err)
	b, err := s.Documents.CreateQuiz(quiz.New("B"))
	require.NoError(t, err)
	v, err := s.Launch(a.ID, 1, 0, "wall", 0)
	require.NoError(t, err)
	require.Equal(t, 1, v.Number)
	_, err = s.Launch(b.ID, 1, 0, "wall", 0)
	require.ErrorIs(t, err, documents.ErrSlugTaken)
	changeName(t, s, a.ID, 0, "Changed")
	_, err = s.Launch(a.ID, 1, 0, "wall", 0)
	require.ErrorIs(t, err, documents.ErrOvertaken, "a launch of what is no longer there")
	first, err := s.Documents.Version(a.ID, 1)
	require.NoError(t, err)
	require.NotContains(t, string(first.Document), "Changed")
	require.NoError(t, s.Documents.DeleteQuiz(a.ID))
	_, err = s.Documents.QuizBySlug("wall")
	require.ErrorIs(t, err, database.ErrNotFound)
	require.NoError(t, s.Documents.RestoreQuiz(a.ID))
	_, err = s.Documents.QuizBySlug("wall")
	require.NoError(t, err)
}

func TestSubmittingTwiceKeepsTheFirst(t *testing.T) {
	s := open(t)
	today := time.Now().UTC().Format(time.DateOnly)
	submit(t, s, &responses.Response{ID: "w", QuizID: "q", Kept: true, Outcome: "a", Email: "a@b", Day: today, At: time.Now()})
	submit(t, s, &responses.Response{ID: "w", QuizID: "q", Kept: true, Outcome: "b", At: time.Now()})
	r, err := s.Responses.Response("w")
	require.NoError(t, err)
	require.Equal(t, "a", r.Outcome)
	counts, err := s.Tallies.QuizCounts("q", time.UTC)
	require.NoError(t, err)
	require.Equal(t, 1, counts.Finishes)
	require.Equal(t, 1, counts.Leads)
	require.Equal(t, 1, counts.Days[29])
}

func TestAccounts(t *testing.T) {
	s := open(t)
	a, err := s.People.CreateOwner("Ada@Larkmoor.example", "a long password")
	require.NoError(t, err)
	_, err = s.People.CreateOwner("b@larkmoor.example", "a long password")
	require.ErrorIs(t, err, people.ErrOwnerExists)
	got, err := s.People.CheckPassword("ada@larkmoor.example ", "a long password")
	require.NoError(t, err)
	require.Equal(t, a.ID, got.ID)
	_, err = s.People.CheckPassword("ada@larkmoor.example", "another")
	require.ErrorIs(t, err, database.ErrNotFound)
	_, err = s.People.CheckPassword("nobody@larkmoor.example", "a long password")
	require.ErrorIs(t, err, database.ErrNotFound)
	token, err := s.People.StartSession(a)
	require.NoError(t, err)
	got, err = s.People.SessionAccount(token)
	require.NoError(t, err)
	require.Equal(t, a.Email, got.Email)
	require.NoError(t, s.People.EndSession(token))
	_, err = s.People.SessionAccount(token)
	require.ErrorIs(t, err, database.ErrNotFound)
}

var thirty = rule.Int(30)

// sampled is a sample as it is submitted.
func sampled(n int64) responses.Submission {
	return responses.Submission{Response: sample(n), Given: map[string]walk.Answer{
		"area": {Picks: []string{"large"}}, "light": {Picks: []string{"sun"}}, "staff": {Number: &thirty},
	}}
}

// sample is a response of a usual size.
func sample(n int64) *responses.Response {
	return &responses.Response{ID: fmt.Sprintf("bench%020d", n), QuizID: "q", Version: 1, Kept: true, Outcome: "visit", Verdict: "2", Reason: "Fit 22 is over the cut point 18 → Site visit",
		Scores: []byte(`{"scale.fit":"22","scale.urgency":"8","percent.fit":"88"}`), Answers: []byte(`{"area":{"picks":["large"]},"light":{"picks":["sun"]},"staff":{"number":30}}`),
		Name: "Orla Quill", Email: "orla@fenhall.example", Contact: []byte(`{"name":"Orla Quill"}`), Consent: "You may write to me.", StartedAt: time.Now(), At: time.Now()}
}

// submit stores a response, and reports whether it was new.
func submit(t testing.TB, s *Store, r *responses.Response, more ...func(*responses.Submission)) bool {
	t.Helper()
	has(t, s, r.QuizID)
	one := responses.Submission{Response: r}
	for _, add := range more {
		add(&one)
	}
	fresh, err := s.Responses.Submit(one)
	require.NoError(t, err)
	return fresh
}

// BenchmarkSubmit is acknowledged submissions of many clients at once; BenchmarkBareGroupCommit is the limit: the same
// row in the same groups by database/sql alone.
func BenchmarkSubmit(b *testing.B) {
	s := open(b)
	has(b, s, sample(1).QuizID)
	var n atomic.Int64
	b.SetParallelism(64)
	b.ResetTimer()
	b.RunParallel(func(pb *testing.PB) {
		for pb.Next() {
			if _, err := s.Responses.Submit(sampled(n.Add(1))); err != nil {
				b.Error(err)
			}
		}
	})
}

// BenchmarkSubmitWithMail is the same with two mails written in each response's transaction.
func BenchmarkSubmitWithMail(b *testing.B) {
	s := open(b)
	has(b, s, sample(1).QuizID)
	var n atomic.Int64
	b.SetParallelism(64)
	b.ResetTimer()
	b.RunParallel(func(pb *testing.PB) {
		for pb.Next() {
			r := sampled(n.Add(1))
			r.Mails = []deliveries.Mail{
				{MessageID: "thanks", Recipients: "orla@fenhall.example", At: r.At},
				{MessageID: "team", Recipients: "desk@larkmoor.example", At: r.At},
			}
			if _, err := s.Responses.Submit(r); err != nil {
				b.Error(err)
			}
		}
	})
}

// Every field of a response comes back as it was submitted: the statement that stores them names each column by hand.
func TestAResponseIsStoredWhole(t *testing.T) {
	s := open(t)
	var r responses.Response
	at := time.Date(2026, 3, 1, 10, 0, 0, 0, time.UTC)
	v := reflect.ValueOf(&r).Elem()
	for i := range v.NumField() {
		if slices.Contains([]string{"Given", "Cap", "Invitation", "Mails", "Walked"}, v.Type().Field(i).Name) {
			continue // they are not stored
		}
		switch f := v.Field(i); f.Interface().(type) {
		case string:
			f.SetString(v.Type().Field(i).Name)
		case int:
			f.SetInt(int64(i + 1))
		case bool:
			f.SetBool(true)
		case []byte:
			f.SetBytes([]byte(`{"field":` + strconv.Itoa(i) + `}`))
		case time.Time:
			f.Set(reflect.ValueOf(at.Add(time.Duration(i) * time.Minute)))
		case *time.Time:
			then := at.Add(time.Duration(i) * time.Hour)
			f.Set(reflect.ValueOf(&then))
		default:
			t.Fatalf("%s has a kind that this test does not know", v.Type().Field(i).Name)
		}
	}
	require.True(t, submit(t, s, &r))
	got, err := s.Responses.Response(r.ID)
	require.NoError(t, err)
	require.Equal(t, &r, got)
	again := r
	again.Name = "Someone else changed the same text or setting"
	require.False(t, submit(t, s, &again))
	got, err = s.Responses.Response(r.ID)
	require.NoError(t, err)
	require.Equal(t, "Name", got.Name, "the first one stays")
}
