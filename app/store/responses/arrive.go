package responses

import (
	"errors"
	"slices"
	"time"

	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/tallies"
)

// IsGenuine reports whether a response counts: it does not look like a program's.
func (r *Response) IsGenuine() bool { return r.Suspect == "" }

// IsPast reports whether a response was imported.
func (r *Response) IsPast() bool { return r.ImportID != "" }

// IsLead reports whether a response has, or had, an email address.
func (r *Response) IsLead() bool { return r.Email != "" || r.WasLead }

// names reports whether a response holds anything of its respondent but answers.
func (r *Response) names() bool {
	return r.Email+r.Name+r.Consent != "" || len(r.Contact) > 0 || len(r.Params) > 0
}

// reading is a response with what follows from it, read before it waits for the disk.
type reading struct {
	Submission
	facts tallies.Facts
	words []string // that it is found by; nil where it keeps nothing
}

// read reads what follows from a response.
func read(sub Submission) (*reading, error) {
	f, err := factsOf(sub.Response, sub.Given)
	out := &reading{Submission: sub, facts: f}
	if sub.Kept {
		out.words = wordsOf(sub.Response, sub.Given)
	}
	return out, err
}

// arrivals derives what changes of responses bring about from what each was and is: what it adds to the tallies, by
// which words it is found, what webhooks are told, mails, the mailing list, and what goes with it. It gathers them
// within one transaction, as many share their statements.
type arrivals struct {
	tx  *database.Transaction
	add *tallies.Sums
	now time.Time

	// What responses that go have added is added here, and stays in the tallies; nil takes it back.
	forgotten *tallies.Sums

	words     [][3]string
	unindexed map[string][]string // by quiz: responses whose words go
	events    []newEvents
	queued    []*reading // whose mails are put on their way
	named     map[string][]person
}

// newEvents are the events of a response that webhooks are told of.
type newEvents struct {
	*Response
	events []string
}

func newArrivals(tx *database.Transaction, add *tallies.Sums, now time.Time) *arrivals {
	return &arrivals{
		tx: tx, add: add, now: now.UTC(), unindexed: map[string][]string{}, named: map[string][]person{},
	}
}

// arrive takes a change: from what a response was, nil for one that comes, to what it is, nil for one that goes. The
// row itself is written by the caller.
func (a *arrivals) arrive(was, is *reading) error {
	a.tally(was, is)
	a.index(was, is)
	if is == nil {
		return a.leave(was, ofResponses)
	}
	if was != nil && was.names() && !is.names() {
		return a.leave(was, ofContacts)
	}
	var before []string
	if was != nil {
		before = eventsOf(was.Response)
	}
	news := slices.DeleteFunc(eventsOf(is.Response), func(e string) bool { return slices.Contains(before, e) })
	if len(news) > 0 {
		a.events = append(a.events, newEvents{is.Response, news})
	}
	if was != nil && !was.IsGenuine() && is.IsGenuine() {
		return errors.Join(deliveries.Release(a.tx, is.ID, a.now), deliveries.Agree(a.tx, is.ID))
	}
	a.queued = append(a.queued, is)
	return nil
}

// change takes one change alone.
func change(tx *database.Transaction, add *tallies.Sums, now time.Time, was, is *reading) error {
	a := newArrivals(tx, add, now)
	return errors.Join(a.arrive(was, is), a.settle())
}

// tally takes what it was out of the tallies and adds what it is.
func (a *arrivals) tally(was, is *reading) {
	if was != nil && is != nil && was.facts.Alike(&is.facts) {
		return
	}
	if was != nil && is == nil && a.forgotten != nil {
		a.forgotten.Response(was.facts, 1)
		return
	}
	if was != nil {
		a.add.Response(was.facts, -1)
		if !was.Kept && was.IsGenuine() && is != nil {
			a.add.Trace(was.QuizID, walkOf(is.Response), -1) // the row says nothing of it, but it is the same walk
		}
	}
	if is != nil {
		a.add.Response(is.facts, 1)
		if !is.Kept && is.IsGenuine() {
			a.add.Trace(is.QuizID, is.Walked, 1)
		}
	}
}

// walkOf tells a walk apart in figures.
func walkOf(r *Response) tallies.Walked {
	return tallies.Walked{Source: r.Source, Device: r.Device, Country: r.Country, Language: r.Language, Way: r.Way}
}

// index lets a response be found by the words that it has now. Words are taken out only where what named someone goes:
// that looks through all words of the quiz.
func (a *arrivals) index(was, is *reading) {
	var before []string
	switch {
	case was == nil:
	case is == nil || was.names() && !is.names():
		a.unindexed[was.QuizID] = append(a.unindexed[was.QuizID], was.ID)
	default:
		before = was.words
	}
	if is != nil {
		known := func(word string) bool { return slices.Contains(before, word) }
		a.words = append(a.words, is.lines(slices.DeleteFunc(slices.Clone(is.words), known))...)
	}
}

// leave deletes what other tables hold of a response, and remembers whom it named.
func (a *arrivals) leave(was *reading, tables []string) error {
	for _, of := range tables {
		if _, err := a.tx.Exec("DELETE FROM "+of+" WHERE response_id = ?", was.ID); err != nil {
			return err
		}
	}
	a.named[was.QuizID] = append(a.named[was.QuizID], personOf(was.Response))
	return nil
}

// settle writes what was gathered.
func (a *arrivals) settle() error {
	var errs []error
	for quizID, ids := range a.unindexed {
		errs = append(errs, dropWords(a.tx, quizID, ids...))
	}
	errs = append(errs, writeWords(a.tx, a.words), queueEvents(a.tx, a.events, a.now))
	errs = append(errs, queueMessages(a.tx, a.queued, a.now))
	for quizID, people := range a.named {
		errs = append(errs, dropNaming(a.tx, quizID, people...))
	}
	return errors.Join(errs...)
}

// eventsOf are the events that a response is of when it comes.
func eventsOf(r *Response) []string {
	switch {
	case !r.Kept || !r.IsGenuine() || r.IsPast(): // past ones are no news
		return nil
	case r.IsLead():
		return []string{deliveries.EventFinished, deliveries.EventLead}
	}
	return []string{deliveries.EventFinished}
}
