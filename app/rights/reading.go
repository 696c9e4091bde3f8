package rights

import (
	"bytes"
	"encoding/json"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"
	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"omphalos/app/store/people"
)

// reading answers someone who may not change anything with pages that have no control for it.
func reading(c *gin.Context, a *people.Account) {
	before := c.Writer
	w := &held{ResponseWriter: before}
	c.Writer = w
	c.Next()
	c.Writer = before
	if w.passes {
		return
	}
	body := w.body.Bytes()
	switch kind, _, _ := strings.Cut(w.Header().Get("Content-Type"), ";"); kind {
	case "text/html":
		body = ReadOnly(a, body)
	case "application/json":
		body = readOnlyJSON(a, body)
	}
	before.Header().Del("Content-Length")
	if len(body) == 0 {
		before.WriteHeaderNow()
		return
	}
	_, _ = before.Write(body) // anyone who asked may be gone
}

// held keeps a body until it is whole; streams pass at once.
type held struct {
	gin.ResponseWriter
	body   bytes.Buffer
	passes bool
}

func (w *held) Write(b []byte) (int, error) {
	if w.stream() {
		return w.ResponseWriter.Write(b)
	}
	return w.body.Write(b)
}

func (w *held) WriteString(s string) (int, error) { return w.Write([]byte(s)) }

// Flush is asked for by streams alone.
func (w *held) Flush() {
	if w.stream() {
		w.ResponseWriter.Flush()
	}
}

// Unwrap lets deadlines be set.
func (w *held) Unwrap() http.ResponseWriter { return w.ResponseWriter }

func (w *held) stream() bool {
	kind, _, _ := strings.Cut(w.Header().Get("Content-Type"), ";")
	w.passes = w.passes || kind != "" && kind != "text/html" && kind != "application/json"
	return w.passes
}

// readOnlyJSON takes controls out of the pieces of pages that an answer holds.
func readOnlyJSON(a *people.Account, body []byte) []byte {
	var v any
	r := json.NewDecoder(bytes.NewReader(body))
	r.UseNumber() // what is no piece of a page goes through as it came
	if r.Decode(&v) != nil {
		return body
	}
	v = eachText(v, func(s string) string {
		if !strings.HasPrefix(strings.TrimSpace(s), "<") { // a text that someone typed, with a sign in it perhaps
			return s
		}
		return string(ReadOnly(a, []byte(s)))
	})
	var out bytes.Buffer
	w := json.NewEncoder(&out)
	w.SetEscapeHTML(false)
	if w.Encode(v) != nil {
		return body
	}
	return out.Bytes()
}

func eachText(v any, f func(string) string) any {
	switch v := v.(type) {
	case string:
		return f(v)
	case []any:
		for i := range v {
			v[i] = eachText(v[i], f)
		}
	case map[string]any:
		for k := range v {
			v[k] = eachText(v[k], f)
		}
	}
	return v
}

// looking are attributes of controls that change only what is shown.
var looking = []string{
	"data-wide", "data-copytext", "data-copylink", "data-copykit", "data-pngsize", "data-print", "data-goto", "data-go",
	"data-keys", "data-assume", "data-findings", "data-segment", "x-model",
}

// lookingForms are attributes of forms that send nothing to be stored.
var lookingForms = []string{"data-kit", "data-pretend"}

// lookingClicks are what clicks do that change nothing.
var lookingClicks = []string{"close", "dismiss", "press", "switchKeys"}

// ReadOnly takes out of a page, or a piece of one, every control that leads to what an account may not do. What fields
// hold stays as text.
func ReadOnly(a *people.Account, page []byte) []byte {
	var out bytes.Buffer
	if bytes.Contains(page, []byte("<html")) {
		doc, err := html.Parse(bytes.NewReader(page))
		if err != nil {
			return page
		}
		strip(a, doc, false)
		if html.Render(&out, doc) != nil {
			return page
		}
		return out.Bytes()
	}
	context := &html.Node{Type: html.ElementNode, Data: "div", DataAtom: atom.Div}
	list, err := html.ParseFragment(bytes.NewReader(page), context)
	if err != nil {
		return page
	}
	for _, n := range list {
		context.AppendChild(n)
	}
	strip(a, context, false)
	for n := context.FirstChild; n != nil; n = n.NextSibling {
		if html.Render(&out, n) != nil {
			return page
		}
	}
	return out.Bytes()
}

// strip goes through the children of a node; sends says that they stand in a form that may be sent.
func strip(a *people.Account, parent *html.Node, sends bool) {
	for n := parent.FirstChild; n != nil; {
		next := n.NextSibling
		if n.Type == html.ElementNode {
			one(a, parent, n, sends)
		}
		n = next
	}
}

func one(a *people.Account, parent, n *html.Node, sends bool) {
	if has(n, []string{"data-writes"}) { // words about a control
		parent.RemoveChild(n)
		return
	}
	switch n.DataAtom {
	case atom.Form:
		if !maySend(a, n) {
			parent.RemoveChild(n)
			return
		}
		strip(a, n, true)
	case atom.Button:
		if !sends && !looks(n) {
			parent.RemoveChild(n)
		}
	case atom.Input, atom.Select, atom.Textarea:
		if !sends && !looks(n) {
			instead(parent, n)
		}
	case atom.A:
		if to := value(n, "href"); strings.HasPrefix(to, "/") && !May(a, http.MethodGet, to) {
			parent.RemoveChild(n)
			return
		}
		strip(a, n, sends)
	default:
		if value(n, "contenteditable") != "" {
			drop(n, "contenteditable")
		}
		strip(a, n, sends)
	}
}

func maySend(a *people.Account, form *html.Node) bool {
	switch strings.ToLower(value(form, "method")) {
	case "post":
		return May(a, http.MethodPost, value(form, "action"))
	case "get", "dialog":
		return true
	}
	return has(form, lookingForms)
}

// looks reports whether a control changes only what is shown.
func looks(n *html.Node) bool {
	if has(n, looking) || value(n, "type") == "range" {
		return true
	}
	click := value(n, "x-on:click") + value(n, "x-on:change")
	return slices.Contains(lookingClicks, click) ||
		click == "toggle" && slices.Contains(strings.Fields(value(n, "class")), "chip")
}

// instead puts what a field holds in its place.
func instead(parent, n *html.Node) {
	text := ""
	switch n.DataAtom {
	case atom.Select:
		text = chosen(n)
	case atom.Textarea:
		if n.FirstChild != nil {
			text = n.FirstChild.Data
		}
	default:
		switch value(n, "type") {
		case "hidden", "file", "submit", "button", "color":
		case "checkbox", "radio":
			text = "–"
			if has(n, []string{"checked"}) {
				text = "✓"
			}
		default:
			text = value(n, "value")
			if text == "" && value(n, "data-do") == "number" {
				text = value(n, "placeholder") // what stands when nothing is typed
			}
		}
	}
	if text != "" {
		span := &html.Node{
			Type:     html.ElementNode,
			Data:     "span",
			DataAtom: atom.Span,
			Attr:     []html.Attribute{{Key: "class", Val: "readonly"}},
		}
		span.AppendChild(&html.Node{Type: html.TextNode, Data: text + " "})
		parent.InsertBefore(span, n)
	}
	parent.RemoveChild(n)
}

// chosen is the words of the option of a menu that is chosen: the first, where none is.
func chosen(menu *html.Node) string {
	first, selected := "", ""
	var look func(n *html.Node)
	look = func(n *html.Node) {
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			if c.DataAtom == atom.Option && c.FirstChild != nil {
				if first == "" {
					first = c.FirstChild.Data
				}
				if has(c, []string{"selected"}) {
					selected = c.FirstChild.Data
				}
			}
			look(c)
		}
	}
	look(menu)
	if selected != "" {
		return selected
	}
	return first
}

func value(n *html.Node, name string) string {
	for _, a := range n.Attr {
		if a.Key == name {
			return a.Val
		}
	}
	return ""
}

func has(n *html.Node, names []string) bool {
	return slices.ContainsFunc(n.Attr, func(a html.Attribute) bool { return slices.Contains(names, a.Key) })
}

func drop(n *html.Node, name string) {
	n.Attr = slices.DeleteFunc(n.Attr, func(a html.Attribute) bool { return a.Key == name })
}
