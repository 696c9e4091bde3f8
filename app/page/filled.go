package page

import (
	"html/template"
	"regexp"
	"strconv"
	"strings"

	"golang.org/x/net/html"

	"omphalos/app/cache"
	"omphalos/core/fill"
)

// renderedMemory is how many bytes of authors' texts are remembered as HTML.
const renderedMemory = 32 << 20

// renderings are authors' texts as HTML: each is parsed once, however many respondents see it.
var renderings = cache.New[string, *rendering](renderedMemory)

// rendering is a text as HTML in pieces: between each and the next one a slot is filled in.
type rendering struct {
	pieces []string
	order  []int // of the slots
	slots  fill.Slots
	each   bool // it cannot be rendered beforehand: what is filled in changes more than the words
}

// Private characters of Unicode stand around the number of a slot while a text is rendered.
const slotBegins, slotEnds = "\ue000", "\ue001"

var slotMark = regexp.MustCompile(slotBegins + "([0-9]+)" + slotEnds)

// FilledMarkdown is an author's Markdown as HTML that can run nothing, with values filled in as far as the budget goes.
// A value is text wherever it stands: no Markdown and no HTML.
func FilledMarkdown(src string, budget *fill.Budget, look fill.Lookup) template.HTML {
	r, _ := renderings.Get(src, func() (*rendering, int, error) {
		r, size := render(src)
		return r, size + len(src), nil
	})
	if r.each {
		return Markdown(fill.TextWithin(budget, src, look, fill.EscapeMarkdown))
	}
	var b strings.Builder
	blank := false
	for i, piece := range r.pieces {
		b.WriteString(piece)
		if i < len(r.order) {
			value := r.slots.Value(r.order[i], budget, look)
			blank = blank || value == ""
			b.WriteString(template.HTMLEscapeString(oneLine.Replace(value)))
		}
	}
	if blank {
		return template.HTML(strings.ReplaceAll(b.String(), "<p></p>", ""))
	}
	return template.HTML(b.String())
}

var oneLine = strings.NewReplacer("\n", " ", "\r", " ")

// render renders a text, and returns how many bytes that takes.
func render(src string) (*rendering, int) {
	marked, slots := fill.Marked(src, func(i int) string { return slotBegins + strconv.Itoa(i) + slotEnds })
	r := &rendering{slots: slots}
	for i := range slots {
		if strings.ContainsAny(slots.Fallback(i), "\\`*_[]<>&~!#+-=") || startsAList.MatchString(slots.Fallback(i)) {
			r.each = true // the fallback is Markdown too
			return r, 0
		}
	}
	out := string(Markdown(marked))
	if len(slotMark.FindAllString(out, -1)) != len(slots) || len(slotMark.FindAllString(words(out), -1)) != len(slots) {
		r.each = true // in an address, in HTML that is taken out, or twice
		return r, 0
	}
	at := 0
	for _, found := range slotMark.FindAllStringSubmatchIndex(out, -1) {
		r.pieces = append(r.pieces, out[at:found[0]])
		n, _ := strconv.Atoi(out[found[2]:found[3]]) // digits alone
		if n >= len(slots) {
			return &rendering{each: true}, 0 // the author typed such a mark
		}
		r.order = append(r.order, n)
		at = found[1]
	}
	r.pieces = append(r.pieces, out[at:])
	return r, len(out)
}

var startsAList = regexp.MustCompile(`^[0-9]+[.)]`)

// words are the texts of a page, without its tags.
func words(page string) string {
	var b strings.Builder
	for z := html.NewTokenizer(strings.NewReader(page)); ; {
		switch z.Next() {
		case html.ErrorToken:
			return b.String()
		case html.TextToken:
			b.Write(z.Text())
		}
	}
}
