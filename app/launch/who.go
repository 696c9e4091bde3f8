package launch

import (
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/delivery"
	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/app/store/responses"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/sheet"
)

// whoPart is who may begin and when.
type whoPart struct {
	Opens, Closes string
	Zone          string
	Access        *responses.Access
	Taken         int    // places of the cap
	Counted       string // which responses these are, after “counts”
	Now           string
	People        []person
	More          int // people next to these
	Counts        map[string]int
	Mails         bool // mail can leave
}

type person struct {
	ID, Name, Email, State string
	Works                  bool
}

// maxPeople is how many of those who are invited are listed; the table has all.
const maxPeople = 200

// states of access in words.
var stateWords = map[string]string{
	"":                  "Open to anyone with the link.",
	responses.NotYet:    "Not open yet.",
	responses.Over:      "Closed: the closing time has passed.",
	responses.PausedNow: "Paused.",
	responses.Full:      "Closed: the response limit is reached.",
}

func (h *Handler) who(s *view, a *responses.Access) (*whoPart, error) {
	d := s.Draft
	p := &whoPart{
		Opens:  edit.LocalTime(a.Opens, d.Zone),
		Closes: edit.LocalTime(a.Closes, d.Zone),
		Zone:   d.Zone.String(),
		Access: a,
		Mails:  h.Mails,
	}
	var err error
	if p.Taken, err = h.Store.Responses.Places(d.Quiz.ID); err != nil {
		return nil, err
	}
	state, err := h.Store.Responses.Shut(d.Quiz.ID, a, h.Store.Now())
	if err != nil {
		return nil, err
	}
	p.Taken = max(0, p.Taken-a.From.After)
	switch {
	case a.From.Version > 0:
		p.Counted = fmt.Sprintf("responses since the launch of version %d", a.From.Version)
	case !a.From.At.IsZero():
		p.Counted = "responses since " + a.From.At.In(d.Zone).Format("2 Jan 2006, 15:04 MST")
	default:
		p.Counted = "every response so far"
	}
	switch p.Now = stateWords[state]; {
	case state == responses.NotYet:
		p.Now = "Not open yet: it opens on " + a.Opens.In(d.Zone).Format("2 January 2006, 15:04 MST") + "."
	case state == responses.Over:
		p.Now = "Closed since " + a.Closes.In(d.Zone).Format("2 January 2006, 15:04 MST") + "."
	case state == "" && !a.Closes.IsZero():
		p.Now = "Open until " + a.Closes.In(d.Zone).Format("2 January 2006, 15:04 MST") + "."
	}
	if state == "" && a.Who == responses.WithPassphrase {
		p.Now = "Open to anyone with the link and the passphrase."
	} else if state == "" && a.Who == responses.Invited {
		p.Now = "Open to invited people, once each."
	}
	list, err := h.Store.Responses.Invitations(d.Quiz.ID)
	if err != nil {
		return nil, err
	}
	p.Counts = map[string]int{}
	for i := range list {
		one := &list[i]
		p.Counts[one.State()]++
		if len(p.People) < maxPeople {
			p.People = append(
				p.People,
				person{ID: one.ID, Name: one.Name, Email: one.Email, State: one.State(), Works: one.Works()},
			)
		}
	}
	p.More = len(list) - len(p.People)
	return p, nil
}

func (h *Handler) setWho(c *gin.Context, who edit.Actor, id string) error {
	q, err := h.Store.Documents.Quiz(id)
	if err != nil {
		return err
	}
	d, err := quiz.ReadStored(q.Document)
	if err != nil {
		return err
	}
	begins := c.PostForm("who")
	if begins == responses.Anyone && c.PostForm("passphrase") != "" {
		begins = responses.WithPassphrase // anyone who types one means it
	}
	return h.Bench.Editor.SetAccess(who, id, edit.AccessForm{
		Opens: c.PostForm("opens"), Closes: c.PostForm("closes"), Paused: c.PostForm("paused") != "",
		Cap: c.PostForm("cap"), CapFrom: c.PostForm("capfrom"),
		Who: begins, Passphrase: c.PostForm("passphrase"),
		Closed: closedOf(c, ""), ClosedFor: map[string]responses.Closed{
			responses.NotYet: closedOf(
				c,
				"notyet.",
			), responses.Over: closedOf(c, "over."), responses.Full: closedOf(c, "full."),
		},
	}, d.Zone())
}

func closedOf(c *gin.Context, before string) responses.Closed {
	return responses.Closed{
		Heading: c.PostForm(
			before + "heading",
		), Text: c.PostForm(before + "text"), URL: strings.TrimSpace(c.PostForm(before + "url")),
	}
}

// closedPage is the page for one reason, as the form has it.
type closedPage struct {
	Field, Title string
	Page         responses.Closed
}

// ClosedPages are the pages for each reason that can have one of its own.
func (p *whoPart) ClosedPages() []closedPage {
	return []closedPage{
		{"notyet.", "Before it opens", p.Access.ClosedFor[responses.NotYet]},
		{"over.", "After it has closed", p.Access.ClosedFor[responses.Over]},
		{"full.", "When the response limit is reached", p.Access.ClosedFor[responses.Full]},
	}
}

func (h *Handler) invite(c *gin.Context, who edit.Actor, id string) error {
	text := c.PostForm("people")
	if file, err := c.FormFile("file"); err == nil && file.Size > 0 {
		f, err := file.Open()
		if err != nil {
			return err
		}
		defer f.Close()
		data, err := io.ReadAll(f)
		if err != nil {
			return err
		}
		text = strings.TrimPrefix(string(data), "\ufeff")
	}
	letter, err := h.letter(c, id)
	if err != nil {
		return err
	}
	return h.Bench.Editor.Invite(who, id, text, letter)
}

// Letter returns the text that an invitation begins with.
func (p *whoPart) Letter() string {
	return "Hello {name|there},\n\nplease take our quiz: {link}\n\nThe link is yours alone and works once."
}

// letter returns what writes the email of an invitation, nil if none is wanted. What is wrong with its texts is said
// before anyone is invited.
func (h *Handler) letter(c *gin.Context, id string) (responses.Letter, error) {
	if !h.Mails || c.PostForm("send") == "" {
		return nil, nil
	}
	refuse := func(why string) (responses.Letter, error) { return nil, &edit.Error{Kind: edit.Refused, Message: why} }
	subject, text := strings.TrimSpace(c.PostForm("subject")), c.PostForm("letter")
	if subject == "" || !strings.Contains(text, "{link}") {
		return refuse("The email needs a subject, and {link} in its text for each person’s own link.")
	}
	q, err := h.Store.Documents.Quiz(id)
	if err != nil {
		return nil, err
	}
	if q.Slug == nil {
		return refuse("Launch the quiz first: the links in the emails would lead nowhere.")
	}
	return func(one *responses.Invitation) ([]byte, error) {
		query, err := h.Engine.Invitation(id, one.ID)
		if err != nil {
			return nil, err
		}
		look := inviting(one, h.Origin+"/q/"+*q.Slug+"?"+query)
		return delivery.Note(fill.Text(subject, look, fill.Plain), fill.Text(text, look, inLetter), h.Origin).JSON()
	}, nil
}

// inviting finds what an invitation's email is filled in with: name, link, and the further columns of the list.
func inviting(one *responses.Invitation, link string) fill.Lookup {
	params := paramsOf(one)
	return func(name string) ([]string, bool) {
		value, known := params[name]
		switch name {
		case "name":
			value, known = one.Name, true
		case "link":
			value, known = link, true
		}
		if value == "" {
			return nil, known
		}
		return []string{value}, known
	}
}

// inLetter escapes what is filled into a letter, but for addresses, which Markdown makes links of.
func inLetter(s string) string {
	if strings.HasPrefix(s, "http://") || strings.HasPrefix(s, "https://") {
		return "<" + s + ">"
	}
	return fill.EscapeMarkdown(s)
}

// invitations is the list of those who are invited, with the link of each.
func (h *Handler) invitations(c *gin.Context) {
	d := h.Bench.Load(c)
	if d == nil {
		return
	}
	list, err := h.Store.Responses.Invitations(d.Quiz.ID)
	if err != nil {
		page.Failed(c, err)
		return
	}
	base := page.Address(c.Request, h.Origin)
	slug := ""
	if d.Quiz.Slug != nil {
		slug = *d.Quiz.Slug
	}
	names := paramNames(list)
	c.Header("Content-Type", "text/csv; charset=utf-8")
	c.Header("Content-Disposition", `attachment; filename="invitations.csv"`)
	w, err := sheet.NewCSVWriter(c.Writer)
	if err != nil {
		return
	}
	_ = w.Write(slices.Concat([]string{"name", "email"}, names, []string{"state", "link"})) // who reads has gone
	for i := range list {
		one := &list[i]
		query, err := h.Engine.Invitation(d.Quiz.ID, one.ID)
		if err != nil {
			page.Failed(c, err)
			return
		}
		params := paramsOf(one)
		row := []string{one.Name, one.Email}
		for _, name := range names {
			row = append(row, params[name])
		}
		link := ""
		if one.Works() {
			link = base + "/q/" + slug + "?" + query
		}
		if w.Write(append(row, one.State(), link)) != nil {
			return
		}
	}
}

func paramsOf(i *responses.Invitation) map[string]string {
	var out map[string]string
	if len(i.Params) > 0 && json.Unmarshal(i.Params, &out) != nil {
		return nil
	}
	return out
}

func paramNames(list []responses.Invitation) []string {
	seen := map[string]bool{}
	for i := range list {
		for name := range paramsOf(&list[i]) {
			seen[name] = true
		}
	}
	var out []string
	for name := range seen {
		out = append(out, name)
	}
	slices.Sort(out)
	return out
}

// sharedPart is what a link looks like elsewhere.
type sharedPart struct {
	responses.Shared
	Title0, Text0 string // what stands where nothing is typed
	Image0        string // shown: what is chosen, else that of the opening page
	Address       string
	Pictures      []picture
}

// picture is one of the quiz's own that can be chosen.
type picture struct {
	Image, Name string
	Selected    bool
}

func newShared(s *view, a *responses.Access) *sharedPart {
	d := s.Draft.Doc
	p := &sharedPart{Shared: a.Shared, Title0: d.Name, Address: s.Base + "/q/" + s.Slug}
	if d.Intro != nil {
		if d.Intro.Heading != "" {
			p.Title0 = d.Intro.Heading
		}
		p.Text0, p.Image0 = d.Intro.Text, d.Intro.Image
	}
	seen := map[string]bool{"": true}
	put := func(image, name string) {
		if !seen[image] {
			p.Pictures = append(p.Pictures, picture{image, name, image == a.Shared.Image})
		}
		seen[image] = true
	}
	for i := range d.Questions {
		put(d.Questions[i].Image, quiz.FirstOf(d.Questions[i].Alt, d.Questions[i].Title()))
	}
	for i := range d.Outcomes {
		put(d.Outcomes[i].Image, quiz.FirstOf(d.Outcomes[i].Alt, d.Outcomes[i].Title()))
	}
	p.Image0 = quiz.FirstOf(a.Shared.Image, p.Image0)
	return p
}

func (h *Handler) setShared(c *gin.Context, who edit.Actor, id string) error {
	return h.Bench.Editor.SetShared(who, id, responses.Shared{
		Title: c.PostForm("title"), Text: c.PostForm("text"), Image: c.PostForm("image"),
		Canonical: c.PostForm("canonical"), Listed: c.PostForm("listed") != "",
	})
}
