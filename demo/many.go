package demo

import (
	"fmt"
	"math/rand/v2"
	"time"

	"omphalos/app/store"
	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// manyVersions is over how many versions Many spreads responses.
const manyVersions = 3

// Many submits n responses to a quiz, spread over three versions of it, of which those that are not there yet are
// launched. It is for measuring what much costs; from is how many it has been asked for before.
func Many(s *store.Store, quizID string, from, n int, now time.Time) error {
	walks, err := versions(s, quizID)
	if err != nil {
		return err
	}
	g := &generator{Rand: rand.New(rand.NewPCG(2026, uint64(from))), now: now}
	work, wait := submitting(s)
	for i := range n {
		version := i % manyVersions
		at := g.now.Add(-time.Duration(g.Float64() * float64(60*24*time.Hour))).UTC()
		r, err := g.response(s, quizID, version+1, walks[version], i, at)
		if err != nil {
			return err
		}
		r.ID = fmt.Sprintf("many%010d", from+i)
		if r.Email != "" { // hardly two people have the same
			r.Email = fmt.Sprintf("p%d.%s", from+i, r.Email)
		}
		work <- r
	}
	close(work)
	return wait()
}

// versions are the first versions of a quiz; each weighs the first choice of all by one more than the one before.
func versions(s *store.Store, quizID string) ([]*walk.Compiled, error) {
	var out []*walk.Compiled
	for number := 1; number <= manyVersions; number++ {
		d, err := s.Documents.VersionDocument(quizID, number)
		if database.IsNotFound(err) {
			if d, err = launchAnother(s, quizID); err != nil {
				return nil, err
			}
		}
		if err != nil {
			return nil, err
		}
		c, err := walk.New(d)
		if err != nil {
			return nil, err
		}
		out = append(out, c)
	}
	return out, nil
}

func launchAnother(s *store.Store, quizID string) (*quiz.Document, error) {
	q, err := s.Documents.Quiz(quizID)
	if err != nil {
		return nil, err
	}
	d, err := quiz.Read(q.Document)
	if err != nil {
		return nil, err
	}
	scale := d.Scales[0].ID
	points := d.Questions[0].Choices[0].Points
	op := quiz.Add(quiz.Pointer("questions", 0, "choices", 0, "points", scale), points[scale].Add(rule.Int(1)))
	edited, err := quiz.Edit(q.Document, quiz.Patch{op})
	if err != nil {
		return nil, err
	}
	return edited.Document, launchNext(s, quizID, edited.Text)
}

// launchNext makes a text the draft of a quiz that runs, and launches it.
func launchNext(s *store.Store, quizID string, text []byte) error {
	q, err := s.Documents.Quiz(quizID)
	if err != nil {
		return err
	}
	owner, err := s.People.FirstAccount()
	if err != nil {
		return err
	}
	err = s.Documents.Swap(q.Revision, &documents.Next{
		Revision: documents.Revision{
			QuizID:    quizID,
			Number:    q.Revision + 1,
			EditID:    database.NewID(),
			Kind:      documents.KindEdit,
			AccountID: owner.ID,
			At:        time.Now().UTC(),
			Patch:     []byte("[]"),
			Inverse:   []byte("[]"),
		},
		Name:     q.Name,
		Document: text,
	})
	if err == nil {
		_, err = s.Launch(quizID, owner.ID, q.Revision+1, *q.Slug, 0)
	}
	return err
}
