package app

import (
	"fmt"
	"net/http"
	"sync"
	"testing"
	"time"

	"omphalos/app/store"
	"omphalos/app/store/responses"
	"omphalos/core/quiz"
)

// grow gives a quiz so many responses more.
func grow(b *testing.B, s *store.Store, quizID string, from, to int) {
	b.Helper()
	work := make(chan int)
	var all sync.WaitGroup
	for range 256 {
		all.Go(func() {
			for n := range work {
				at := time.Now().UTC().Add(-time.Duration(n) * time.Minute / 4)
				r := &responses.Response{ID: fmt.Sprintf("cost%08d", n), QuizID: quizID, Version: 1, Kept: n%3 > 0, Outcome: []string{"visit", "pack", "potted"}[n%3], Verdict: "2",
					Day: at.Format(time.DateOnly), At: at, StartedAt: at.Add(-time.Minute), Source: fmt.Sprint("source", n%400), Device: "phone", Country: "IE"}
				if r.Kept {
					r.Email, r.Scores = fmt.Sprintf("p%d@cost.example", n), []byte(`{"scale.fit":"22","scale.urgency":"8","percent.fit":"88"}`)
					r.Answers = []byte(fmt.Sprintf(`{"area":{"picks":["large"]},"light":{"picks":["sun"]},"staff":{"number":%d}}`, n%300))
				}
				if _, err := s.Responses.Submit(responses.Submission{Response: r}); err != nil {
					b.Error(err)
				}
			}
		})
	}
	for n := from; n < to; n++ {
		work <- n
	}
	close(work)
	all.Wait()
}

// BenchmarkCost is what an edit and the pages of the workbench cost with 100, 20,000 and 200,000 responses.
func BenchmarkCost(b *testing.B) {
	d := newDesk(b, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	if err != nil {
		b.Fatal(err)
	}
	base := "/quizzes/" + q.ID
	revision, had := q.Revision, 0
	for _, n := range []int{100, 20_000, 200_000} {
		grow(b, d.Store, q.ID, had, n)
		had = n
		b.Run(fmt.Sprintf("edit/%d", n), func(b *testing.B) {
			for i := range b.N {
				code, _ := d.post(base+"/edits", map[string]any{"base": revision, "room": "script", "patch": quiz.Patch{quiz.Add("/questions/0/help", fmt.Sprint("Help ", i))}})
				if code != http.StatusOK {
					b.Fatal(code)
				}
				revision++
			}
		})
		for _, page := range []string{"/", base + "/script", base + "/leads", base + "/reach", base + "/reach?assume=seen"} {
			name := page
			if page != "/" {
				name = page[len(base)+1:]
			}
			b.Run(fmt.Sprintf("%s/%d", name, n), func(b *testing.B) {
				for range b.N {
					if code := d.get(page).Code; code != http.StatusOK {
						b.Fatal(code)
					}
				}
			})
		}
	}
}
