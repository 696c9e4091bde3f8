package edit

import (
	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/core/colour"
	"omphalos/core/fill"
	"omphalos/core/quiz"
)

// checkDraft keeps the rules of a draft beyond its form: no edit may bring in an address that respondents must not be
// sent to, or a colour that is none. What was there before is not the edit's fault: the Launch room says it.
func checkDraft(before *documents.Quiz, after *quiz.Edited) error {
	ps := checkDocument(after.Document)
	if len(ps) == 0 {
		return nil
	}
	was, err := quiz.ReadStored(before.Document)
	if err != nil {
		return err
	}
	known := map[string]bool{}
	for _, text := range delicate(was) {
		known[text] = true
	}
	texts := delicate(after.Document)
	var fresh quiz.Problems
	for _, p := range ps {
		if !known[texts[p.Where]] {
			fresh = append(fresh, p)
		}
	}
	return refused(fresh)
}

// checkDocument finds what no draft may bring in.
func checkDocument(d *quiz.Document) quiz.Problems {
	ps := fill.UnsafeAddresses(d)
	for _, c := range []struct{ at, text string }{
		{"/theme/colour", d.Theme.Colour},
		{"/theme/background", d.Theme.Background},
	} {
		if c.text == "" {
			continue
		}
		if _, err := colour.Parse(c.text); err != nil {
			ps = append(ps, quiz.Problem{Where: c.at, Message: err.Error()})
		}
	}
	return ps
}

// delicate are the texts that checkDocument looks at, by place.
func delicate(d *quiz.Document) map[string]string {
	out := map[string]string{"/theme/colour": d.Theme.Colour, "/theme/background": d.Theme.Background}
	fill.EachAddress(d, func(at, address string) { out[at] = address })
	return out
}

// Create stores a new quiz from the text of a document, by the same rules.
func (e *Editor) Create(who Actor, text []byte) (*documents.Quiz, error) {
	if who.Account == 0 {
		return nil, errNoActor
	}
	d, err := quiz.ReadDraft(text)
	if err != nil {
		return nil, ofStore(err)
	}
	if err := refused(checkDocument(d)); err != nil {
		return nil, err
	}
	q, err := e.store.Documents.CreateQuizText(d.Name, text)
	if err != nil {
		return nil, err
	}
	a, err := e.store.People.Account(who.Account)
	if database.IsNotFound(err) {
		return q, nil
	}
	if err == nil {
		err = e.store.People.Give(a, q.ID) // anyone who is for chosen quizzes sees those that they make
	}
	return q, err
}

// CheckImport finds what keeps a document from being imported.
func CheckImport(d *quiz.Document) quiz.Problems { return checkDocument(d) }
