package launch

import (
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/engine"
	"omphalos/app/kit"
	"omphalos/app/page"
)

// kitPart is one way to put the quiz on a page: its settings, the line to copy, and a live sample.
type kitPart struct {
	Mode   string
	Line   string // the line to copy
	Sample string // address of the sample
	Base   string
	Slug   string
	Values map[string]string
}

// kitSettings are the attributes of each way that can be set, with what they begin as.
var kitSettings = map[string]map[string]string{
	"page": {"source": ""},
	"over": {"over": "25", "read": "", "phones": "", "again": "", "source": ""},
	"edge": {"edge": "bottom", "words": "", "phones": "", "again": "", "source": ""},
}

func newKit(s *view, query url.Values) *kitPart {
	p := &kitPart{Mode: s.Part, Base: s.Base, Slug: s.Slug, Values: map[string]string{}}
	for name, value := range kitSettings[s.Part] {
		if query.Has(name) {
			value = query.Get(name)
		}
		p.Values[name] = value
	}
	p.Line = kitLine(s.Base, s.Slug, p.Mode, p.Values)
	sample := url.Values{"mode": {p.Mode}}
	for name, value := range p.Values {
		if value != "" {
			sample.Set(name, value)
		}
	}
	p.Sample = "/quizzes/" + s.Draft.Quiz.ID + "/launch/sample?" + sample.Encode()
	return p
}

// kitOrder is the order of the attributes in the line.
var kitOrder = []string{"over", "read", "edge", "words", "phones", "again", "source"}

// kitLine is the line to copy.
func kitLine(base, slug, mode string, values map[string]string) string {
	var b strings.Builder
	b.WriteString(`<script src="` + base + `/kit.js" data-quiz="` + slug + `"`)
	for _, name := range kitOrder {
		if value := values[name]; value != "" {
			b.WriteString(` data-` + name + `="` + strings.NewReplacer("&", "&amp;", `"`, "&quot;", "<", "&lt;").Replace(value) + `"`)
		}
	}
	if mode == "over" && values["over"]+values["read"] == "" {
		b.WriteString(` data-over="0"`)
	}
	b.WriteString(" async></script>")
	return b.String()
}

// sample is a plausible page with the draft on it. It is drawn by the rehearsal: nothing is kept.
func (h *Handler) sample(c *gin.Context) {
	d := h.Bench.Load(c)
	if d == nil {
		return
	}
	mode := c.Query("mode")
	if mode == "state" { // what the kit on the sample asks first
		kit.Show(c, engine.Sign{Open: true, Name: d.Doc.Name, Colours: engine.ColoursOf(d.Doc)})
		return
	}
	if kitSettings[mode] == nil {
		page.NotFound(c)
		return
	}
	attributes := map[string]string{}
	for name := range kitSettings[mode] {
		attributes[name] = c.Query(name)
	}
	if n, err := strconv.Atoi(attributes["over"]); err == nil && n > sampleWait {
		attributes["over"] = strconv.Itoa(sampleWait) // no one waits longer for a sample
	}
	if mode == "over" && attributes["over"]+attributes["read"] == "" {
		attributes["over"] = "0"
	}
	c.Header("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self'; frame-src 'self'; img-src 'self'; "+
		"font-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'self'")
	c.Header("X-Frame-Options", "SAMEORIGIN")
	c.Header("Cache-Control", "no-store")
	c.Data(http.StatusOK, "text/html; charset=utf-8", page.Execute(templates, "sample", map[string]any{
		"ID": d.Quiz.ID, "Slug": "sample", "Mode": mode, "Title": d.Doc.Name, "A": attributes, "Home": "/quizzes/" + d.Quiz.ID + "/rehearse/page",
	}))
}

// sampleWait is how many seconds a sample waits at most.
const sampleWait = 2
