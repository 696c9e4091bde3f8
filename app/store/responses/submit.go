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
	response *reading
	fresh    *bool  // set before done: the response is stored, and was not there
	refused  *error // set before done: why the response is not taken, though all else of its group is
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
func (s *Store) Submit(one Submission) (fresh bool, err error) {
	r := one.Response
	r.Aside = r.Suspect != ""
	r.At, r.StartedAt = r.At.Truncate(database.Tick), r.StartedAt.Truncate(database.Tick)
	is, err := read(one)
	if err != nil {
		return false, err
	}
	r.Marks = marksOf(is.facts)
	sub := submission{response: is, fresh: &fresh}
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
		rows[i] = sub.response.Response
	}
	fresh, err := insertResponses(tx, rows)
	if err != nil {
		return err
	}
	a := newArrivals(tx, add, now)
	for i, sub := range group {
		var was *reading
		if !fresh[i] && rows[i].Kept {
			if was, err = replaceUnkept(tx, rows[i]); err != nil {
				return err
			}
			fresh[i] = was != nil
		}
		if *sub.fresh = fresh[i]; fresh[i] {
			if err := a.arrive(was, sub.response); err != nil {
				return err
			}
		}
	}
	return a.settle()
}

// replaceUnkept stores a response in place of one of the same walk that kept nothing: someone went back and gave
// another answer. It returns what was there; nil where there is none such, and nothing was stored.
func replaceUnkept(tx *database.Transaction, r *Response) (*reading, error) {
	old, err := countedResponse(tx, r.ID)
	if errors.Is(err, database.ErrNotFound) || err == nil && old.Kept {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	if _, err := tx.Exec("DELETE FROM responses WHERE id = ? AND kept = ?", r.ID, false); err != nil {
		return nil, err
	}
	_, err = insertResponses(tx, []*Response{r})
	return old, err
}

// TakeIn counts a response that was set aside like any other. It is read in its turn: what came before is counted.
func (s *Store) TakeIn(quizID, id string) error {
	return s.InTurn(func(tx *database.Transaction, add *tallies.Sums) error {
		was, err := countedResponse(tx, id)
		if err != nil {
			return err
		}
		if was.QuizID != quizID {
			return database.ErrNotFound
		}
		if was.IsGenuine() {
			return nil
		}
		genuine := *was.Response
		genuine.Suspect = ""
		is, err := read(Submission{Response: &genuine})
		if err != nil {
			return err
		}
		const counts = "UPDATE responses SET suspect = '', aside = ?, marks = ? WHERE id = ?"
		if _, err := tx.Exec(counts, false, marksOf(is.facts), id); err != nil {
			return err
		}
		return change(tx, add, s.Now(), was, is)
	})
}

// AddContact adds what a respondent says of themselves after the outcome to their kept response, once, and puts mails
// on their way.
func (s *Store) AddContact(r *Response, mails ...deliveries.Mail) error {
	return s.InTurn(func(tx *database.Transaction, add *tallies.Sums) error {
		was, err := countedResponse(tx, r.ID)
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
		known := *was.Response
		known.Name, known.Email, known.Contact, known.Consent = r.Name, r.Email, r.Contact, r.Consent
		is, err := read(Submission{Response: &known, Mails: mails})
		if err != nil {
			return err
		}
		return change(tx, add, s.Now(), was, is)
	})
}
