package store

import (
	"errors"
	"time"
)

// maxBatch is how many responses one transaction takes.
const maxBatch = 256

// ErrClosed is returned for a response that comes after the database was closed.
var ErrClosed = errors.New("the server is closing: send the answer again")

const insertResponse = `INSERT INTO responses (id, quiz_id, version, kept, outcome, verdict, reason, scores, answers, name, email, contact, consent, consent_at, source, suspect, params, started_at, at)
VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO NOTHING`

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
		err := s.insert(rows)
		for _, sub := range group {
			sub.done <- err
		}
	}
}

// insert writes responses in one transaction. It asks the driver itself: this is where an answer waits for the disk, and where
// a general way of writing rows takes longer than the database.
func (s *Store) insert(rows []*Response) (err error) {
	pool, err := s.write.DB()
	if err != nil {
		return err
	}
	tx, err := pool.Begin()
	if err != nil {
		return err
	}
	defer func() {
		if err != nil {
			err = errors.Join(err, tx.Rollback())
		}
	}()
	insert, err := tx.Prepare(insertResponse)
	if err != nil {
		return err
	}
	defer insert.Close()
	for _, r := range rows {
		if _, err = insert.Exec(r.ID, r.QuizID, r.Version, r.Kept, r.Outcome, r.Verdict, r.Reason, r.Scores, r.Answers, r.Name, r.Email, r.Contact, r.Consent, r.ConsentAt, r.Source, r.Suspect, r.Params, r.StartedAt, r.At); err != nil {
			return err
		}
	}
	return tx.Commit()
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
	Limit  int  // 0: no limit
	Aside  bool // those kept aside, instead of all others
}

// genuine holds for responses that do not look like a program's.
const genuine = "COALESCE(suspect, '') = ''"

// TakeIn counts a response that was kept aside like any other.
func (s *Store) TakeIn(quizID, id string) error {
	r := s.write.Model(&Response{}).Where("quiz_id = ? AND id = ?", quizID, id).Update("suspect", "")
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrNotFound
	}
	return r.Error
}

// Responses returns kept responses of a quiz, the newest first.
func (s *Store) Responses(quizID string, p Page) ([]Response, error) {
	var list []Response
	q := s.read.Where("quiz_id = ? AND kept AND ("+genuine+") = ?", quizID, !p.Aside).Order("at DESC, id").Offset(p.Offset)
	if p.Limit > 0 {
		q = q.Limit(p.Limit)
	}
	return list, q.Find(&list).Error
}

// EachResponse calls f for every kept response, those kept aside too, the oldest first, without holding them all.
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
	Aside    int            // kept aside as suspect; in none of the other counts
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
	err := s.read.Model(&Response{}).Select("quiz_id, outcome, COUNT(*) AS n, SUM(kept AND email <> '') AS leads").Where(genuine).
		Group("quiz_id, outcome").Scan(&rows).Error
	if err != nil {
		return nil, err
	}
	for _, r := range rows {
		c := of(r.QuizID)
		c.Finishes, c.Leads, c.Outcomes[r.Outcome] = c.Finishes+r.N, c.Leads+r.Leads, r.N
	}
	var aside []struct {
		QuizID string
		N      int
	}
	if err := s.read.Model(&Response{}).Select("quiz_id, COUNT(*) AS n").Where("NOT (" + genuine + ")").Group("quiz_id").Scan(&aside).Error; err != nil {
		return nil, err
	}
	for _, a := range aside {
		of(a.QuizID).Aside = a.N
	}
	var days []struct {
		QuizID string
		Day    string
		N      int
	}
	today := now.UTC().Truncate(24 * time.Hour)
	err = s.read.Model(&Response{}).Select("quiz_id, substr(at, 1, 10) AS day, COUNT(*) AS n").
		Where("kept AND at >= ? AND "+genuine, today.AddDate(0, 0, -29)).Group("quiz_id, substr(at, 1, 10)").Scan(&days).Error
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
