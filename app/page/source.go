package page

import (
	"fmt"
	"html/template"
	"io/fs"
	"regexp"
	"strings"
	"sync"
)

// Set is a set of templates. It is parsed when it is first used: a command that shows no page doesn't wait for it.
type Set struct{ parsed func() *template.Template }

// Parse makes the set of every template file of the folders, with further functions. A file may be laid out for its
// reader: a line break next to a tag, with the indentation after it, is not part of the page; within a tag, and within
// running text, it is a single space. Running text continues over what stands in it: what an action writes, and the end
// of a word in bold, a link or the like. Where the page needs a space in another place, the file says {{" "}}. A file
// that can't be parsed is a fault of the program: the first use panics.
func Parse(further template.FuncMap, folders ...fs.FS) *Set {
	read := func() *template.Template {
		t := template.New("").Funcs(Funcs).Funcs(further)
		return parse(t.Funcs(template.FuncMap{"part": part(t)}), folders)
	}
	once := sync.OnceValue(read)
	s := &Set{func() *template.Template {
		if sources != nil {
			return read()
		}
		return once()
	}}
	sets = append(sets, s)
	return s
}

// part executes a template whose name is known only when the page is made.
func part(t *template.Template) func(name string, data any) (template.HTML, error) {
	return func(name string, data any) (template.HTML, error) {
		var b strings.Builder
		err := t.ExecuteTemplate(&b, name, data)
		return template.HTML(b.String()), err // it has escaped what it was given
	}
}

// sets are all sets of the program.
var sets []*Set

// ParseAll parses all sets, so that the first person who opens a page doesn't wait.
func ParseAll() {
	for _, s := range sets {
		s.parsed()
	}
}

func parse(t *template.Template, folders []fs.FS) *template.Template {
	for _, folder := range folders {
		names, err := fs.Glob(folder, "*.html")
		below, _ := fs.Glob(folder, "*/*.html") // the pattern is a valid one
		names = append(names, below...)
		if err != nil || len(names) == 0 {
			panic(fmt.Sprintf("a folder of templates has none (%v)", err))
		}
		for _, name := range names {
			text, err := fs.ReadFile(sources.folder(folder), name)
			if err != nil {
				panic(err)
			}
			if _, err := t.New(name).Parse(slim(joined(string(text)))); err != nil {
				_, placed := t.New(name).Parse(string(text)) // the same fault, with its line
				panic(fmt.Sprintf("%v\n%v", placed, err))
			}
		}
	}
	return t
}

// optional are the end tags that may be left out where these elements hold only what a template lays out (HTML,
// 13.1.2.4).
var optional = regexp.MustCompile(`</(td|th|tr|option)>`)

// slim leaves out end tags that browsers put back: a sheet has thousands.
func slim(text string) string { return optional.ReplaceAllString(text, "") }

// joined takes the layout for the reader out of a template's text; what stands between {{ and }} stays as it is.
func joined(text string) string {
	var b strings.Builder
	inTag, quote := false, byte(0)
	for i := 0; i < len(text); {
		if strings.HasPrefix(text[i:], "{{") {
			end := strings.Index(text[i:], "}}")
			if end < 0 {
				return b.String() + text[i:] // parsing reports it
			}
			b.WriteString(text[i : i+end+2])
			i += end + 2
			continue
		}
		c := text[i]
		switch {
		case c == '\n':
			rest := strings.TrimLeft(text[i:], "\n \t")
			if inTag || goesOn(b.String(), rest) {
				b.WriteByte(' ')
			}
			i = len(text) - len(rest)
			continue
		case quote != 0:
			if c == quote {
				quote = 0
			}
		case inTag && (c == '"' || c == '\''):
			quote = c
		case c == '<':
			inTag = true
		case c == '>':
			inTag = false
		}
		b.WriteByte(c)
		i++
	}
	return b.String()
}

// The ends of what running text continues over, and its beginnings.
var (
	wordEnds   = regexp.MustCompile(`</(a|abbr|b|code|em|i|kbd|q|s|strong)>$`)
	wordStarts = regexp.MustCompile(`^<(a|abbr|b|code|em|i|kbd|q|s|strong)[ >]`)
	control    = regexp.MustCompile(
		`^\{\{-?\s*(if|else|end|range|with|template|define|block|break|continue|/\*|\$\w+\s*:?=)`,
	)
)

// goesOn reports whether a line break stands in running text.
func goesOn(before, after string) bool {
	before = strings.TrimRight(before, " ")
	if before == "" || after == "" {
		return false
	}
	isText, isEnd := !strings.HasSuffix(before, ">"), wordEnds.MatchString(before)
	if strings.HasSuffix(before, "}}") {
		action := before[strings.LastIndex(before, "{{"):]
		isText = !control.MatchString(action) && action != `{{" "}}`
	}
	startsText, startsWord := after[0] != '<', wordStarts.MatchString(after)
	if strings.HasPrefix(after, "{{") {
		startsText = !control.MatchString(after)
	}
	return isText && (startsText || startsWord) || isEnd && startsText
}
