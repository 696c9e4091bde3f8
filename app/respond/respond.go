// Package respond serves the engine’s pages over HTTP. Every page is a plain form that works without scripts and in a
// frame on another site.
package respond

import (
	"errors"
	"html/template"
	"io/fs"
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/engine"
	"omphalos/app/page"
	"omphalos/app/store/responses"
	"omphalos/core/walk"
)

// Handler answers /q/SLUG.
type Handler struct {
	Engine  *engine.Engine
	Locator *Locator
}

// Routes adds the addresses of respondents' pages.
func (h *Handler) Routes(g gin.IRouter) {
	g.GET("/q/:slug", h.get)
	g.POST("/q/:slug", h.post)
	g.GET("/q/:slug/end/:token", h.showEnding((*engine.Engine).End))
	g.GET("/q/:slug/result/:token", h.showEnding((*engine.Engine).Result))
	g.GET("/q/:slug/look/:stamp", h.style)
	g.GET("/q/:slug/tag/:token", h.tag)
}

// visit reads a request as the engine knows it.
func (h *Handler) visit(c *gin.Context, token string, query url.Values) *engine.Visit {
	r := c.Request
	v := &engine.Visit{
		Slug:    c.Param("slug"),
		Token:   token,
		Query:   query,
		Accept:  r.Header.Get("Accept-Language"),
		Browser: browserOf(r),
		Address: h.Locator.Address(c),
		Quiet:   page.IsHead(r) || strings.Contains(r.Header.Get("Sec-Purpose"), "prefetch"),
		Visitor: walk.Visitor{
			Country:  h.Locator.Country(c),
			Language: firstLanguage(r.Header.Get("Accept-Language")),
			Device:   device(r.Header.Get("User-Agent")),
		},
	}
	if from, err := url.Parse(r.Referer()); err == nil && from.Host != r.Host {
		v.Referrer = from.Hostname()
	}
	return v
}

func (h *Handler) get(c *gin.Context) {
	query := c.Request.URL.Query()
	v := h.visit(c, query.Get("w"), query)
	v.Back = query.Get("back") != ""
	if v.Browser == "" {
		v.Fresh = rememberBrowser(c)
	}
	reply, err := h.Engine.Get(v)
	h.Answer(c, reply, err)
}

// maxForm is how much of a form with parts is read into memory; limits.Bounded bounds what a page posts.
const maxForm = 1 << 20

func (h *Handler) post(c *gin.Context) {
	if err := parse(c.Request); err != nil {
		page.Fail(c, http.StatusBadRequest, "Something went wrong", "Go back and try again.")
		return
	}
	form := c.Request.PostForm
	reply, err := h.Engine.Post(h.visit(c, form.Get("w"), c.Request.URL.Query()), form)
	h.Answer(c, reply, err)
}

func parse(r *http.Request) error {
	if strings.HasPrefix(r.Header.Get("Content-Type"), "multipart/form-data") {
		return r.ParseMultipartForm(maxForm)
	}
	return r.ParseForm()
}

// showEnding answers the address of an ending.
func (h *Handler) showEnding(find func(*engine.Engine, *engine.Visit) (*engine.Reply, error)) gin.HandlerFunc {
	return func(c *gin.Context) {
		reply, err := find(h.Engine, h.visit(c, c.Param("token"), c.Request.URL.Query()))
		h.Answer(c, reply, err)
	}
}

// Form is what a page of a rehearsal was sent or asked for; it answers itself and returns false where that cannot be
// read.
func (h *Handler) Form(c *gin.Context) (url.Values, bool) {
	if c.Request.Method != http.MethodPost {
		return c.Request.URL.Query(), true
	}
	if err := parse(c.Request); err != nil {
		page.Fail(c, http.StatusBadRequest, "Something went wrong", "Go back and try again.")
		return nil, false
	}
	return c.Request.PostForm, true
}

// Answer sends what the engine says.
func (h *Handler) Answer(c *gin.Context, r *engine.Reply, err error) {
	switch {
	case errors.Is(err, fs.ErrNotExist):
		page.Fail(
			c,
			http.StatusNotFound,
			"Quiz not found",
			"The link may be mistyped, or the quiz is no longer available.",
		)
	case errors.Is(err, engine.ErrNotStored) || errors.Is(err, responses.ErrClosed):
		_ = c.Error(err)
		page.Fail(
			c,
			http.StatusServiceUnavailable,
			"We couldn’t save your answers",
			"Please go back and submit them again.",
		)
	case err != nil:
		page.Failed(c, err)
	case r.To != "":
		c.Header("Cache-Control", "no-store")
		if r.Away {
			c.Header("Referrer-Policy", "no-referrer")
		}
		c.Redirect(http.StatusSeeOther, r.To)
	case r.Prepared != engine.NotPrepared:
		h.writeReady(c, r)
	default:
		status := http.StatusOK
		if r.Lost {
			status = http.StatusBadRequest
		}
		h.write(c, r.Screen.S, status, page.Execute(pages, r.Page, r.Screen))
	}
}

// pagePolicy is that of a respondent's page, up to the sites that may frame it; a form may lead to any site.
const pagePolicy = "default-src 'none'; style-src 'self'; img-src 'self'; font-src 'self'; " +
	"script-src 'self'; connect-src 'self'; frame-src 'self'; base-uri 'none'; form-action 'self' http: https:; frame-ancestors "

func pageHeaders(c *gin.Context, s *engine.Source) {
	header := c.Writer.Header()
	header.Set("Content-Security-Policy", pagePolicy+s.Frames)
	header.Del("X-Frame-Options")
	header.Set("Referrer-Policy", "same-origin") // the place in the address is no one else's business
	header.Set("Cache-Control", "no-store")
}

func (h *Handler) write(c *gin.Context, s *engine.Source, status int, body []byte) {
	pageHeaders(c, s)
	c.Data(status, "text/html; charset=utf-8", body)
}

// writeReady sends a page written ahead, compressed ahead where the browser takes that.
func (h *Handler) writeReady(c *gin.Context, r *engine.Reply) {
	page := r.Source.Prepared.(*pageCache).page(r.Prepared)
	pageHeaders(c, r.Source)
	header := c.Writer.Header()
	header.Set("Vary", "Accept-Encoding")
	if strings.Contains(c.GetHeader("Accept-Encoding"), "gzip") {
		header.Set("Content-Encoding", "gzip")
		c.Data(http.StatusOK, "text/html; charset=utf-8", page.gzip(r.Token, r.Done))
		return
	}
	c.Data(http.StatusOK, "text/html; charset=utf-8", page.fill(r.Token, r.Done))
}

// style sends the theme's own style sheet. Its address changes when it does.
func (h *Handler) style(c *gin.Context) {
	style, err := h.Engine.Style(c.Param("slug"), c.Param("stamp"))
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Header("Cache-Control", "public, max-age=86400")
	c.Data(http.StatusOK, "text/css; charset=utf-8", []byte(style))
}

var tagPage = template.Must(
	template.New("tag").Parse(`<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Tag</title></head>
<body><script>window.quizEvent = {{.Event}};</script>
{{.Tag}}
</body></html>`),
)

// tagPolicy seals the owner's tag off: it can measure, and reaches neither pages nor places.
const tagPolicy = "sandbox allow-scripts; default-src http: https: data:; script-src http: https: 'unsafe-inline'; " +
	"style-src http: https: 'unsafe-inline'; frame-ancestors *"

// tag is the frame in which the owner's tag runs: sealed off from the pages, with no cookies and no storage of theirs.
func (h *Handler) tag(c *gin.Context) {
	tag, event, err := h.Engine.Tag(h.visit(c, c.Param("token"), c.Request.URL.Query()))
	if err != nil {
		page.Failed(c, err)
		return
	}
	header := c.Writer.Header()
	header.Set("Content-Security-Policy", tagPolicy)
	header.Del("X-Frame-Options")
	header.Set("Referrer-Policy", "no-referrer")
	header.Set("Cache-Control", "no-store")
	header.Set("Content-Type", "text/html; charset=utf-8")
	c.Status(http.StatusOK)
	own := template.HTML(tag) // the owner's, in a sealed frame
	_ = tagPage.Execute(c.Writer, map[string]any{"Event": event, "Tag": own})
}
