// Package page provides what every room draws with: the layout, shared template parts, icons, outcome marks and the
// built assets.
package page

import (
	"bytes"
	"embed"
	"encoding/json"
	"fmt"
	"html/template"
	"io/fs"
	"net/http"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/gin-gonic/gin"
	"golang.org/x/text/feature/plural"
	"golang.org/x/text/language"
	"golang.org/x/text/message"

	"omphalos/core/rule"
)

// Templates are the layout and the parts that pages share.
//
//go:embed *.html
var Templates embed.FS

//go:embed icons/*.svg
var icons embed.FS

// Funcs are the functions that templates use next to the built-in ones.
var Funcs = template.FuncMap{
	"asset":      AssetPath,
	"icon":       icon,
	"icons":      func() template.HTML { return iconSheet().all },
	"add":        func(a, b int) int { return a + b },
	"json":       toJSON,
	"percent":    Percent,
	"hundredths": func(share float64) string { return strconv.FormatFloat(100*share, 'f', 1, 64) },
	"plural":     Plural,
	"upper":      Upper,
	"number":     Thousands,
	"dict":       dict,
	"day":        func(t time.Time) string { return t.Format("2 Jan 2006") },
	"iso":        func(t time.Time) string { return t.UTC().Format(time.RFC3339) },
	"num":        func(n *rule.Number) string { return numberOf(n) },
	"join":       strings.Join,
	"list":       func(items ...string) []string { return items },
	"seq":        func(n int) []int { return make([]int, n) },
}

// New parses the templates of a room on top of the shared ones. The room defines "main".
func New(room fs.FS) *Set {
	return Parse(nil, Templates, room)
}

// Shell is what the layout needs of every page.
type Shell struct {
	Title   string
	Account string   // email of who is signed in, "" for no one
	Scripts []string // modules to load
	Preload []string // modules that these import, to be fetched at once
	Body    any      // for the room's "main"
}

// Render writes a whole page with the layout around the room's "main".
func Render(c *gin.Context, status int, t *Set, s Shell) {
	if c.Request.Method == http.MethodPost {
		s.Scripts = append(slices.Clip(s.Scripts), "posted.js")
	}
	c.Data(status, "text/html; charset=utf-8", Execute(t, "layout", s))
}

// Execute renders one template to bytes. A failing template is a fault of the program: it panics.
func Execute(t *Set, name string, data any) []byte {
	var b bytes.Buffer
	if err := t.parsed().ExecuteTemplate(&b, name, data); err != nil {
		panic(fmt.Sprintf("template %s: %v", name, err))
	}
	return b.Bytes()
}

// Upper begins a text with a capital letter.
func Upper(s string) string {
	first, size := utf8.DecodeRuneInString(s)
	return string(unicode.ToUpper(first)) + s[size:]
}

// Sentence says an error as a sentence.
func Sentence(err error) string {
	s := err.Error()
	for i, r := range s {
		s = string(unicode.ToUpper(r)) + s[i+utf8.RuneLen(r):]
		break
	}
	return strings.TrimSuffix(s, ".") + "."
}

var errorPage = Parse(nil, Templates)

// Fail writes a page that says what went wrong and what to do.
func Fail(c *gin.Context, status int, heading, message string) {
	c.Abort()
	Render(
		c,
		status,
		errorPage,
		Shell{Title: heading, Body: map[string]any{
			"Heading": heading, "Message": message, "Public": publicPage.MatchString(c.Request.URL.Path),
		}},
	)
}

// publicPage matches the addresses of people who have no account here: they are not led to quizzes of their own.
var publicPage = regexp.MustCompile(`^/(q|f|m|results|rehearsal)/`)

// NotFound is the page for an address that leads nowhere.
func NotFound(c *gin.Context) {
	Fail(
		c,
		http.StatusNotFound,
		"Page not found",
		"The address may be mistyped, or the page may have been deleted.",
	)
}

// icon draws an icon of the page's sheet of them: a long script has thousands.
func icon(name string) (template.HTML, error) {
	if _, ok := iconSheet().use[name]; !ok {
		return "", fmt.Errorf("there is no icon %q", name)
	}
	return iconSheet().use[name], nil
}

// sheetOfIcons is every icon once, and the mark-up that draws each.
type sheetOfIcons struct {
	all template.HTML
	use map[string]template.HTML
}

var iconSheet = sync.OnceValue(func() sheetOfIcons {
	out := sheetOfIcons{use: map[string]template.HTML{}}
	files, err := icons.ReadDir("icons")
	var b strings.Builder
	b.WriteString(`<svg xmlns="http://www.w3.org/2000/svg" hidden aria-hidden="true">`)
	for _, f := range files {
		var text []byte
		if text, err = icons.ReadFile(path.Join("icons", f.Name())); err != nil {
			break
		}
		name := strings.TrimSuffix(f.Name(), ".svg")
		_, inner, _ := strings.Cut(string(text), ">")
		inner, _, _ = strings.Cut(inner, "</svg>")
		fmt.Fprintf(&b, `<symbol id="i-%s" viewBox="0 0 24 24">%s</symbol>`, name, strings.TrimSpace(inner))
		out.use[name] = template.HTML(`<svg class="icon" aria-hidden="true"><use href="#i-` + name + `"/></svg>`)
	}
	if err != nil {
		panic(err) // they are built in
	}
	b.WriteString("</svg>")
	out.all = template.HTML(b.String())
	return out
})

func toJSON(v any) (string, error) {
	b, err := json.Marshal(v)
	return string(b), err
}

// Percent writes a share of 1 as English does, with one decimal: "19.8%", "<0.1%" for what is small but there, and
// "0%" for what is none but for the residue of floating point.
func Percent(share float64) string {
	switch {
	case share < residue:
		return "0%"
	case share > 1-1e-9: // shares sum to 1 within as much
		return "100%"
	case share < 0.0005:
		return "<0.1%"
	case share > 0.9995:
		return ">99.9%"
	}
	s := strconv.FormatFloat(share*100, 'f', 1, 64)
	return strings.TrimSuffix(s, ".0") + "%"
}

// residue is what is left of differences of shares that are equal.
const residue = 1e-12

// english writes numbers as English does.
var english = message.NewPrinter(language.English)

// Plural counts things: Plural(2, "edit", "edits") is "2 edits".
func Plural(n int, one, many string) string {
	word := many
	if plural.Cardinal.MatchPlural(language.English, n, 0, 0, 0, 0) == plural.One {
		word = one
	}
	return Thousands(n) + " " + word
}

// Thousands writes a count with commas.
func Thousands(n int) string {
	return strings.Replace(english.Sprintf("%d", n), "-", "−", 1)
}

func numberOf(n *rule.Number) string {
	if n == nil {
		return ""
	}
	return n.String()
}

func dict(pairs ...any) (map[string]any, error) {
	if len(pairs)%2 != 0 {
		return nil, fmt.Errorf("dict takes pairs")
	}
	out := map[string]any{}
	for i := 0; i < len(pairs); i += 2 {
		out[fmt.Sprint(pairs[i])] = pairs[i+1]
	}
	return out, nil
}
