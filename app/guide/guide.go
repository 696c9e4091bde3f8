// Package guide shows the pages of docs/guide inside the program, and searches them.
package guide

import (
	"bytes"
	"cmp"
	"html/template"
	"io/fs"
	"path"
	"regexp"
	"slices"
	"strings"
	"sync"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/extension"
	"github.com/yuin/goldmark/parser"
	"github.com/yuin/goldmark/text"

	"omphalos/docs"
)

// Page is one page of the guide, or a document that the guide links to.
type Page struct {
	Key   string // its name in addresses
	Title string
	Group string // the heading of the list that it stands in; "" for a document
	Rooms []string
	HTML  template.HTML
	parts []part
}

// part is the text below one heading.
type part struct {
	id, heading, text string // text is in lower case
}

// book is the whole guide.
type book struct {
	pages []*Page // in the order of docs/guide/README.md, then documents
	byKey map[string]*Page
}

var markdown = goldmark.New(
	goldmark.WithExtensions(extension.Table),
	goldmark.WithParserOptions(parser.WithAutoHeadingID()),
)

// whole reads the guide once. The pages are part of the program: one that can’t be read is a fault of the program.
var whole = sync.OnceValue(func() *book {
	b := &book{byKey: map[string]*Page{}}
	list, err := docs.Files.ReadFile("guide/README.md")
	if err != nil {
		panic(err)
	}
	b.list(string(list))
	for _, name := range []string{"command-line", "api", "kit"} {
		b.add(&Page{Key: name}, name+".md")
	}
	for _, p := range b.pages {
		p.link(b.byKey)
	}
	return b
})

var entry = regexp.MustCompile(`^- \[([^\]]+)\]\(([\w-]+)\.md\)(?: · (.+))?$`)

// list reads the list of pages: headings are groups, and an entry names its page and the rooms that it is about.
func (b *book) list(text string) {
	group := ""
	for line := range strings.Lines(text) {
		line = strings.TrimSpace(line)
		if heading, is := strings.CutPrefix(line, "## "); is {
			group = heading
		}
		if m := entry.FindStringSubmatch(line); m != nil {
			p := &Page{Key: m[2], Group: group}
			if m[3] != "" {
				p.Rooms = strings.Split(m[3], ", ")
			}
			b.add(p, "guide/"+m[2]+".md")
		}
	}
}

func (b *book) add(p *Page, file string) {
	src, err := docs.Files.ReadFile(file)
	if err != nil {
		panic(err)
	}
	p.read(src)
	b.pages, b.byKey[p.Key] = append(b.pages, p), p
}

// read draws the page, and takes its text apart at its headings.
func (p *Page) read(src []byte) {
	root := markdown.Parser().Parse(text.NewReader(src))
	for n := root.FirstChild(); n != nil; n = n.NextSibling() {
		words := strings.Join(strings.Fields(plain(n, src)), " ")
		h, is := n.(*ast.Heading)
		switch {
		case is && h.Level == 1:
			p.Title = words
			p.parts = append(p.parts, part{heading: words})
		case is:
			id, _ := h.AttributeString("id")
			name, _ := id.([]byte)
			p.parts = append(p.parts, part{id: string(name), heading: words})
		case len(p.parts) > 0:
			last := &p.parts[len(p.parts)-1]
			last.text += " " + words
		}
	}
	var out bytes.Buffer
	if err := markdown.Renderer().Render(&out, src, root); err != nil {
		panic(err)
	}
	p.HTML = template.HTML(out.String())
}

// plain is the text of a node, without its marks.
func plain(n ast.Node, src []byte) string {
	var out strings.Builder
	_ = ast.Walk(n, func(n ast.Node, entering bool) (ast.WalkStatus, error) {
		switch n := n.(type) {
		case *ast.Text:
			if entering {
				out.Write(n.Value(src))
				if n.SoftLineBreak() {
					out.WriteByte(' ')
				}
			}
		case *ast.FencedCodeBlock, *ast.CodeBlock:
			return ast.WalkSkipChildren, nil
		default:
			if !entering && n.Type() == ast.TypeBlock {
				out.WriteByte(' ')
			}
		}
		return ast.WalkContinue, nil
	})
	return out.String()
}

var (
	anchor = regexp.MustCompile(`<a href="([^"]+)">((?s:.*?))</a>`)
	source = regexp.MustCompile(`<img src="([^"]+)"`)
)

// link turns the links between files into links between pages. Files that the program does not carry stay as text.
func (p *Page) link(byKey map[string]*Page) {
	html := anchor.ReplaceAllStringFunc(string(p.HTML), func(a string) string {
		m := anchor.FindStringSubmatch(a)
		file, part, _ := strings.Cut(m[1], "#")
		switch key := strings.TrimSuffix(path.Base(file), ".md"); {
		case strings.Contains(m[1], "://"):
			return a
		case byKey[key] == nil:
			return m[2]
		case part != "":
			return `<a href="/guide/` + key + `#` + part + `">` + m[2] + `</a>`
		default:
			return `<a href="/guide/` + key + `">` + m[2] + `</a>`
		}
	})
	html = source.ReplaceAllStringFunc(html, func(img string) string {
		return `<img loading="lazy" src="/guide/pictures/` + path.Base(source.FindStringSubmatch(img)[1]) + `"`
	})
	p.HTML = template.HTML(html)
}

// Found is a place of the guide that a search leads to.
type Found struct {
	Page    *Page
	Heading string // "" for the page itself
	At      string // address
	Says    string // the text around what was found, at most some 120 characters
	rank    int
}

// mostFound is how many places a search shows.
const mostFound = 8

// mostWords is how many words of a search count: each is looked for in the whole guide.
const mostWords = 12

// Find returns the places that hold all words of a search, the best first. A word matches where a word of the guide
// begins with it; titles count most, then headings.
func Find(query string) (list []Found) {
	words := strings.Fields(strings.ToLower(query))
	words = words[:min(len(words), mostWords)]
	if len(words) == 0 {
		return nil
	}
	for _, p := range whole().pages {
		best := Found{}
		for i, t := range p.parts {
			f := Found{Page: p, At: "/guide/" + p.Key}
			if i > 0 {
				f.Heading, f.At = t.heading, f.At+"#"+t.id
			}
			for _, w := range words {
				rank := 0
				switch {
				case begins(p.Title, w):
					rank = 9
				case begins(t.heading, w):
					rank = 4
				case begins(t.text, w):
					rank = 1
				}
				if rank == 0 {
					f.rank = 0
					break
				}
				f.rank += rank
			}
			if f.rank > best.rank {
				f.Says = excerpt(t.text, words[len(words)-1])
				best = f
			}
		}
		if best.rank > 0 {
			list = append(list, best)
		}
	}
	slices.SortStableFunc(list, func(a, b Found) int { return cmp.Compare(b.rank, a.rank) })
	return list[:min(len(list), mostFound)]
}

// begins reports whether a word of a text begins with w, which is in lower case.
func begins(text, w string) bool { return start(text, w) >= 0 }

func start(text, w string) int {
	text = strings.ToLower(text)
	for from := 0; ; {
		i := strings.Index(text[from:], w)
		if i < 0 {
			return -1
		}
		if i += from; i == 0 || strings.ContainsRune(" “(-‘/", rune(text[i-1])) || text[i-1] >= 0x80 {
			return i
		}
		from = i + len(w)
	}
}

// excerpt cuts the text near a word out, at the ends of words.
func excerpt(text, w string) string {
	words := strings.Fields(text)
	at := max(0, slices.IndexFunc(words, func(x string) bool { return begins(x, w) }))
	from, to := max(0, at-6), min(len(words), at+12)
	says := strings.Join(words[from:to], " ")
	if from > 0 {
		says = "… " + says
	}
	if to < len(words) {
		says += " …"
	}
	return says
}

// Of lists the pages about a room, by its name.
func Of(room string) (list []*Page) {
	for _, p := range whole().pages {
		if slices.Contains(p.Rooms, room) {
			list = append(list, p)
		}
	}
	return list
}

// picture opens a picture of the guide; it fails with fs.ErrNotExist.
func picture(name string) ([]byte, error) {
	if !strings.HasSuffix(name, ".png") {
		return nil, fs.ErrNotExist
	}
	return docs.Files.ReadFile("screenshots/" + path.Base(name))
}
