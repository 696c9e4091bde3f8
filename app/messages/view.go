package messages

import (
	"encoding/json"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"omphalos/app/page"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/documents"
	"omphalos/app/store/responses"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
)

type option = workbench.Option

// view is the room.
type view struct {
	Draft   *workbench.Draft
	Part    string // message, list, or "" where there is none yet
	Saved   bool
	Entries []entry
	Adds    []add
	Chosen  *chosen
	List    *listView
	On      int // on the list
	Mail    string
	Blocks  []workbench.Block
}

// entry is a message among all.
type entry struct {
	ID, Name, Sentence string
	Off, Paused        bool
	Sent, Waiting      int
	Failed             int
}

// add makes a message of a kind that is often wanted.
type add struct{ Name, Patch string }

// chosen is the message that is edited.
type chosen struct {
	*quiz.Message
	Path      string
	Title     string
	Sentence  string
	To        []option
	Addresses string // with commas between them
	Lookup    *lookupView
	NoTables  bool
	When      *workbench.Condition
	AddWhen   string
	After     []option
	AfterPath string
	Consent   string // wording, "" where the quiz asks for none
	Drop      string
	OnPatch   string
	OffPatch  string
	Paused    bool
	Of        string // whose mail is shown: "" an example, else the id of a response
	People    []option
	Log       []logEntry
	Live      bool // it is in the version that runs, as it is here
}

// lookupView is the table that an address is looked up in.
type lookupView struct {
	Path                  string
	Tables, Keys, Columns []option
	Fallback              string
}

// logEntry is one mail that was or will be sent.
type logEntry struct {
	deliveries.Mail
	When, Then, Subject, Text string
}

const (
	shownMails  = 30
	shownPeople = 20
)

func (h *Handler) view(draft *workbench.Draft, query url.Values) (any, error) {
	d := draft.Doc
	v := &view{Draft: draft, Part: query.Get("part"), Saved: query.Has("saved"), Adds: adds(d)}
	if v.Mail = "Sent by " + h.Mail.Server() + " from " + h.senderAddress(); !h.Mail.On() {
		v.Mail = ""
	}
	counts, err := h.Store.Deliveries.MailCounts(draft.Quiz.ID)
	if err != nil {
		return nil, err
	}
	paused, err := h.Store.Deliveries.PausedMessages(draft.Quiz.ID)
	if err != nil {
		return nil, err
	}
	for i := range d.Messages {
		m := &d.Messages[i]
		n := counts[m.ID]
		v.Entries = append(v.Entries, entry{
			ID: m.ID, Name: m.Title(), Sentence: d.MessageSentence(m), Off: m.Off, Paused: paused[m.ID],
			Sent: n[deliveries.DeliverySent], Failed: n[deliveries.DeliveryFailed],
			Waiting: n[deliveries.DeliveryWaiting] + n[deliveries.MailUnconfirmed],
		})
	}
	if v.On, _, _, err = h.Store.Deliveries.ListCounts(draft.Quiz.ID); err != nil {
		return nil, err
	}
	if v.Part == "list" {
		v.List, err = h.list(draft, query)
		return v, err
	}
	if i := chosenAt(d, query); i >= 0 {
		v.Part = "message"
		if v.Chosen, err = h.choose(draft, i, query); err != nil {
			return nil, err
		}
		v.Chosen.Paused = paused[v.Chosen.ID]
		for _, name := range []string{"messagelist", "shownmail", "message"} {
			key := name
			if name == "shownmail" {
				key += ":" + v.Chosen.ID + ":" + v.Chosen.Of
			}
			v.Blocks = append(v.Blocks, workbench.NewBlock(key, page.Execute(templates, name, v)))
		}
	}
	return v, nil
}

func (h *Handler) senderAddress() string {
	if h.Mail.From == nil {
		return ""
	}
	return h.Mail.From.Address
}

// replies is where answers to mails go that name no one else.
func (h *Handler) replies() string {
	if h.Mail.ReplyTo == nil {
		return h.senderAddress()
	}
	return h.Mail.ReplyTo.Address
}

// chosenAt is the message that the address names, by its id or its place; else the first.
func chosenAt(d *quiz.Document, query url.Values) int {
	if i := d.Message(query.Get("m")); i >= 0 {
		return i
	}
	if parts := strings.Split(pointed(d, query), "/"); len(parts) > 2 && parts[1] == "messages" {
		if n, err := strconv.Atoi(parts[2]); err == nil && n >= 0 && n < len(d.Messages) {
			return n
		}
	}
	return min(0, len(d.Messages)-1)
}

// pointed is the place that the address leads to, as a pointer.
func pointed(d *quiz.Document, query url.Values) string {
	at, _ := d.Find(query.Get("at"))
	return at
}

// adds are the messages that one begins with: for everyone who leaves an address, and for each lead.
func adds(d *quiz.Document) []add {
	put := func(name string, m quiz.Message) add {
		text, err := json.Marshal(m)
		if err != nil {
			text = []byte("{}")
		}
		return add{name, string(text)}
	}
	hello := "Hello {contact.name|there},\n\n"
	if !d.Contact.Asks("name") {
		hello = "Hello,\n\n"
	}
	return []add{
		put("The respondent", quiz.Message{
			Name: "To the respondent", To: quiz.ToRespondent, Subject: "Your result: {outcome.heading}",
			Text: hello + "thank you for your answers. Your result is **{outcome.heading}**.",
		}),
		put("The team", quiz.Message{
			Name: "To the team", To: quiz.ToTeam, Subject: subjectToTeam(d), Text: textToTeam(d),
		}),
	}
}

func subjectToTeam(d *quiz.Document) string {
	if d.Contact.Asks("name") {
		return "New lead: {contact.name|no name}, {outcome.name}"
	}
	return "New lead: {outcome.name}"
}

// textToTeam says who the lead is, how to reach them, what they answered and why they ended where they did.
func textToTeam(d *quiz.Document) string {
	var b strings.Builder
	if d.Contact != nil && d.Contact.Place != quiz.ContactNone {
		for _, f := range d.Contact.Fields {
			fmt.Fprintf(&b, "%s: **{contact.%s|–}**\n\n", quiz.FirstOf(f.Label, f.ID), f.ID)
		}
	}
	b.WriteString("Outcome: **{outcome.name}**\n\nWhy: {reason}\n\n{answers}\n\n[Open this person in Leads]({lead.address})")
	return b.String()
}

func (h *Handler) choose(draft *workbench.Draft, i int, query url.Values) (*chosen, error) {
	d := draft.Doc
	m := &d.Messages[i]
	at := d.At("messages", i)
	c := &chosen{
		Message: m, Path: at, Title: m.Title(), Sentence: d.MessageSentence(m),
		Addresses: strings.Join(m.Addresses, ", "),
		Drop:      quiz.JSON(quiz.Remove(at)),
		OnPatch:   quiz.JSON(quiz.Add(at+"/off", false)), OffPatch: quiz.JSON(quiz.Add(at+"/off", true)),
		Of: query.Get("of"),
	}
	for _, to := range []struct{ to, name string }{
		{quiz.ToRespondent, "the respondent"}, {quiz.ToTeam, "the team"}, {quiz.ToLookup, "an address from a lookup table"},
	} {
		o := option{Name: to.name, Value: to.to, Selected: m.To == to.to, Patch: quiz.JSON(quiz.Add(at+"/to", to.to))}
		if to.to == quiz.ToLookup && m.Lookup == nil {
			l := firstLookup(d, draft.Tables)
			if c.NoTables = l == nil; l == nil {
				continue
			}
			o.Patch = quiz.JSON(quiz.Add(at+"/to", to.to), quiz.Add(at+"/lookup", l))
		}
		c.To = append(c.To, o)
	}
	if m.To == quiz.ToLookup && m.Lookup != nil {
		c.Lookup = lookup(d, draft.Tables, m.Lookup, at+"/lookup")
	}
	if m.When != nil {
		c.When = workbench.NewEndCondition(d, at+"/when", m.When, "Recipient")
	} else {
		when := workbench.EndCondition(d)
		c.AddWhen = quiz.JSON(quiz.Add(at+"/when", when))
	}
	c.After, c.AfterPath = waits(at+"/after", m.After), at+"/after"
	if d.Contact != nil && d.Contact.Consent != nil && d.Contact.Place != quiz.ContactNone {
		c.Consent = d.Contact.Consent.Text
	}
	if err := h.people(draft, c); err != nil {
		return nil, err
	}
	mails, err := h.Store.Deliveries.Mails(draft.Quiz.ID, m.ID, shownMails)
	for _, mail := range mails {
		c.Log = append(c.Log, newLogged(draft, mail))
	}
	return c, err
}

// waits offers how long a message waits.
func waits(path string, now int) []option {
	list := []int{0, 10, 60, 24 * 60, 3 * 24 * 60, 7 * 24 * 60}
	if !slices.Contains(list, now) {
		list = append(list, now)
		slices.Sort(list)
	}
	var out []option
	for _, n := range list {
		out = append(
			out,
			option{Name: quiz.After(n), Value: strconv.Itoa(n), Selected: n == now, Patch: quiz.JSON(quiz.Add(path, n))},
		)
	}
	return out
}

// firstLookup is a look-up to begin with, nil where there is no table to look in.
func firstLookup(d *quiz.Document, tables []documents.Table) *quiz.Lookup {
	keys := workbench.LookupKeys(d)
	for _, t := range tables {
		if len(t.Columns) > 1 && t.Name != "catalogue" && len(keys) > 0 {
			return &quiz.Lookup{Table: t.Name, Key: keys[0].Value, Column: t.Columns[1]}
		}
	}
	return nil
}

func lookup(d *quiz.Document, tables []documents.Table, l *quiz.Lookup, path string) *lookupView {
	v := &lookupView{Path: path, Fallback: l.Fallback}
	var names, columns []option
	for _, t := range tables {
		names = append(names, option{Name: t.Name, Value: t.Name})
		if t.Name == l.Table {
			for _, c := range t.Columns[min(1, len(t.Columns)):] {
				columns = append(columns, option{Name: c, Value: c})
			}
		}
	}
	v.Tables = workbench.Choosing(path+"/table", l.Table, names)
	v.Keys = workbench.Choosing(path+"/key", l.Key, workbench.LookupKeys(d))
	v.Columns = workbench.Choosing(path+"/column", l.Column, columns)
	return v
}

// people offers whose mail is shown: an example, or someone who came lately.
func (h *Handler) people(draft *workbench.Draft, c *chosen) error {
	list, err := h.Store.Responses.Reader(draft.Quiz.ID, responses.Genuine).Before(responses.Cursor{}, shownPeople)
	if err != nil {
		return err
	}
	found := c.Of == ""
	for _, r := range list {
		name := quiz.FirstOf(
			r.Name,
			r.Email,
			"somebody",
		) + ", " + draft.Doc.OutcomeName(
			r.Outcome,
		) + ", " + draft.Moment(
			r.At,
		)
		found = found || r.ID == c.Of
		c.People = append(c.People, option{Name: name, Value: r.ID, Selected: r.ID == c.Of})
	}
	if !found {
		c.People = append(c.People, option{Name: "a response", Value: c.Of, Selected: true})
	}
	return nil
}
