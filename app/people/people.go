// Package people serves the page that shows, exports and deletes everything about one person, across quizzes.
package people

import (
	"embed"
	"encoding/json"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/account"
	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/app/store/responses"
	"omphalos/core/quiz"
)

//go:embed *.html
var files embed.FS

var templates = page.New(files)

// Handler answers the page.
type Handler struct{ Store *store.Store }

// Routes adds the addresses of the page. The email address is never part of one: addresses stay in logs and histories.
func (h *Handler) Routes(g gin.IRouter) {
	g.GET("/people", h.show)
	g.POST("/people", h.show)
	g.POST("/people/export", h.export)
	g.POST("/people/delete", h.delete)
}

type view struct {
	Email   string
	Asked   bool
	Lines   []line
	Invited []invitationView
	Gone    *responses.Held // what has just been deleted
	On      string          // when
}

// line is a response.
type line struct {
	ID, QuizID, Quiz, When, Outcome, Deal string
	InBin                                 bool
	Answers                               []answer // the contact step's too
}

type answer struct{ Question, Text string }

type invitationView struct{ Quiz, Name, When, State string }

func (h *Handler) show(c *gin.Context) {
	v := &view{Email: strings.TrimSpace(c.PostForm("email")), Asked: c.Request.Method == http.MethodPost}
	held, err := h.Store.Responses.Person(v.Email)
	if err == nil {
		err = h.fill(v, held)
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	h.render(c, v)
}

func (h *Handler) render(c *gin.Context, v *view) {
	c.Header("Cache-Control", "no-store")
	page.Render(c, http.StatusOK, templates, page.Shell{Title: "One person", Account: account.Of(c).Email, Body: v})
}

// fill makes the lines of what is held.
func (h *Handler) fill(v *view, held *responses.Held) error {
	names, bin, err := h.quizzes()
	if err != nil {
		return err
	}
	deals := map[string]responses.Deal{}
	for _, d := range held.Deals {
		deals[d.ResponseID] = d
	}
	for i := range held.Responses {
		a, err := h.Store.Responses.Answered(&held.Responses[i])
		if err != nil {
			return err
		}
		d := deals[a.ID]
		l := line{
			ID:      a.ID,
			QuizID:  a.QuizID,
			Quiz:    names[a.QuizID],
			InBin:   bin[a.QuizID],
			When:    moment(a.At, a.Doc),
			Outcome: a.Doc.OutcomeName(a.Outcome),
			Deal:    strings.TrimSpace(d.State + " " + d.Currency + " " + d.Amount),
		}
		if a.Doc.Contact != nil {
			for _, f := range a.Doc.Contact.Fields {
				if text := a.Contact[f.ID]; text != "" {
					l.Answers = append(l.Answers, answer{quiz.FirstOf(f.Label, page.Upper(f.ID)), text})
				}
			}
		}
		for k := range a.Doc.Questions {
			q := &a.Doc.Questions[k]
			if given, asked := a.Answers[q.ID]; asked && q.Kind != quiz.Statement {
				l.Answers = append(l.Answers, answer{q.Title(), given.Words(q)})
			}
		}
		v.Lines = append(v.Lines, l)
	}
	for i := range held.Invitations {
		n := &held.Invitations[i]
		v.Invited = append(v.Invited, invitationView{names[n.QuizID], n.Name, n.At.UTC().Format("2 Jan 2006"), n.State()})
	}
	return nil
}

func moment(at time.Time, d *quiz.Document) string {
	return at.In(d.Zone()).Format("2 Jan 2006, 15:04")
}

// quizzes are the names of all quizzes, and which of them are in the bin.
func (h *Handler) quizzes() (names map[string]string, bin map[string]bool, err error) {
	names, bin = map[string]string{}, map[string]bool{}
	list, err := h.Store.Documents.Quizzes()
	if err != nil {
		return nil, nil, err
	}
	deleted, err := h.Store.Documents.Bin()
	if err != nil {
		return nil, nil, err
	}
	for _, q := range list {
		names[q.ID] = q.Name
	}
	for _, q := range deleted {
		names[q.ID], bin[q.ID] = q.Name, true
	}
	return names, bin, nil
}

// export answers with all that is held as one JSON file, for the person.
func (h *Handler) export(c *gin.Context) {
	held, err := h.Store.Responses.Person(c.PostForm("email"))
	if err != nil {
		page.Failed(c, err)
		return
	}
	names, _, err := h.quizzes()
	if err != nil {
		page.Failed(c, err)
		return
	}
	out := map[string]any{"email": held.Email, "responses": []any{}, "invitations": []any{}, "deals": []any{}}
	put := func(name string, one map[string]any) { out[name] = append(out[name].([]any), one) }
	for i := range held.Responses {
		a, err := h.Store.Responses.Answered(&held.Responses[i])
		if err != nil {
			page.Failed(c, err)
			return
		}
		one := a.Object(a.Doc.Zone())
		one["quiz"], one["device"], one["country"], one["language"] = names[a.QuizID], a.Device, a.Country, a.Language
		put("responses", one)
	}
	for _, n := range held.Invitations {
		put(
			"invitations",
			map[string]any{
				"quiz":   names[n.QuizID],
				"name":   n.Name,
				"email":  n.Email,
				"at":     n.At,
				"params": json.RawMessage(orNull(n.Params)),
				"state":  n.State(),
			},
		)
	}
	for _, d := range held.Deals {
		put("deals", map[string]any{"response": d.ResponseID, "state": d.State, "amount": d.Amount, "currency": d.Currency})
	}
	c.Header("Cache-Control", "no-store")
	c.Header("Content-Disposition", `attachment; filename="person.json"`)
	c.IndentedJSON(http.StatusOK, out)
}

func orNull(text []byte) []byte {
	if len(text) == 0 {
		return []byte("null")
	}
	return text
}

// delete erases all that is held, and shows a receipt.
func (h *Handler) delete(c *gin.Context) {
	gone, err := h.Store.Responses.ErasePerson(c.PostForm("email"))
	if err != nil {
		page.Failed(c, err)
		return
	}
	h.render(c, &view{Gone: gone, On: time.Now().UTC().Format("2 January 2006, 15:04 UTC")})
}
