package delivery

import (
	"mime"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/engine"
	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/app/store/database"
	"omphalos/app/store/documents"
)

// Handler answers the links of letters.
type Handler struct {
	Store *store.Store
	Links *engine.Links
}

// Public adds the addresses that letters lead to. Programs that read mail ahead ask for addresses: only what is posted
// changes anything (RFC 8058, section 3.2).
func (h *Handler) Public(g gin.IRouter) {
	g.GET("/f/:quiz/:token", h.file)
	g.GET("/m/:quiz/:token", h.show)
	g.POST("/m/:quiz/:token", h.do)
}

// answer is the page that a link leads to.
type answer struct{ Heading, Text, Button string }

func (h *Handler) show(c *gin.Context) {
	what, q := h.open(c)
	if q == nil {
		return
	}
	if what == engine.ToLeave {
		draw(
			c,
			answer{
				"Unsubscribe?",
				"You won’t get any more emails about “" + q.Name + "”.",
				"Unsubscribe",
			},
		)
		return
	}
	draw(c, answer{"Confirm your subscription", "Please confirm that you agreed to receive emails when you " +
		"answered “" + q.Name + "”.", "Yes, I agree"})
}

func (h *Handler) do(c *gin.Context) {
	what, q := h.open(c)
	if q == nil {
		return
	}
	_, email, _ := h.Links.Open(q.ID, c.Param("token"))
	var err error
	said := answer{
		Heading: "You’re unsubscribed",
		Text:    "You won’t get any more emails about “" + q.Name + "”.",
	}
	if what == engine.ToLeave {
		err = h.Store.Deliveries.Leave(q.ID, email)
	} else {
		said = answer{Heading: "Thank you", Text: "Your subscription is confirmed."}
		err = h.Store.Deliveries.Confirm(q.ID, email)
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	draw(c, said)
}

// file hands a file out, as something to keep: the address runs nothing. It is counted once for each time that it is
// fetched whole.
func (h *Handler) file(c *gin.Context) {
	c.Header("Cache-Control", "private, no-store")
	c.Header("X-Robots-Tag", "noindex")
	what, _, ok := h.Links.Open(c.Param("quiz"), c.Param("token"))
	parts := strings.Split(what, ":")
	if !ok || len(parts) != 3 || parts[0] != engine.ToFile {
		nowhere(c)
		return
	}
	f, err := h.Store.Documents.Handout(c.Param("quiz"), parts[1])
	if database.IsNotFound(err) {
		nowhere(c)
		return
	}
	if err == nil && !page.IsHead(c.Request) {
		err = h.Store.Documents.Fetched(f.QuizID, f.ID, parts[2])
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Header("Content-Security-Policy", "sandbox; default-src 'none'")
	c.Header("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": f.Name}))
	c.Data(http.StatusOK, f.Type, f.Data)
}

func nowhere(c *gin.Context) {
	page.Fail(
		c,
		http.StatusNotFound,
		"This link doesn’t work",
		"The link may be incomplete or may have expired. Copy the whole link and try again.",
	)
}

// open reads the link, and answers where it leads nowhere.
func (h *Handler) open(c *gin.Context) (what string, q *documents.Quiz) {
	c.Header("Cache-Control", "no-store")
	c.Header("X-Robots-Tag", "noindex")
	what, _, ok := h.Links.Open(c.Param("quiz"), c.Param("token"))
	q, err := h.Store.Documents.Quiz(c.Param("quiz"))
	if ok && err == nil && (what == engine.ToLeave || what == engine.ToConfirm) {
		return what, q
	}
	if err != nil && !database.IsNotFound(err) {
		page.Failed(c, err)
		return "", nil
	}
	nowhere(c)
	return "", nil
}

func draw(c *gin.Context, a answer) {
	page.Render(c, http.StatusOK, pages, page.Shell{Title: a.Heading, Body: a})
}
