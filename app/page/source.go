package page

import (
	"fmt"
	"html/template"
	"io/fs"
	"strings"
)

// Parse adds every template file of the folders. A file may be laid out for its reader: a line break between tags, with the
// indentation after it, is not part of the page, and one within a tag is a single space. Where the page needs a space at the
// end of a line, the file says {{" "}}. A file that cannot be parsed is a fault of the program: it panics.
func Parse(t *template.Template, folders ...fs.FS) *template.Template {
	for _, folder := range folders {
		names, err := fs.Glob(folder, "*.html")
		if err != nil || len(names) == 0 {
			panic(fmt.Sprintf("a folder of templates has none (%v)", err))
		}
		for _, name := range names {
			text, err := fs.ReadFile(folder, name)
			if err != nil {
				panic(err)
			}
			if _, err := t.New(name).Parse(joined(string(text))); err != nil {
				_, placed := t.New(name).Parse(string(text)) // the same fault, with its line
				panic(fmt.Sprintf("%v\n%v", placed, err))
			}
		}
	}
	return t
}

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
			for i < len(text) && (text[i] == '\n' || text[i] == ' ' || text[i] == '\t') {
				i++
			}
			if inTag {
				b.WriteByte(' ')
			}
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
