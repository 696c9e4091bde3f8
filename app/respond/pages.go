package respond

import (
	"embed"
	"html/template"

	"omphalos/app/engine"
	"omphalos/app/kinds"
	"omphalos/app/media"
	"omphalos/app/page"
)

//go:embed *.html *.js
var files embed.FS

func init() { page.RegisterAssets(files, ".") }

var pages = page.Parse(template.FuncMap{"sources": media.Sources}, kinds.Ask, files)

// pageCache are the pages of a source that are the same for everyone but for their token: written ahead.
type pageCache struct {
	intro ready
	asks  map[int]ready // by question
}

// page is the one of a question, or the opening page.
func (p *pageCache) page(i int) ready {
	if i == engine.Intro {
		return p.intro
	}
	return p.asks[i]
}

// Prepare writes the pages of a source ahead; size is about how many bytes they take.
func Prepare(s *engine.Source) (made any, size int) {
	p := &pageCache{asks: map[int]ready{}}
	m := newMarks()
	if s.SameIntro() {
		p.intro = m.cut(page.Execute(pages, "intro", s.Opening(m.token, &engine.Place{})))
		size += p.intro.size()
	}
	for i := range s.Doc.Questions {
		if !s.SameForAll(i) {
			continue
		}
		screen := s.Ask(
			engine.Screen{S: s, Token: m.token, Done: m.done, Back: "?w=" + m.token + "&back=1"},
			&engine.Place{},
			[]int{i},
		)
		p.asks[i] = m.cut(page.Execute(pages, "ask", screen))
		size += p.asks[i].size()
	}
	return p, size
}
