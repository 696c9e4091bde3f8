package store

import (
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
	"omphalos/core/quiz"
)

// tallied is every tally of a quiz, by table.
func tallied(t testing.TB, s *Store, quizID string) map[string]any {
	t.Helper()
	var stages []tallies.StageTally
	var days []tallies.DayTally
	var slices []tallies.SliceTally
	var answers []tallies.AnswerTally
	nothing := "count <> 0"
	require.NoError(t, s.Read.Where("quiz_id = ?", quizID).Where(nothing).Order("version, stage, place").Find(&stages).Error)
	require.NoError(t, s.Read.Where("quiz_id = ?", quizID).Where(nothing).Order("day, version, stage").Find(&days).Error)
	require.NoError(t, s.Read.Where("quiz_id = ?", quizID).Where(nothing).Order("kind, value, stage").Find(&slices).Error)
	require.NoError(t, s.Read.Where("quiz_id = ?", quizID).Where(nothing).Order("version, field, value, outcome").Find(&answers).Error)
	return map[string]any{"stages": stages, "days": days, "slices": slices, "answers": answers}
}

func randomResponse(r *rand.Rand, n int) *responses.Response {
	at := time.Date(2026, 3, 1+r.IntN(20), r.IntN(24), 0, 0, r.IntN(1000)*1e6, time.UTC)
	out := &responses.Response{ID: fmt.Sprintf("walk%08d", n), QuizID: "q", Version: 1 + r.IntN(2), Kept: r.IntN(4) > 0, Day: at.Format(time.DateOnly), At: at,
		Outcome: []string{"visit", "pack", "later"}[r.IntN(3)]}
	if r.IntN(8) == 0 {
		out.Suspect = "it was answered faster than anyone could read"
	}
	if !out.Kept {
		return out
	}
	out.Source, out.Device, out.Country = fmt.Sprint("s", r.IntN(300)), []string{"", "phone"}[r.IntN(2)], []string{"", "IE", "NL"}[r.IntN(3)]
	out.Language, out.StartedAt = []string{"", "en", "nl"}[r.IntN(3)], at.Add(-time.Duration(r.IntN(4000))*time.Second)
	if r.IntN(2) == 0 {
		out.Name, out.Email = fmt.Sprint("Orla Fenn", n), "x@y.example"
	}
	out.Answers = []byte(fmt.Sprintf(`{"area":{"picks":["a%d"]},"looks":{"picks":["x","y"]},"care":{"rows":{"w":"often"}},"staff":{"number":%d},"note":{"text":"words"},"blank":{}}`, r.IntN(3), r.IntN(40)))
	return out
}

// Whatever is submitted, sent twice, taken in, completed or changed by going back, the tallies are what a recount makes
// of the responses.
func TestTalliesEqualARecount(t *testing.T) {
	s := open(t)
	r := rand.New(rand.NewPCG(11, 3))
	var all sync.WaitGroup
	for n := range 600 {
		resp := randomResponse(r, n)
		again := *resp
		twice, back := r.IntN(10) == 0, r.IntN(5) == 0
		all.Go(func() {
			submit(t, s, resp)
			if twice {
				submit(t, s, &again)
			}
			if back && !again.Kept {
				again.Kept, again.Outcome, again.Email = true, "visit", "back@y.example"
				again.Answers = []byte(`{"area":{"picks":["a1"]}}`)
				submit(t, s, &again)
			}
		})
	}
	all.Wait()
	for n := range 600 {
		id := fmt.Sprintf("walk%08d", n)
		switch r.IntN(6) {
		case 0:
			if err := s.Responses.TakeIn("q", id); err != nil {
				require.NoError(t, err)
			}
		case 1:
			require.NoError(t, s.Responses.AddContact(&responses.Response{ID: id, Email: "later@y.example", Contact: []byte(`{"email":"later@y.example"}`)}))
		}
	}
	s.Responses.Tally(tallies.Event{QuizID: "q", Version: 1, Day: "2026-03-02", Source: "fair", Stage: tallies.StageView})
	s.Responses.Tally(tallies.Event{QuizID: "q", Version: 1, Day: "2026-03-02", Source: "fair", Stage: tallies.StageStep, Place: "area"})
	submit(t, s, randomResponse(r, 9999))
	before := tallied(t, s, "q")
	require.Greater(t, len(before["slices"].([]tallies.SliceTally)), 200)
	require.NoError(t, s.Responses.Recount("q"))
	require.Equal(t, before, tallied(t, s, "q"))
	n, err := s.Responses.RecountAll()
	require.NoError(t, err)
	require.Equal(t, 1, n)

	counts, err := s.Tallies.QuizCounts("q", time.UTC)
	require.NoError(t, err)
	var finishes, kept, leads int64
	genuine := s.Read.Model(&responses.Response{}).Where("quiz_id = ? AND NOT aside", "q")
	require.NoError(t, genuine.Session(&gorm.Session{}).Count(&finishes).Error)
	require.NoError(t, genuine.Session(&gorm.Session{}).Where("kept").Count(&kept).Error)
	require.NoError(t, genuine.Session(&gorm.Session{}).Where("kept AND email <> ''").Count(&leads).Error)
	require.EqualValues(t, finishes, counts.Finishes)
	require.EqualValues(t, kept, counts.Kept)
	require.EqualValues(t, leads, counts.Leads)
	require.Equal(t, 1, counts.Views)
	sources := map[string]bool{}
	for _, w := range before["slices"].([]tallies.SliceTally) {
		if w.Kind == tallies.BySource {
			sources[w.Value] = true
		}
	}
	require.LessOrEqual(t, len(sources), tallies.MaxSources+2, "past the bound they are others")
	require.Contains(t, sources, tallies.ValueOthers)
}

// reads counts the statements that read and the rows that they return.
type reads struct{ queries, rows int }

func countReads(t testing.TB, s *Store, f func()) reads {
	t.Helper()
	var got reads
	name := "count:" + database.NewID()
	require.NoError(t, s.Read.Callback().Query().After("gorm:query").Register(name, func(db *gorm.DB) {
		got.queries++
		got.rows += int(db.RowsAffected)
	}))
	f()
	require.NoError(t, s.Read.Callback().Query().Remove(name))
	return got
}

// What figures cost does not know how many responses there are: the same statements, the same rows.
func TestFiguresCostTheSameHoweverManyResponses(t *testing.T) {
	s := open(t)
	r := rand.New(rand.NewPCG(5, 5))
	submit := func(from, to int) {
		var all sync.WaitGroup
		for n := from; n < to; n++ {
			resp := randomResponse(r, n)
			all.Go(func() { submit(t, s, resp) })
		}
		all.Wait()
	}
	cost := func() reads {
		return countReads(t, s, func() {
			_, err := s.Tallies.QuizCounts("q", time.UTC)
			require.NoError(t, err)
			_, err = s.Tallies.Counts(func(string) *time.Location { return time.UTC })
			require.NoError(t, err)
			_, err = s.Tallies.AnswerCounts("q")
			require.NoError(t, err)
			_, err = s.Responses.Reader("q", responses.Genuine).Before(responses.Cursor{}, 25)
			require.NoError(t, err)
		})
	}
	submit(0, 300)
	few := cost()
	submit(300, 6000)
	many := cost()
	require.Equal(t, few.queries, many.queries)
	require.LessOrEqual(t, many.rows, few.rows+20, "a new day, a new answer at the most")
}

func TestReadingPageByPage(t *testing.T) {
	s := open(t)
	r := rand.New(rand.NewPCG(8, 1))
	want := map[int]int{}
	for n := range 1300 {
		resp := randomResponse(r, n)
		resp.At = resp.At.Truncate(time.Hour) // many at the same time
		submit(t, s, resp)
		if resp.Kept {
			want[responses.All]++
			if resp.Suspect == "" {
				want[responses.Genuine]++
			} else {
				want[responses.Aside]++
			}
		}
	}
	for which, n := range want {
		seen, last := map[string]bool{}, responses.Cursor{}
		for resp, err := range s.Responses.Reader("q", which).All() {
			require.NoError(t, err)
			require.False(t, seen[resp.ID])
			seen[resp.ID] = true
			require.False(t, resp.At.Before(last.At))
			last = responses.CursorOf(resp)
		}
		require.Len(t, seen, n)
	}
	var forth, backwards []string
	for resp, err := range s.Responses.Reader("q", responses.Genuine).All() {
		require.NoError(t, err)
		forth = append(forth, resp.ID)
	}
	for resp, err := range s.Responses.Reader("q", responses.Genuine).Newest() {
		require.NoError(t, err)
		backwards = append(backwards, resp.ID)
	}
	require.Greater(t, len(backwards), responses.ReaderPage)
	slices.Reverse(backwards)
	require.Equal(t, forth, backwards, "Newest is All backwards, over more than one page")
	reader := s.Responses.Reader("q", responses.Genuine)
	newest, err := reader.Before(responses.Cursor{}, 10)
	require.NoError(t, err)
	next, err := reader.Before(responses.CursorOf(&newest[9]), 10)
	require.NoError(t, err)
	back, err := reader.After(responses.CursorOf(&next[0]), 10)
	require.NoError(t, err)
	require.Equal(t, newest, back)
	c, err := responses.ParseCursor(responses.CursorOf(&next[0]).String())
	require.NoError(t, err)
	require.Equal(t, responses.CursorOf(&next[0]), c)
	for _, bad := range []string{"x", "!!", "YWJj"} {
		_, err := responses.ParseCursor(bad)
		require.Error(t, err, bad)
	}
}

// Names of links: a quiz that is launched under another one keeps the old one leading to it, and a deleted quiz frees
// its names.
func TestLinksAreKeptAndFreed(t *testing.T) {
	s := open(t)
	make := func(name string) string {
		q, err := s.Documents.CreateQuizText(name, []byte(`{"name":"`+name+`"}`))
		require.NoError(t, err)
		return q.ID
	}
	a, b := make("A"), make("B")
	leads := func(slug, id string) {
		t.Helper()
		q, err := s.Documents.QuizBySlug(slug)
		if id == "" {
			require.ErrorIs(t, err, database.ErrNotFound)
			return
		}
		require.NoError(t, err)
		require.Equal(t, id, q.ID)
	}
	_, err := s.Launch(a, 1, 0, "one", 0)
	require.NoError(t, err)
	state := s.State()
	_, err = s.Launch(a, 1, 0, "two", 0)
	require.NoError(t, err)
	require.NotEqual(t, state, s.State())
	leads("one", a)
	leads("two", a)
	_, err = s.Launch(b, 1, 0, "one", 0)
	require.ErrorIs(t, err, documents.ErrSlugTaken, "it still leads somewhere")
	require.NoError(t, s.Documents.DeleteQuiz(a))
	leads("two", "")
	_, err = s.Launch(b, 1, 0, "two", 0)
	require.NoError(t, err)
	leads("two", b)
	require.NoError(t, s.Documents.RestoreQuiz(a))
	q, err := s.Documents.Quiz(a)
	require.NoError(t, err)
	require.Equal(t, "two-2", *q.Slug, "its name was taken meanwhile")
	leads("two-2", a)
	leads("one", a)
	leads("two", b)
}

// The database is one of the schema before links, tallies and histories by person, made by that program. Everything is
// there afterwards, and undo continues where it stood.
func TestADatabaseOfTheEarlierSchema(t *testing.T) {
	dir := t.TempDir()
	from, err := os.Open("testdata/schema3.sqlite")
	require.NoError(t, err)
	to, err := os.Create(filepath.Join(dir, File))
	require.NoError(t, err)
	_, err = io.Copy(to, from)
	require.NoError(t, err)
	require.NoError(t, to.Close())
	s, err := Open(dir, Options{Now: func() time.Time { return time.Date(2026, 3, 10, 0, 0, 0, 0, time.UTC) }})
	require.NoError(t, err)
	defer s.Close()

	q, err := s.Documents.QuizBySlug("ferns")
	require.NoError(t, err)
	require.Equal(t, "Ferns and more", q.Name)
	require.Equal(t, 5, q.Revision)
	_, err = s.People.CheckPassword("ada@larkmoor.example", "larkmoor-demo")
	require.NoError(t, err)
	v, err := s.Documents.VersionDocument(q.ID, 1)
	require.NoError(t, err)
	require.Equal(t, "How large is it?", v.Questions[0].Text)
	tables, err := s.Documents.Tables(q.ID)
	require.NoError(t, err)
	require.Equal(t, "Aber", tables[0].Rows[0][1])
	misses, err := s.Documents.Misses(q.ID)
	require.NoError(t, err)
	require.Len(t, misses, 1)

	counts, err := s.Tallies.QuizCounts(q.ID, time.UTC)
	require.NoError(t, err)
	require.Equal(t, []int{5, 3, 1, 3}, []int{counts.Finishes, counts.Kept, counts.Aside, counts.Leads})
	n := 0
	for r, err := range s.Responses.Reader(q.ID, responses.All).All() {
		require.NoError(t, err)
		a, err := s.Responses.Answered(r)
		require.NoError(t, err)
		require.Equal(t, []string{"large"}, a.Answers["area"].Picks)
		require.Equal(t, "4", a.Scores["scale.fit"])
		require.True(t, strings.HasPrefix(r.Day, "2026-03-0"))
		n++
	}
	require.Equal(t, 4, n)

	h, err := s.Documents.History(q.ID, 1)
	require.NoError(t, err)
	require.Equal(t, documents.History{QuizID: q.ID, AccountID: 1, Undo: 3, Redo: 5}, h, "the fourth edit was taken back by the fifth")
	undone, err := s.Documents.Revision(q.ID, 5)
	require.NoError(t, err)
	require.Equal(t, 4, undone.Cancels)
}

// One that kept nothing gives way to one of the same walk that keeps its answers, and to no other.
func TestWhatKeptNothingGivesWay(t *testing.T) {
	s := open(t)
	at := time.Now().UTC()
	of := func(outcome string, kept bool) *responses.Response {
		return &responses.Response{ID: "w", QuizID: "q", Version: 1, Outcome: outcome, Kept: kept, Day: "2026-03-02", At: at}
	}
	require.True(t, submit(t, s, of("none", false)))
	require.False(t, submit(t, s, of("other", false)))
	require.True(t, submit(t, s, of("visit", true)))
	require.False(t, submit(t, s, of("pack", true)))
	r, err := s.Responses.Response("w")
	require.NoError(t, err)
	require.True(t, r.Kept)
	require.Equal(t, "visit", r.Outcome)
	require.Equal(t, 1, func() int {
		c, err := s.Tallies.QuizCounts("q", time.UTC)
		require.NoError(t, err)
		return c.Finishes
	}())
}

// Events that a failed transaction took along are counted by the next one.
func TestEventsOutliveAFailedTransaction(t *testing.T) {
	s := open(t)
	has(t, s, "q")
	failure := errors.New("the disk is full")
	err := s.Responses.InTurn(func(*database.Transaction, *tallies.Sums) error {
		s.Responses.Tally(tallies.Event{QuizID: "q", Version: 1, Day: "2026-03-02", Stage: tallies.StageView}) // meanwhile
		return failure
	})
	require.ErrorIs(t, err, failure)
	s.Responses.Tally(tallies.Event{QuizID: "q", Version: 1, Day: "2026-03-02", Stage: tallies.StageView})
	err = s.Responses.InTurn(func(*database.Transaction, *tallies.Sums) error { return failure })
	require.ErrorIs(t, err, failure)
	require.True(t, submit(t, s, &responses.Response{ID: "w", QuizID: "other", At: time.Now()}))
	counts, err := s.Tallies.QuizCounts("q", time.UTC)
	require.NoError(t, err)
	require.Equal(t, 2, counts.Views)
}

// A response that is taken in while its contact is being added: whichever comes first, the tallies are a recount's.
func TestTallyTakeInAndContactAtOnce(t *testing.T) {
	for n := range 10 {
		s := open(t)
		id := fmt.Sprintf("both%d", n)
		submit(t, s, &responses.Response{ID: id, QuizID: "q", Version: 1, Outcome: "visit", Kept: true, Suspect: "fast",
			Day: "2026-03-02", At: time.Now()})
		held, hold := make(chan struct{}), make(chan struct{})
		var all sync.WaitGroup
		all.Go(func() {
			require.NoError(t, s.Responses.InTurn(func(*database.Transaction, *tallies.Sums) error {
				close(held)
				<-hold
				return nil
			}))
		})
		<-held // both come while the writer is busy
		all.Go(func() { require.NoError(t, s.Responses.TakeIn("q", id)) })
		all.Go(func() {
			require.NoError(t, s.Responses.AddContact(&responses.Response{ID: id, Email: "x@y.example", Contact: []byte(`{"email":"x@y.example"}`)}))
		})
		require.Eventually(t, func() bool { return s.Responses.Queued() == 2 }, 5*time.Second, time.Millisecond)
		close(hold)
		all.Wait()
		counts, err := s.Tallies.QuizCounts("q", time.UTC)
		require.NoError(t, err)
		require.Equal(t, 1, counts.Leads)
		before := tallied(t, s, "q")
		require.NoError(t, s.Responses.Recount("q"))
		require.Equal(t, before, tallied(t, s, "q"))
	}
}

// A finish that keeps nothing is counted by its source and device, though its row does not say them; a recount keeps
// these figures, and one that gives way to a lead is counted once.
func TestFinishesThatKeepNothingHaveASource(t *testing.T) {
	s := open(t)
	at := time.Date(2026, 3, 2, 10, 0, 0, 0, time.UTC)
	from := tallies.Walked{Source: "newsletter", Device: "phone", Country: "ie", Language: "en", Way: tallies.WayQR}
	finish := func(id string, kept bool) {
		r := &responses.Response{ID: id, QuizID: "q", Version: 1, Outcome: "later", Kept: kept, Day: "2026-03-02", At: at}
		walked := from
		if kept {
			walked = tallies.Walked{}
			r.Outcome, r.Answers = "visit", []byte("{}")
			r.Source, r.Device, r.Country, r.Language, r.Way = from.Source, from.Device, from.Country, from.Language, from.Way
		}
		submit(t, s, r, func(one *responses.Submission) { one.Walked = walked })
	}
	want := func(finishes, kept int) {
		t.Helper()
		for kind, value := range map[string]string{tallies.BySource: "newsletter", tallies.ByDevice: "phone", tallies.ByCountry: "ie", tallies.ByLanguage: "en", tallies.ByWay: tallies.WayQR} {
			var list []tallies.SliceTally
			require.NoError(t, s.Read.Where("quiz_id = 'q' AND kind = ? AND stage = ? AND count <> 0", kind, tallies.StageEnd).Find(&list).Error)
			require.Len(t, list, 1, kind)
			require.Equal(t, value, list[0].Value)
			require.Equal(t, tallies.Measure{Count: finishes, Kept: kept}, list[0].Measure, kind)
		}
		got, err := s.Responses.Response("a")
		require.NoError(t, err)
		require.Empty(t, got.Source+got.Device+got.Country, "the row says nothing of it")
	}
	finish("a", false)
	finish("b", false)
	finish("c", true)
	want(3, 1)
	require.NoError(t, s.Responses.Recount("q"))
	want(3, 1)
	finish("b", true) // they went back and became a lead
	want(3, 2)
	require.NoError(t, s.Responses.Recount("q"))
	want(3, 2)
}

// What has come before a split test begins is not booked into it, though it is not written yet.
func TestASplitBeginsWithWhatHasCome(t *testing.T) {
	s := open(t)
	q, err := s.Documents.CreateQuiz(&quiz.Document{Format: quiz.Format, Name: "Q", Outcomes: []quiz.Outcome{{ID: "o"}}, Otherwise: "o"})
	require.NoError(t, err)
	_, err = s.Launch(q.ID, 0, q.Revision, "q", 0)
	require.NoError(t, err)
	for range 3 {
		s.Responses.Tally(tallies.Event{QuizID: q.ID, Version: 1, Day: "2026-03-02", Stage: tallies.StageStart})
	}
	_, err = s.Launch(q.ID, 0, q.Revision, "q", 0.5)
	require.NoError(t, err)
	s.Responses.Tally(tallies.Event{QuizID: q.ID, Version: 1, Day: "2026-03-02", Stage: tallies.StageStart})
	now, err := s.Documents.Quiz(q.ID)
	require.NoError(t, err)
	a, err := responses.AccessOf(now)
	require.NoError(t, err)
	require.Equal(t, 3, a.Split.Before[1].Starts)
}
