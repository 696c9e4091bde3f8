package respond

import (
	"bytes"
	"embed"
	"fmt"
	"html/template"
	"strings"

	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

//go:embed *.html
var files embed.FS

var pages = template.Must(template.New("").Funcs(page.Funcs).ParseFS(files, "*.html"))

// version is a launched document made ready: compiled, and with every page already written.
type version struct {
	QuizID string
	Slug   string
	Number int
	Doc    *quiz.Document
	walk   *walk.Compiled
	intro  ready
	asks   []ready // by question
}

// ready is a page written ahead, cut where a respondent's own place, way back and progress belong.
type ready [][]byte

// The marks at which a page is cut. They stand in attributes only, and no document can hold them: they are random.
const (
	slotToken = "slotTokenJQ7XK2ZD"
	slotBack  = "slotBackJQ7XK2ZD"
	slotDone  = "40417317" // of a thousand; a number, as it stands in a number's place
)

func cut(b []byte) ready {
	var out ready
	for _, slot := range []string{slotToken, slotBack, slotDone} {
		b = bytes.ReplaceAll(b, []byte(slot), []byte("\x00"+slot+"\x00"))
	}
	for part := range bytes.SplitSeq(b, []byte("\x00")) {
		out = append(out, part)
	}
	return out
}

// fill puts a respondent's own into a page written ahead.
func (r ready) fill(token, back string, done int) []byte {
	size := len(token)*2 + len(back) + 16
	for _, part := range r {
		size += len(part)
	}
	out := make([]byte, 0, size)
	for _, part := range r {
		switch string(part) {
		case slotToken:
			out = append(out, token...)
		case slotBack:
			out = append(out, back...)
		case slotDone:
			out = fmt.Append(out, done)
		default:
			out = append(out, part...)
		}
	}
	return out
}

func newVersion(q *store.Quiz, v *store.Version) (*version, error) {
	d, err := quiz.Read(v.Document)
	if err != nil {
		return nil, err
	}
	c, err := walk.New(d)
	if err != nil {
		return nil, err
	}
	ver := &version{QuizID: q.ID, Slug: *q.Slug, Number: v.Number, Doc: d, walk: c}
	s := screen{V: ver, Token: slotToken, Done: slotDone}
	if d.Intro != nil {
		s.Title, s.Text = d.Name, page.Markdown(d.Intro.Text)
		ver.intro = cut(ver.draw("intro", s))
	}
	s.Back, s.Text = "?w="+slotBack, ""
	for i := range d.Questions {
		ver.asks = append(ver.asks, cut(ver.draw("ask", ver.ask(s, i, walk.Answer{}, nil))))
	}
	return ver, nil
}

func (v *version) draw(name string, s screen) []byte { return page.Execute(pages, name, s) }

// screen is what the templates of respondents' pages draw.
type screen struct {
	V       *version
	Title   string
	Token   string
	Back    string // address, "" for none
	Done    string // of a thousand
	Q       *quiz.Question
	Help    template.HTML
	Inputs  []input
	Error   *fieldError
	Contact []input
	Consent *input
	Text    template.HTML
	Outcome *quiz.Outcome
	Buttons []quiz.Button
	Message string
}

// input is one control.
type input struct {
	Name    string
	Value   string
	Label   string
	Checked bool
	Row     string // of a grid: the row's label; the control begins a group
	Type    string
	Error   string
	Other   *input
	Need    bool
	Auto    string // autocomplete
}

type fieldError struct {
	Field   string
	Message string
}

// ask fills in the controls of question i, with an answer given before and what is wrong with it.
func (v *version) ask(s screen, i int, a walk.Answer, failed *fieldError) screen {
	q := &v.Doc.Questions[i]
	s.Q, s.Error, s.Title = q, failed, q.Title()
	s.Help = page.Markdown(q.Help)
	if failed != nil {
		s.Title = "Error: " + s.Title
	}
	switch q.Kind {
	case quiz.Single, quiz.Multiple:
		for _, c := range q.Choices {
			s.Inputs = append(s.Inputs, input{Name: q.ID, Value: c.ID, Label: c.Title(), Checked: contains(a.Picks, c.ID)})
		}
	case quiz.Grid:
		for _, r := range q.Rows {
			row := r.Label
			for _, c := range q.Choices {
				s.Inputs = append(s.Inputs, input{Name: q.ID + "." + r.ID, Value: c.ID, Label: c.Title(), Row: row, Checked: a.Rows[r.ID] == c.ID})
				row = ""
			}
		}
	case quiz.Rating:
		for n := *q.From; n.Cmp(*q.To) <= 0; n = n.Add(q.Increment()) {
			s.Inputs = append(s.Inputs, input{Name: q.ID, Value: n.String(), Label: n.String(), Checked: a.Number != nil && a.Number.Cmp(n) == 0})
		}
	case quiz.NumberQ:
		in := input{Name: q.ID, Type: "text", Value: a.Text}
		if a.Number != nil {
			in.Value = a.Number.String()
		}
		s.Inputs = []input{in}
	case quiz.Consent:
		s.Inputs = []input{{Name: q.ID, Value: "yes", Label: "Yes", Checked: a.Text != ""}}
	case quiz.Statement:
	default:
		s.Inputs = []input{{Name: q.ID, Type: map[quiz.Kind]string{quiz.Email: "email", quiz.Phone: "tel", quiz.Date: "date"}[q.Kind], Value: a.Text}}
	}
	return s
}

func contains(list []string, s string) bool {
	for _, v := range list {
		if v == s {
			return true
		}
	}
	return false
}

// Range says what a number may be, for its label.
func (s screen) Range() string {
	q := s.Q
	var parts []string
	if q.From != nil && q.To != nil {
		parts = append(parts, "from "+q.From.String()+" to "+q.To.String())
	}
	if q.Unit != "" {
		parts = append(parts, q.Unit)
	}
	return strings.Join(parts, " ")
}
