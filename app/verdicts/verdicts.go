// Package verdicts is the room in which scores become outcomes: an ordered list of lines, the first that matches decides.
package verdicts

import (
	"embed"
	"net/url"
	"strconv"

	"omphalos/app/page"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

//go:embed *.html *.js
var files embed.FS

func init() { page.RegisterAssets(files, ".") }

// Room is the Verdicts room of the workbench.
func Room() workbench.Room {
	return workbench.Room{Key: "verdicts", Title: "Verdicts", Scripts: []string{"verdicts.js"},
		Template: workbench.Templates(files, "*.html"), View: view,
		Count: func(d *workbench.Draft) string { return strconv.Itoa(len(d.Doc.Verdicts)) }}
}

// option is one entry of a menu that edits at once.
type option struct {
	Name     string
	Value    string
	Selected bool
	Patch    string
}

type cut struct {
	Path     string
	From     string
	Outcomes []option
	Mark     page.Mark
	Drop     string
}

type line struct {
	Number   int
	Path     string
	Sentence string
	Bands    bool
	On       []option
	Cuts     []cut
	Below    string // what happens below the lowest cut
	AddCut   string
	AddAt    string
	Mark     *page.Mark
	Up, Down string
	Drop     string
}

type sheet struct {
	Draft     *workbench.Draft
	Lines     []line
	Otherwise []option
	Rest      page.Mark
	AddBands  string
	AddAt     string
	NoScale   bool
}

func view(draft *workbench.Draft, _ url.Values) (any, error) {
	d := draft.Doc
	s := &sheet{Draft: draft, Rest: draft.Mark(d.Otherwise), NoScale: len(d.Scales) == 0}
	for i := range d.Verdicts {
		s.Lines = append(s.Lines, s.line(i))
	}
	s.Otherwise = outcomes(d, "/otherwise", d.Otherwise)
	if !s.NoScale && len(d.Outcomes) > 0 {
		bands := quiz.Verdict{Bands: &quiz.Bands{On: "scale." + d.Scales[0].ID, Cuts: []quiz.Cut{{From: rule.Int(1), Outcome: d.Outcomes[0].ID}}}}
		if len(d.Verdicts) == 0 {
			s.AddBands = quiz.JSON(quiz.Add("/verdicts", []quiz.Verdict{bands}))
		} else {
			s.AddBands = quiz.JSON(quiz.Add("/verdicts/-", bands))
		}
		s.AddAt = quiz.Pointer("verdicts", len(d.Verdicts), "bands", "cuts", 0, "from")
	}
	return s, nil
}

func (s *sheet) line(i int) line {
	d, at := s.Draft.Doc, quiz.Pointer("verdicts", i)
	v := &d.Verdicts[i]
	l := line{Number: i + 1, Path: at, Sentence: d.VerdictSentence(v), Drop: quiz.JSON(quiz.Remove(at))}
	if i > 0 {
		l.Up = quiz.JSON(quiz.Move(at, quiz.Pointer("verdicts", i-1)))
	}
	if i < len(d.Verdicts)-1 {
		l.Down = quiz.JSON(quiz.Move(at, quiz.Pointer("verdicts", i+1)))
	}
	if v.Outcome != "" {
		m := s.Draft.Mark(v.Outcome)
		l.Mark = &m
	}
	if v.Bands == nil {
		return l
	}
	l.Bands = true
	on := at + "/bands/on"
	for _, scale := range d.Scales {
		for _, kind := range []struct{ root, words string }{{"scale.", ", in points"}, {"percent.", ", in percent of the most attainable"}} {
			fact := kind.root + scale.ID
			l.On = append(l.On, option{scale.Title() + kind.words, fact, fact == v.Bands.On, quiz.JSON(quiz.Add(on, fact))})
		}
	}
	for _, c := range d.Computed {
		fact := "computed." + c.ID
		l.On = append(l.On, option{d.FactName(fact), fact, fact == v.Bands.On, quiz.JSON(quiz.Add(on, fact))})
	}
	cuts := at + "/bands/cuts"
	for j, c := range v.Bands.Cuts {
		place := cuts + quiz.Pointer(j)
		l.Cuts = append(l.Cuts, cut{place, c.From.String(), outcomes(d, place+"/outcome", c.Outcome), s.Draft.Mark(c.Outcome), quiz.JSON(quiz.Remove(place))})
	}
	next := quiz.Cut{From: rule.Int(1), Outcome: d.Otherwise}
	if n := len(v.Bands.Cuts); n > 0 {
		last := v.Bands.Cuts[n-1]
		next = quiz.Cut{From: last.From.Add(rule.Int(1)), Outcome: last.Outcome}
		l.Below = "below " + v.Bands.Cuts[0].From.String() + " the next line decides"
	}
	l.AddCut, l.AddAt = quiz.JSON(quiz.Add(cuts+"/-", next)), cuts+quiz.Pointer(len(v.Bands.Cuts), "from")
	return l
}

// outcomes are the choices of a menu of outcomes; an outcome that is gone is shown as such.
func outcomes(d *quiz.Document, path, current string) []option {
	var out []option
	found := false
	for i := range d.Outcomes {
		o := &d.Outcomes[i]
		found = found || o.ID == current
		out = append(out, option{o.Title(), o.ID, o.ID == current, quiz.JSON(quiz.Add(path, o.ID))})
	}
	if !found {
		out = append([]option{{Name: "choose an outcome", Selected: true}}, out...)
	}
	return out
}
