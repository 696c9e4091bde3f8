// Package messages is the room for the emails that responses trigger: recipients, texts, previews, and the mailing list
// of people who gave consent.
package messages

import (
	"embed"
	"errors"
	"html/template"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/account"
	"omphalos/app/delivery"
	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
	"omphalos/app/workbench"
)

//go:embed *.html *.js
var files embed.FS

func init() { page.RegisterAssets(files, ".") }

var templates = workbench.Templates(files)

// Handler is the Messages room: its view in the workbench, and all that is done there.
type Handler struct {
	Store  *store.Store
	Bench  *workbench.Handler
	Mail   delivery.Settings
	Origin string // address of the server; "" where that is not known
	Now    func() time.Time
}

// Room is the handler's view in the workbench.
func (h *Handler) Room() workbench.Room {
	return workbench.Room{
		Key: "messages", Title: "Messages", Scripts: []string{"messages.js"}, Template: templates,
		View: h.view, Reach: shares,
		Blocks: func(v any) []workbench.Block { return v.(*view).Blocks },
		Count: func(d *workbench.Draft) string {
			if len(d.Doc.Messages) == 0 {
				return ""
			}
			return strconv.Itoa(len(d.Doc.Messages))
		},
	}
}

// Routes adds the addresses of the room that are not the workbench's.
func (h *Handler) Routes(g gin.IRouter) {
	at := g.Group("/quizzes/:id/messages")
	at.GET("/preview", h.Bench.Counting(h.preview))
	at.GET("/list.csv", h.export)
	at.POST("/try/:message", h.Bench.Counting(h.try))
	at.POST("/pause/:message", h.answerForm(func(c *gin.Context, id string) error {
		return h.Store.Deliveries.PauseMessage(id, c.Param("message"), c.PostForm("pause") != "")
	}))
	at.POST("/mails/:mail/resend", h.answerForm(func(c *gin.Context, id string) error {
		return h.Store.Deliveries.ResendMail(id, c.Param("mail"))
	}))
	at.POST("/confirm", h.answerForm(func(c *gin.Context, id string) error {
		return h.Bench.Editor.SetConfirm(workbench.Actor(c), id, c.PostForm("confirm") != "")
	}))
	at.POST(
		"/leave",
		h.answerForm(
			func(c *gin.Context, id string) error { return h.Store.Deliveries.Leave(id, c.PostForm("email")) },
		),
	)
}

// answerForm answers a form with the part of the room that it stands in.
func (h *Handler) answerForm(do func(c *gin.Context, id string) error) gin.HandlerFunc {
	return func(c *gin.Context) {
		id := c.Param("id")
		err := do(c, id)
		switch {
		case errors.Is(err, database.ErrNotFound), edit.KindOf(err) == edit.Gone:
			page.NotFound(c)
		case err != nil:
			page.Failed(c, err)
		default:
			back := url.Values{"saved": {"1"}}
			for _, name := range []string{"m", "part"} {
				if v := c.PostForm(name); v != "" {
					back.Set(name, v)
				}
			}
			c.Redirect(http.StatusSeeOther, "/quizzes/"+id+"/messages?"+back.Encode())
		}
	}
}

// shares puts next to each message what share of all respondents it is for.
func shares(v *workbench.Counted) (map[string]template.HTML, error) {
	out := map[string]template.HTML{}
	for _, s := range v.Sent {
		text := page.Percent(s.Share)
		switch {
		case !s.Known:
			text = "Not calculated"
		case !s.Reachable:
			text = "nobody"
		case s.Interval != nil:
			text = page.Percent(s.Interval[0]) + " to " + page.Percent(s.Interval[1])
		}
		out["gets-"+s.ID] = template.HTML(template.HTMLEscapeString(text))
	}
	return out, nil
}

// try sends a message, as it is in the draft, to anyone who asks.
func (h *Handler) try(c *gin.Context) {
	v, err := h.Bench.Count(c)
	if v == nil {
		return
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	who := account.Of(c)
	l := h.compose(v, c.Param("message"), c.PostForm("of"))
	if l == nil {
		page.NotFound(c)
		return
	}
	of := "" // it holds what that person answered, and goes with their response
	if r := h.response(v.Quiz.ID, c.PostForm("of")); r != nil {
		of = r.ID
	}
	content, err := l.JSON()
	if err == nil {
		err = h.Store.Deliveries.QueueMail(&deliveries.Mail{
			QuizID: v.Quiz.ID, ResponseID: of, MessageID: deliveries.TriedMail + database.NewID(),
			Recipients: who.Email, Content: content,
		})
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	said := "Test sent to " + who.Email + "."
	if !h.Mail.On() {
		said = "Queued for " + who.Email + ", because this server can’t send email yet (start it with --smtp)."
	}
	c.JSON(http.StatusOK, gin.H{"message": said})
}
