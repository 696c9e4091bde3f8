package delivery

import (
	"encoding/json"
	"html/template"
	"regexp"
	"strings"

	"omphalos/app/engine"
	"omphalos/app/page"
	"omphalos/core/fill"
	"omphalos/core/message"
	"omphalos/core/quiz"
)

// Letter is what a mail says. It is kept as it was first sent.
type Letter struct {
	Subject  string    `json:"subject"`
	Text     string    `json:"text"`
	HTML     string    `json:"html"`
	ReplyTo  string    `json:"reply_to,omitempty"`
	Leave    string    `json:"leave,omitempty"` // address at which the list can be left
	Pictures []Picture `json:"pictures,omitempty"`
}

// Picture is one of the library that goes within the mail.
type Picture struct {
	ID  string `json:"id"`  // in the library
	CID string `json:"cid"` // Content-ID (RFC 2392) by which the HTML names it
}

// JSON is the letter as it is stored.
func (l *Letter) JSON() ([]byte, error) { return json.Marshal(l) }

// ReadLetter reads what JSON wrote; an empty text is an empty letter.
func ReadLetter(text []byte) (*Letter, error) {
	var l Letter
	if len(text) == 0 {
		return &l, nil
	}
	err := json.Unmarshal(text, &l)
	return &l, err
}

// Around is what a letter needs of the program around it.
type Around struct {
	Origin string // of the server, "" where that is not known
	Lead   string // address of the response in Leads, "" where there is none
	Leave  string // address at which the list can be left, "" where there is no need
}

// Compose writes a message for someone. The document of source is in their language.
func Compose(m *quiz.Message, source fill.Source, around Around) *Letter {
	if i := source.Doc.Message(m.ID); i >= 0 {
		m = &source.Doc.Messages[i] // in that language
	}
	w := &writing{source: source, around: around, team: m.To != quiz.ToRespondent, budget: fill.NewBudget(fill.MostInMail)}
	l := &Letter{Subject: fill.Cut(oneLine(w.fill(m.Subject, fill.Plain)), fill.MostInLine), Leave: around.Leave}
	if w.team {
		l.ReplyTo = quiz.FirstOf(
			source.Doc.Contact.Email(source.Contact),
			engine.AnsweredEmail(source.Doc, source.Result, source.Input),
		)
	}
	markdown := w.fill(m.Text, fill.EscapeMarkdown)
	l.Text = page.MarkdownText(markdown)
	if around.Leave != "" {
		l.Text += "\n--\n" + leaveWords + ": " + around.Leave + "\n"
	}
	l.HTML, l.Pictures = dress(markdown, source.Doc, around)
	return l
}

// leaveWords stand before the address at which the list can be left.
const leaveWords = "You’re getting this email because you agreed to receive it. To stop these emails"

// writing fills the texts of one message.
type writing struct {
	source fill.Source
	around Around
	team   bool
	budget *fill.Budget
}

// list stands for the list of answers until the text around it is filled: it is Markdown itself.
const list = "\uE000"

// mostLists is how often a mail lists all answers.
const mostLists = 3

func (w *writing) fill(src string, escape func(string) string) string {
	look := func(name string) ([]string, bool) {
		switch {
		case w.team && name == message.Answers && w.source.Doc.Question(name) < 0:
			return []string{list}, true
		case w.team && name == message.LeadAt:
			return []string{w.around.Lead}, true
		case w.team && name == message.Reason && w.source.Doc.Question(name) < 0:
			return []string{w.source.Result.Say(w.source.Doc)}, true
		case !w.team && name == "outcome.name": // the internal name is for the team
			return w.source.Reading("outcome.heading")
		}
		return w.source.Reading(name)
	}
	out := fill.TextWithin(w.budget, src, look, escape)
	if strings.Contains(out, list) {
		out = strings.Replace(out, list, fill.Cut(w.answers(escape), fill.MostInMail/mostLists), mostLists)
		out = strings.ReplaceAll(out, list, "")
	}
	return out
}

// answers lists what was asked with what was answered, in Markdown.
func (w *writing) answers(escape func(string) string) string {
	var b strings.Builder
	b.WriteString("\n\n")
	for _, id := range w.source.Result.Path {
		q := &w.source.Doc.Questions[w.source.Doc.Question(id)]
		if q.Kind == quiz.Statement {
			continue
		}
		words := quiz.FirstOf(oneLine(w.source.Input.Answers[id].Words(q)), "–")
		title := oneLine(q.Title())
		if !strings.HasSuffix(title, "?") && !strings.HasSuffix(title, ":") {
			title += ":"
		}
		b.WriteString("- " + escape(title) + " **" + escape(words) + "**\n")
	}
	return b.String()
}

// oneLine takes line breaks and control characters out: a header is one line, whatever was filled in.
func oneLine(s string) string {
	fields := strings.FieldsFunc(s, func(r rune) bool { return r <= ' ' || r == 0x7f || r == '\u2028' || r == '\u2029' })
	return strings.Join(fields, " ")
}

var pictureAt = regexp.MustCompile(`src="/media/([0-9a-f]{1,64})(?:\?[^"]*)?"`)

// dress makes a page of Markdown in the look of a quiz. Pictures of the library come within the mail.
func dress(markdown string, d *quiz.Document, around Around) (string, []Picture) {
	body := string(page.Markdown(markdown))
	var pictures []Picture
	within := func(id string) string {
		for _, p := range pictures {
			if p.ID == id {
				return "cid:" + p.CID
			}
		}
		p := Picture{ID: id, CID: id + "@pictures"}
		pictures = append(pictures, p)
		return "cid:" + p.CID
	}
	body = pictureAt.ReplaceAllStringFunc(body, func(s string) string {
		return `src="` + within(pictureAt.FindStringSubmatch(s)[1]) + `"`
	})
	body = strings.ReplaceAll(body, `href="/`, `href="`+template.HTMLEscapeString(around.Origin)+`/`)
	v := letterPage{
		Language: quiz.FirstOf(d.Language, "en"), Direction: engine.DirectionOf(d), Colour: engine.ReadableColour(d),
		Body: template.HTML(body), Leave: around.Leave, LeaveWords: leaveWords,
	}
	if id, own := strings.CutPrefix(d.Theme.Logo, "/media/"); own {
		v.Logo, v.LogoAlt = template.URL(within(id)), d.Theme.LogoAlt
	}
	return string(page.Execute(pages, "letter", v)), pictures
}

// letterPage is what the page of a letter shows.
type letterPage struct {
	Language, Direction, Colour string
	Logo                        template.URL
	LogoAlt                     string
	Body                        template.HTML
	Leave, LeaveWords           string
}

// Note is a letter of the program itself, in Markdown.
func Note(subject, markdown, origin string) *Letter {
	l := &Letter{Subject: oneLine(subject), Text: page.MarkdownText(markdown)}
	l.HTML, _ = dress(markdown, &quiz.Document{}, Around{Origin: origin})
	return l
}
