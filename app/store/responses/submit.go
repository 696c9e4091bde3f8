package responses

import (
	"errors"
	"sync"
	"sync/atomic"
	"time"

	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/documents"
	"omphalos/app/store/tallies"
)

// Store keeps what respondents answered, the tallies of it, and what came of them.
type Store struct {
	*database.DB
	Documents  *documents.Store
	Deliveries *deliveries.Store
	writer     *writer // nil next to a running server, which alone writes responses
}

// New keeps responses in a database. None is taken before start.
func New(db *database.DB, documents *documents.Store, deliveries *deliveries.Store) *Store {
	return &Store{DB: db, Documents: documents, Deliveries: deliveries}
}

// Start begins to take responses. What earlier programs did not count is counted first.
func (s *Store) Start() (err error) {
	if s.writer, err = newWriter(s.DB); err != nil {
		return err
	}
	return errors.Join(s.tallyFirst(), s.partImports())
}

// Stop waits for the responses on their way to the disk.
func (s *Store) Stop() {
	if s.writer != nil {
		s.writer.close()
	}
}

// Queued is how many responses and tasks wait for their turn.
func (s *Store) Queued() int { return len(s.writer.queue) }

// maxBatch is how many responses one transaction takes.
const maxBatch = 256

// ErrClosed is returned for a response that comes after the database was closed.
var ErrClosed = errors.New("the server is shutting down; send the answer again")

// submission is work on its way to the disk: a response, or a task that stands for itself.
type submission struct {
	response *Response
	facts    tallies.Facts
	words    []string // that the response is found by
	fresh    *bool    // set before done: the response is stored, and was not there
	refused  *error   // set before done: why the response is not taken, though all else of its group is
	task     func(tx *database.Transaction, add *tallies.Sums) error
	alone    func() error // work with a transaction of its own, in its turn
	done     chan error
}

// writer commits what respondents send: many responses share one wait for the disk, and with each group go the
// tallies that its responses and the events since the last group add to. Its invariant: tallies equal what a recount
// of the responses would give, whenever the process ends, since both are written by the same transaction.
type writer struct {
	s       *database.DB
	queue   chan submission
	closing chan struct{}
	drained chan struct{}
	known   *tallies.KnownValues

	prepared database.Statements
	stored   atomic.Int64 // responses since the start

	mu     sync.Mutex
	events *tallies.Sums // that wait for the next group
}

func newWriter(s *database.DB) (*writer, error) {
	prepared, err := prepare(s.Write, s.Dialect)
	if err != nil {
		return nil, err
	}
	w := &writer{
		prepared: prepared,
		s:        s,
		queue:    make(chan submission, maxBatch),
		closing:  make(chan struct{}),
		drained:  make(chan struct{}),
		known:    tallies.NewKnownValues(s.Read, s.Dialect.Shared),
		events:   tallies.NewSums(),
	}
	go w.run()
	return w, nil
}

// InTurn runs a task in the transaction of a group, after what came before it; what it adds goes to the tallies.
func (s *Store) InTurn(task func(tx *database.Transaction, add *tallies.Sums) error) error {
	return s.writer.send(submission{task: task})
}

// Alone runs f, which has a transaction of its own, in its turn among the responses.
func (s *Store) Alone(f func() error) error { return s.writer.send(submission{alone: f}) }

// Flush writes the events that wait. It is called by what runs alone.
func (s *Store) Flush() { s.writer.flush() }

func (w *writer) close() {
	close(w.closing)
	<-w.drained
}

// Submit stores a response and returns when it is on disk. ErrFull and ErrUsed are returned for one that is not taken:
// the quiz has all the responses that it takes, or its invitation has been answered or revoked; ErrNotFound where the
// quiz has been purged. A response whose id is there already is not stored again: the first one stays, and Submit
// reports false. One that kept nothing gives way to one that keeps its answers.
func (s *Store) Submit(r *Response) (fresh bool, err error) {
	r.Aside = r.Suspect != ""
	r.At, r.StartedAt = r.At.Truncate(database.Tick), r.StartedAt.Truncate(database.Tick)
	f, err := factsOf(r)
	if err != nil {
		return false, err
	}
	sub := submission{response: r, facts: f, fresh: &fresh}
	if r.Marks = marksOf(f); r.Kept {
		sub.words = wordsOf(r)
	}
	var refused error
	sub.refused = &refused
	err = s.writer.send(sub)
	if err == nil {
		err = refused
	}
	return fresh && err == nil, err
}

// Tally counts an event on a respondent's way. It is written with the next group of responses, within a second.
func (s *Store) Tally(e tallies.Event) {
	s.writer.mu.Lock()
	defer s.writer.mu.Unlock()
	if len(s.writer.events.Events) < maxWaitingEvents { // a disk that takes nothing must not fill the memory
		s.writer.events.Event(e, tallies.Measure{Count: 1}, 1)
	}
}

// Stored is how many responses were stored since the store was opened.
func (s *Store) Stored() int64 { return s.writer.stored.Load() }

const (
	maxWaitingEvents = 20_000
	flushEvents      = time.Second
)

func (w *writer) send(sub submission) error {
	sub.done = make(chan error, 1)
	select {
	case w.queue <- sub:
	case <-w.closing:
		return ErrClosed
	}
	select {
	case err := <-sub.done:
		return err
	case <-w.drained:
	}
	select {
	case err := <-sub.done: // it was the last one
		return err
	default:
		return ErrClosed
	}
}

func (w *writer) run() {
	defer close(w.drained)
	tick := time.NewTicker(flushEvents)
	defer tick.Stop()
	for {
		select {
		case first := <-w.queue:
			w.take(first)
		case <-tick.C:
			w.flush()
		case <-w.closing:
			for {
				select {
				case first := <-w.queue:
					w.take(first)
					continue
				default:
				}
				w.flush()
				return
			}
		}
	}
}

// take writes a submission, and with a response whatever other responses have queued up.
func (w *writer) take(first submission) {
	for {
		switch {
		case first.task != nil:
			first.done <- w.commit(nil, first.task)
			return
		case first.alone != nil:
			first.done <- first.alone()
			w.known.Settle(errors.New("statistics may have changed")) // they are read again
			return
		}
		group, next := w.group(first)
		err := w.commit(group, nil)
		for _, sub := range group {
			if err == nil && *sub.fresh {
				w.stored.Add(1)
			}
			sub.done <- err
		}
		if next == nil {
			return
		}
		first = *next
	}
}

// group gathers the responses that are queued; a task among them ends the group and comes next.
func (w *writer) group(first submission) (group []submission, next *submission) {
	group = []submission{first}
	for len(group) < maxBatch {
		select {
		case sub := <-w.queue:
			if sub.task != nil || sub.alone != nil {
				return group, &sub
			}
			group = append(group, sub)
		default:
			return group, nil
		}
	}
	return group, nil
}

// flush writes the events that no response has taken along.
func (w *writer) flush() {
	w.mu.Lock()
	waiting := !w.events.Empty()
	w.mu.Unlock()
	if waiting {
		_ = w.commit(nil, nil) // they wait on, for the next time
	}
}

// commit writes a group of responses, or a task, with the tallies in one transaction.
func (w *writer) commit(group []submission, task func(tx *database.Transaction, add *tallies.Sums) error) error {
	w.mu.Lock()
	events := w.events
	w.events = tallies.NewSums()
	w.mu.Unlock()
	err := w.prepared.Transact(w.s.Write, w.s.Dialect, func(tx *database.Transaction) error {
		add := tallies.NewSums()
		if err := insertGroup(tx, group, add, w.s.Now().UTC()); err != nil {
			return err
		}
		if task != nil {
			if err := task(tx, add); err != nil {
				return err
			}
		}
		if err := events.LeaveGone(tx); err != nil {
			return err
		}
		add.Join(events)
		lines, err := add.Tables(w.known)
		if err != nil {
			return err
		}
		traces, err := add.Traced(w.known)
		if err != nil {
			return err
		}
		if err := w.known.Store(tx); err != nil {
			return err
		}
		return errors.Join(traces.Remember(tx), lines.Plus(traces).Write(tx))
	})
	w.known.Settle(err)
	if err != nil {
		w.mu.Lock()
		w.events.Join(events)
		w.mu.Unlock()
	}
	return err
}

// insertGroup inserts responses and adds the facts of those that are new.
func insertGroup(tx *database.Transaction, group []submission, add *tallies.Sums, now time.Time) error {
	if len(group) == 0 {
		return nil
	}
	group, err := admitted(tx, group)
	if err != nil {
		return err
	}
	rows := make([]*Response, len(group))
	for i, sub := range group {
		rows[i] = sub.response
	}
	fresh, err := insertResponses(tx, rows)
	if err != nil {
		return err
	}
	var words [][3]string
	var told []*Response
	for i := range fresh {
		if !fresh[i] && rows[i].Kept {
			if fresh[i], err = replaceUnkept(tx, rows[i], add); err != nil {
				return err
			}
		}
		if *group[i].fresh = fresh[i]; fresh[i] {
			add.Response(group[i].facts, 1)
			if !rows[i].Kept && rows[i].Suspect == "" {
				add.Trace(rows[i].QuizID, rows[i].Walked, 1)
			}
			words = append(words, rows[i].lines(group[i].words)...)
			told = append(told, rows[i])
		}
	}
	return errors.Join(writeWords(tx, words), queueEvents(tx, told, now, eventsOf), queueMessages(tx, told, now))
}

// replaceUnkept stores a response in place of one of the same walk that kept nothing: someone went back and gave
// another answer. It reports whether there was such a one.
func replaceUnkept(tx *database.Transaction, r *Response, add *tallies.Sums) (bool, error) {
	old, err := countedResponse(tx, r.ID)
	if errors.Is(err, database.ErrNotFound) || err == nil && old.Kept {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	f, err := factsOf(old)
	if err != nil {
		return false, err
	}
	add.Response(f, -1)
	if old.Suspect == "" {
		add.Trace(
			r.QuizID,
			tallies.Walked{Source: r.Source, Device: r.Device, Country: r.Country, Language: r.Language, Way: r.Way},
			-1,
		) // it is the same walk
	}
	if _, err := tx.Exec("DELETE FROM responses WHERE id = ? AND kept = ?", r.ID, false); err != nil {
		return false, err
	}
	_, err = insertResponses(tx, []*Response{r})
	return err == nil, err
}

// TakeIn counts a response that was set aside like any other. It is read in its turn: what came before is counted.
func (s *Store) TakeIn(quizID, id string) error {
	return s.InTurn(func(tx *database.Transaction, add *tallies.Sums) error {
		r, err := countedResponse(tx, id)
		if err != nil {
			return err
		}
		if r.QuizID != quizID {
			return database.ErrNotFound
		}
		if r.Suspect == "" {
			return nil
		}
		before, err := factsOf(r)
		if err != nil {
			return err
		}
		r.Suspect = ""
		after, err := factsOf(r)
		if err != nil {
			return err
		}
		add.Response(before, -1)
		add.Response(after, 1)
		_, err = tx.Exec(
			"UPDATE responses SET suspect = '', aside = ?, marks = ? WHERE id = ?",
			false,
			marksOf(after),
			id,
		)
		r.ID = id
		now := s.Now().UTC()
		_, mails := tx.Exec(
			"UPDATE mails SET state = ?, next = CASE WHEN next < ? THEN ? ELSE next END WHERE response_id = ? AND state = ?",
			deliveries.DeliveryWaiting,
			now,
			now,
			id,
			deliveries.MailAside,
		)
		return errors.Join(err, mails, deliveries.Agree(tx, id), queueEvents(tx, []*Response{r}, now, eventsOf))
	})
}

// AddContact adds what a respondent says of themselves after the outcome to their kept response, once.
func (s *Store) AddContact(r *Response) error {
	return s.InTurn(func(tx *database.Transaction, add *tallies.Sums) error {
		kept, err := countedResponse(tx, r.ID)
		if err != nil {
			return err
		}
		n, err := database.Affected(
			tx.Exec(`UPDATE responses SET name = ?, email = ?, contact = ?, consent = ?, consent_at = ?
			WHERE id = ? AND kept = ? AND (contact IS NULL OR contact IN (?, ?, ?))`,
				r.Name, r.Email, r.Contact, r.Consent, r.ConsentAt, r.ID, true, []byte{}, []byte("null"), []byte("{}")),
		)
		if err != nil || n == 0 {
			return err
		}
		said := &Response{
			ID: r.ID, QuizID: kept.QuizID, Outcome: kept.Outcome,
			Name: r.Name, Email: r.Email, Contact: r.Contact,
		}
		if err := writeWords(tx, said.lines(wordsOf(said))); err != nil {
			return err
		}
		said.Suspect, said.Consent, said.Mails = kept.Suspect, r.Consent, r.Mails
		if err := queueMessages(tx, []*Response{said}, s.Now().UTC()); err != nil {
			return err
		}
		if r.Email == "" || kept.Email != "" || kept.WasLead || kept.Suspect != "" {
			return nil
		}
		lead := func(*Response) []string { return []string{deliveries.EventLead} }
		if err := queueEvents(tx, []*Response{said}, s.Now().UTC(), lead); err != nil {
			return err
		}
		f, err := factsOf(kept)
		if err != nil {
			return err
		}
		f.Measure, f.Answers = tallies.Measure{Leads: 1}, nil
		add.Response(f, 1)
		return nil
	})
}
