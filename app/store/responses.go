package store

import (
	"errors"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// maxBatch is how many responses one transaction takes.
const maxBatch = 256

// ErrClosed is returned for a response that comes after the database was closed.
var ErrClosed = errors.New("the server is closing: send the answer again")

// submission is a response on its way to the disk.
type submission struct {
	response *Response
	done     chan error
}

// Submit stores a response and returns when it is on disk. A response whose id is there already is not stored again:
// the first one stays, and Submit succeeds.
func (s *Store) Submit(r *Response) (err error) {
	defer func() {
		if recover() != nil { // the queue was closed
			err = ErrClosed
		}
	}()
	sub := submission{r, make(chan error, 1)}
	s.queue <- sub
	return <-sub.done
}

// commitGroups writes whatever has queued up in one transaction after another: many responses share one wait for the disk.
func (s *Store) commitGroups() {
	defer close(s.drained)
	for first := range s.queue {
		group := []submission{first}
	fill:
		for len(group) < maxBatch {
			select {
			case next, ok := <-s.queue:
				if !ok {
					break fill
				}
				group = append(group, next)
			default:
				break fill
			}
		}
		rows := make([]*Response, len(group))
		for i, sub := range group {
			rows[i] = sub.response
		}
		err := s.write.Transaction(func(tx *gorm.DB) error {
			return tx.Clauses(clause.OnConflict{DoNothing: true}).CreateInBatches(rows, 40).Error
		})
		for _, sub := range group {
			sub.done <- err
		}
	}
}

// Response returns a response by its id.
func (s *Store) Response(id string) (*Response, error) {
	var r Response
	err := s.read.Where("id = ?", id).First(&r).Error
	return &r, notFound(err)
}

// Page bounds a list of responses.
type Page struct {
	Offset int
	Limit  int // 0: no limit
}

// Responses returns kept responses of a quiz, the newest first.
func (s *Store) Responses(quizID string, p Page) ([]Response, error) {
	var list []Response
	q := s.read.Where("quiz_id = ? AND kept", quizID).Order("at DESC, id").Offset(p.Offset)
	if p.Limit > 0 {
		q = q.Limit(p.Limit)
	}
	return list, q.Find(&list).Error
}

// EachResponse calls f for every kept response, the oldest first, without holding them all.
func (s *Store) EachResponse(quizID string, f func(*Response) error) error {
	rows, err := s.read.Model(&Response{}).Where("quiz_id = ? AND kept", quizID).Order("at, id").Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var r Response
		if err := s.read.ScanRows(rows, &r); err != nil {
			return err
		}
		if err := f(&r); err != nil {
			return err
		}
	}
	return rows.Err()
}

// Counts are the finished walks of a quiz.
type Counts struct {
	Finishes int
	Leads    int            // kept, with an e-mail address
	Outcomes map[string]int // by outcome id
	Days     [30]int        // kept responses of the last 30 days, the oldest first
}

// Counts returns the counts of every quiz that has responses.
func (s *Store) Counts(now time.Time) (map[string]*Counts, error) {
	out := map[string]*Counts{}
	of := func(id string) *Counts {
		if out[id] == nil {
			out[id] = &Counts{Outcomes: map[string]int{}}
		}
		return out[id]
	}
	var rows []struct {
		QuizID  string
		Outcome string
		N       int
		Leads   int
	}
	err := s.read.Model(&Response{}).Select("quiz_id, outcome, COUNT(*) AS n, SUM(kept AND email <> '') AS leads").
		Group("quiz_id, outcome").Scan(&rows).Error
	if err != nil {
		return nil, err
	}
	for _, r := range rows {
		c := of(r.QuizID)
		c.Finishes, c.Leads, c.Outcomes[r.Outcome] = c.Finishes+r.N, c.Leads+r.Leads, r.N
	}
	var days []struct {
		QuizID string
		Day    string
		N      int
	}
	today := now.UTC().Truncate(24 * time.Hour)
	err = s.read.Model(&Response{}).Select("quiz_id, substr(at, 1, 10) AS day, COUNT(*) AS n").
		Where("kept AND at >= ?", today.AddDate(0, 0, -29)).Group("quiz_id, substr(at, 1, 10)").Scan(&days).Error
	for _, d := range days {
		at, perr := time.Parse(time.DateOnly, d.Day)
		if ago := int(today.Sub(at).Hours() / 24); perr == nil && ago >= 0 && ago < 30 {
			of(d.QuizID).Days[29-ago] = d.N
		}
	}
	return out, err
}

// QuizCounts returns the counts of one quiz.
func (s *Store) QuizCounts(id string, now time.Time) (*Counts, error) {
	all, err := s.Counts(now)
	if err != nil {
		return nil, err
	}
	if c := all[id]; c != nil {
		return c, nil
	}
	return &Counts{Outcomes: map[string]int{}}, nil
}
