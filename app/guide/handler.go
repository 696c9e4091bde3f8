package guide

import (
	"embed"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"omphalos/app/account"
	"omphalos/app/page"
)

//go:embed *.html
var files embed.FS

var templates = page.New(files)

// Handler answers the addresses of the guide.
type Handler struct{}

// Routes adds them.
func (h *Handler) Routes(g gin.IRouter) {
	g.GET("/guide", h.list)
	g.GET("/guide/:page", h.page)
	g.GET("/guide/pictures/:name", h.picture)
}

// group are the pages below one heading.
type group struct {
	Name  string
	Pages []*Page
}

type view struct {
	Groups []group
	Query  string
	Asked  bool
	Found  []Found
	Page   *Page // nil for the list
}

func newView(query string) *view {
	v := &view{Query: query, Asked: query != "", Found: Find(query)}
	for _, p := range whole().pages {
		name := p.Group
		if name == "" {
			name = "Reference"
		}
		at := slices.IndexFunc(v.Groups, func(g group) bool { return g.Name == name })
		if at < 0 {
			v.Groups, at = append(v.Groups, group{Name: name}), len(v.Groups)
		}
		v.Groups[at].Pages = append(v.Groups[at].Pages, p)
	}
	return v
}

// list shows all pages, or what a search finds; with part, only the latter, for a window that shows it itself.
func (h *Handler) list(c *gin.Context) {
	query := c.Query("q")
	if len(query) > 200 {
		query = ""
	}
	v := newView(query)
	if c.Query("part") != "" {
		c.Data(http.StatusOK, "text/html; charset=utf-8", page.Execute(templates, "found", v))
		return
	}
	h.render(c, "Guide", v)
}

func (h *Handler) page(c *gin.Context) {
	p := whole().byKey[c.Param("page")]
	if p == nil {
		page.NotFound(c)
		return
	}
	v := newView("")
	v.Page = p
	h.render(c, p.Title, v)
}

func (h *Handler) render(c *gin.Context, title string, v *view) {
	page.Render(c, http.StatusOK, templates, page.Shell{Title: title, Account: account.Of(c).Email, Body: v})
}

func (h *Handler) picture(c *gin.Context) {
	data, err := picture(c.Param("name"))
	if err != nil {
		page.NotFound(c)
		return
	}
	c.Header("Cache-Control", "private, max-age=3600")
	c.Data(http.StatusOK, "image/png", data)
}
