package edit

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"reflect"
	"regexp"
	"slices"
	"strings"

	"github.com/gosimple/slug"

	"omphalos/app/counting"
	"omphalos/app/store/documents"
	"omphalos/core/check"
	"omphalos/core/fill"
	"omphalos/core/kind"
	"omphalos/core/quiz"
)

// Problems find what keeps a draft from being launched: what the document lacks, addresses that respondents must not
// be sent to, and tables that it asks for and that are not there.
func Problems(d *quiz.Document, tables []documents.Table) quiz.Problems {
	return slices.Concat(check.Problems(d), d.LaunchProblems(), checkDocument(d), tableProblems(d, tables))
}

var linkName = regexp.MustCompile(`^[a-z0-9](?:[a-z0-9-]{0,58}[a-z0-9])?$`)

// maxLink is how long the name of a link is that is made from the name of a quiz.
const maxLink = 40

// LinkName makes the name of a link from the name of a quiz, in whatever script that is.
func LinkName(name string) string {
	out := Slug(name, maxLink)
	if !linkName.MatchString(out) {
		return "quiz"
	}
	return out
}

// Slug is a name in small letters a–z, digits and -: as many whole words as fit into most characters.
func Slug(name string, most int) string {
	out := slug.Make(strings.ReplaceAll(name, "_", " "))
	if len(out) <= most {
		return out
	}
	if end := strings.LastIndexByte(out[:most+1], '-'); end > 0 {
		return out[:end]
	}
	return out[:most]
}

// Launch is a draft to be made the next version.
type Launch struct {
	Quiz   string
	Base   int    // the revision that anyone who launches has seen
	Link   string // the name that it runs under from now on
	Anyway bool   // with the faults that the count finds; checks must hold all the same
	Beside int    // percent of those who begin that it gets next to the live version; 0 is all
}

// Launch freezes a draft as the next version, which runs from now on.
func (e *Editor) Launch(ctx context.Context, who Actor, l Launch) (*documents.Version, error) {
	if who.Account == 0 {
		return nil, errNoActor
	}
	if err := checkLink(l.Link); err != nil {
		return nil, err
	}
	q, err := e.store.Documents.Quiz(l.Quiz)
	if err != nil {
		return nil, ofStore(err)
	}
	if l.Beside != 0 && (l.Beside < 1 || l.Beside > 99 || q.LiveVersion == 0) {
		return nil, say("this version can’t be split tested", "Choose a share from 1% to 99%; a version must already "+
			"be live.")
	}
	d, err := quiz.ReadStored(q.Document)
	if err != nil {
		return nil, err
	}
	tables, err := e.store.Documents.Tables(l.Quiz)
	if err != nil {
		return nil, err
	}
	if err := refused(Problems(d, tables)); err != nil {
		return nil, err
	}
	if err := e.faultless(ctx, counting.Draft{Quiz: l.Quiz, Doc: d, Tables: tables}, l.Anyway); err != nil {
		return nil, err
	}
	v, err := e.store.Launch(l.Quiz, who.Account, l.Base, l.Link, float64(l.Beside)/100)
	switch {
	case errors.Is(err, documents.ErrOvertaken):
		return nil, &Error{
			Kind:    Stale,
			Message: "Someone changed the quiz a moment ago. Check the changes, then launch again.",
		}
	case errors.Is(err, documents.ErrSlugTaken):
		return nil, linkTaken(l.Link)
	case err != nil:
		return nil, ofStore(err)
	}
	e.watch.tell(l.Quiz, q.Revision)
	return v, nil
}

// faultless counts all respondents and runs the checks: what cannot have been meant keeps a draft from being launched,
// unless anyone who launches says so. A check that does not hold keeps it in any case: it can be turned off.
func (e *Editor) faultless(ctx context.Context, d counting.Draft, anyway bool) error {
	r, err := e.counts.ProveEven(ctx, d, false)
	switch {
	case counting.GivenUp(err):
		return &Error{Kind: Busy, Message: "Checking this quiz took too long. Try again in a minute."}
	case err != nil:
		return err
	}
	var faults quiz.Problems
	for _, f := range r.Faults() {
		mend := "Fix it, or tick “Launch anyway”."
		if f.Code == check.Code {
			mend = "Fix the quiz, or go to Rehearse to accept the new result or turn the check off."
		} else if anyway {
			continue
		}
		faults = append(faults, quiz.Problem{Where: f.Where, Message: strings.TrimSuffix(f.Message, "."), Mend: mend})
	}
	return refused(faults)
}

// tableProblems finds tables that the quiz asks for and that are not next to it, or lack the column or any line; and
// addresses in them that respondents must not be sent to.
func tableProblems(d *quiz.Document, tables []documents.Table) quiz.Problems {
	c := tableChecker{tables: tables}
	for i := range d.Questions {
		if f := d.Questions[i].ChoicesFrom; f != nil {
			c.need(quiz.Pointer("questions", i, "choices_from"), f.Table, f.Label)
		}
	}
	for i := range d.Outcomes {
		e := d.Outcomes[i].Ending
		if e == nil {
			continue
		}
		if e.Kind == quiz.EndRedirect && e.Lookup != nil {
			at := quiz.Pointer("outcomes", i, "ending", "lookup")
			if e.Lookup.Fallback == "" && e.URL == "" {
				c.need(at, e.Lookup.Table, e.Lookup.Column)
			}
			c.addresses(at, e.Lookup.Table, e.Lookup.Column)
			c.keys(at, d, e.Lookup)
		}
		if e.Kind == quiz.EndProducts && (len(e.Products) > 0 || d.Recommendations != nil) {
			at := quiz.Pointer("outcomes", i, "ending", "products")
			c.need(at, documents.Catalogue, "")
			c.addresses(at, documents.Catalogue, "link")
		}
	}
	return c.found
}

type tableChecker struct {
	tables []documents.Table
	found  quiz.Problems
}

func (c *tableChecker) table(name string) *documents.Table {
	if i := slices.IndexFunc(c.tables, func(t documents.Table) bool { return t.Name == name }); i >= 0 {
		return &c.tables[i]
	}
	return nil
}

func (c *tableChecker) need(where, name, column string) {
	p := quiz.Problem{Where: where, Mend: "Create it in Endings, under “Lookup tables”."}
	switch t := c.table(name); {
	case t == nil:
		p.Message = fmt.Sprintf("the lookup table %q doesn’t exist", name)
	case len(t.Rows) == 0:
		p.Message = fmt.Sprintf("the lookup table “%s” is empty", name)
	case column != "" && !slices.Contains(t.Columns, column):
		p.Message = fmt.Sprintf("the table “%s” has no column %q", name, column)
	default:
		return
	}
	c.found = append(c.found, p)
}

// keys finds choices for which a table has no line: where nothing else is stated, respondents who pick one would be
// sent nowhere; and where no choice at all has a line, the table is not about this question.
func (c *tableChecker) keys(where string, d *quiz.Document, l *quiz.Lookup) {
	t := c.table(l.Table)
	missing, all := missingKeys(d, t, l)
	switch {
	case len(missing) == 0:
		return
	case len(missing) == all:
		c.found = append(c.found, quiz.Problem{Where: where + "/key",
			Message: fmt.Sprintf("no row of the lookup table “%s” matches an answer: %s", l.Table, quoted(missing)),
			Mend:    "Fill the table’s first column with the question’s answers, or choose another question."})
	case l.Fallback == "":
		c.found = append(c.found, quiz.Problem{Where: where + "/key",
			Message: fmt.Sprintf("the lookup table “%s” has no row for %s", l.Table, quoted(missing)),
			Mend:    "Add the row, or set an address for respondents who match no row."})
	}
}

// missingKeys are the choices, in the words that respondents see, for which a table has no line, and how many choices
// there are; none where the table is asked by something else than a choice.
func missingKeys(d *quiz.Document, t *documents.Table, l *quiz.Lookup) (missing []string, all int) {
	id, ok := strings.CutPrefix(l.Key, "answer.")
	i := d.Question(id)
	if t == nil || len(t.Rows) == 0 || !ok || i < 0 || !kind.OfOne(&d.Questions[i]) {
		return nil, 0
	}
	q := &d.Questions[i]
	for _, choice := range q.Choices {
		if t.Find(choice.ID, choice.Label) == nil {
			missing = append(missing, choice.Title())
		}
	}
	return missing, len(q.Choices)
}

// quoted lists words of the quiz: the first few.
func quoted(words []string) string {
	const most = 4
	out := make([]string, 0, most)
	for _, w := range words[:min(most, len(words))] {
		out = append(out, "“"+w+"”")
	}
	s := strings.Join(out, ", ")
	if more := len(words) - most; more > 0 {
		s += fmt.Sprintf(" and %d more", more)
	}
	return s
}

// Warnings find what can be launched and is probably not meant: columns that decide nothing, and choices that only the
// fallback of a table takes.
func Warnings(d *quiz.Document, tables []documents.Table) quiz.Problems {
	c := tableChecker{tables: tables, found: d.IdleColumns()}
	for i := range d.Outcomes {
		e := d.Outcomes[i].Ending
		if e == nil || e.Kind != quiz.EndRedirect || e.Lookup == nil || e.Lookup.Fallback == "" {
			continue
		}
		missing, all := missingKeys(d, c.table(e.Lookup.Table), e.Lookup)
		if len(missing) > 0 && len(missing) < all {
			c.found = append(c.found, quiz.Problem{Where: quiz.Pointer("outcomes", i, "ending", "lookup", "key"),
				Message: fmt.Sprintf("the lookup table “%s” has no row for %s, so these respondents go to %s",
					e.Lookup.Table, quoted(missing), e.Lookup.Fallback)})
		}
	}
	for i := range d.Messages {
		c.message(d, &d.Messages[i], quiz.Pointer("messages", i))
	}
	if ct := d.Contact; ct != nil && ct.Place != quiz.ContactNone && ct.Consent != nil && ct.Consent.Required {
		c.found = append(c.found, requiredConsent(ct))
	}
	return c.found
}

// requiredConsent says what consent that is required means for respondents.
func requiredConsent(c *quiz.Contact) quiz.Problem {
	effect := "respondents who don’t agree can’t see their result"
	switch {
	case c.Optional:
		effect = "respondents who don’t agree can only skip the contact step"
	case c.Place == quiz.ContactAfter:
		effect = "respondents who don’t agree can’t leave their contact details"
	}
	return quiz.Problem{
		Where: "/contact/consent/required", Message: "consent is required: " + effect,
		Mend: "Many laws want consent to be given freely: untick “Required” unless you are sure.",
	}
}

// message finds a look-up of a message that finds no address: then no one gets it.
func (c *tableChecker) message(d *quiz.Document, m *quiz.Message, at string) {
	if m.Off || m.To != quiz.ToLookup || m.Lookup == nil {
		return
	}
	before := len(c.found)
	if c.need(at+"/lookup/table", m.Lookup.Table, m.Lookup.Column); len(c.found) > before || m.Lookup.Fallback != "" {
		return
	}
	if missing, _ := missingKeys(d, c.table(m.Lookup.Table), m.Lookup); len(missing) > 0 {
		c.found = append(c.found, quiz.Problem{
			Where: at + "/lookup/key",
			Message: fmt.Sprintf(
				"the lookup table “%s” has no row for %s, so no one gets the message “%s”",
				m.Lookup.Table,
				quoted(missing),
				m.Title(),
			),
			Mend: "Add the row, or set an address to use when no row matches.",
		})
	}
}

// addresses finds the first cell of a column that respondents must not be sent to.
func (c *tableChecker) addresses(where, name, column string) {
	t := c.table(name)
	if t == nil {
		return
	}
	for i, row := range t.Rows {
		cell := t.Cell(row, column)
		if cell == "" {
			continue
		}
		if _, err := fill.ParseAddress(cell); err != nil {
			p := fill.AddressProblem(where, err)
			p.Message = fmt.Sprintf("row %d of the lookup table “%s”: %s", i+1, name, p.Message)
			c.found = append(c.found, p)
			return
		}
	}
}

func checkLink(name string) error {
	if linkName.MatchString(name) {
		return nil
	}
	return refused(quiz.Problems{{
		Message: "use only lower-case letters a–z, digits and hyphens in the link (up to 60 characters), such as living-wall",
	}})
}

func linkTaken(name string) error {
	return refused(quiz.Problems{{Message: fmt.Sprintf("another quiz already uses "+
		"the link %s", name), Mend: "Choose a different link."}})
}

// RenameLink gives a live quiz another link name. Its earlier names keep working.
func (e *Editor) RenameLink(who Actor, quizID, name string) error {
	if who.Account == 0 {
		return errNoActor
	}
	name = strings.TrimSpace(name)
	if err := checkLink(name); err != nil {
		return err
	}
	err := e.store.Documents.RenameLink(quizID, name)
	if errors.Is(err, documents.ErrSlugTaken) {
		return linkTaken(name)
	}
	return ofStore(err)
}

// LaunchAgain makes a new version with the content of an earlier one. The draft stays as it is.
func (e *Editor) LaunchAgain(who Actor, quizID string, number int) (*documents.Version, error) {
	if who.Account == 0 {
		return nil, errNoActor
	}
	v, err := e.store.LaunchAgain(quizID, who.Account, number)
	return v, ofStore(err)
}

// Take makes the draft what a version is, as one edit that can be undone.
func (e *Editor) Take(ctx context.Context, who Actor, quizID, editID string, number int) (*Result, error) {
	v, err := e.store.Documents.Version(quizID, number)
	if err != nil {
		return nil, ofStore(err)
	}
	q, err := e.store.Documents.Quiz(quizID)
	if err != nil {
		return nil, ofStore(err)
	}
	var now, then map[string]json.RawMessage
	if err := errors.Join(json.Unmarshal(q.Document, &now), json.Unmarshal(v.Document, &then)); err != nil {
		return nil, err
	}
	var patch quiz.Patch
	for _, name := range slices.Sorted(maps.Keys(then)) {
		if !sameJSON(now[name], then[name]) {
			patch = append(patch, quiz.Operation{Op: "add", Path: quiz.Pointer(name), Value: then[name]})
		}
	}
	for _, name := range slices.Sorted(maps.Keys(now)) {
		if _, kept := then[name]; !kept {
			patch = append(patch, quiz.Remove(quiz.Pointer(name)))
		}
	}
	if len(patch) == 0 {
		return nil, &Error{Kind: Nothing, Message: fmt.Sprintf("The draft is already identical to version %d.", number)}
	}
	return e.Apply(ctx, who, quizID, Edit{ID: editID, Base: q.Revision, Patch: patch})
}

// sameJSON reports whether two texts say the same value.
func sameJSON(a, b json.RawMessage) bool {
	var x, y any
	return json.Unmarshal(a, &x) == nil && json.Unmarshal(b, &y) == nil && reflect.DeepEqual(x, y)
}
