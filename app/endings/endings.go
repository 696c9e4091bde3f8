// Package endings is the room in which outcomes get their endings: a page, or a redirect.
package endings

import (
	"embed"
	"encoding/json"
	"html/template"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"omphalos/app/page"
	"omphalos/app/workbench"
	"omphalos/core/fill"
	"omphalos/core/quiz"
)

//go:embed *.html *.js
var files embed.FS

func init() { page.RegisterAssets(files, ".") }

// Room is the Endings room of the workbench.
func Room() workbench.Room {
	return workbench.Room{Key: "endings", Title: "Endings", Scripts: []string{"endings.js"},
		Template: workbench.Templates(files, "*.html"), View: view, Check: check,
		Count: func(d *workbench.Draft) string { return strconv.Itoa(len(d.Doc.Outcomes)) }}
}

// check refuses addresses that respondents must not be sent to, saying why, before they are stored.
func check(patch quiz.Patch) error {
	for _, op := range patch {
		if op.Op != "add" && op.Op != "replace" || !strings.HasPrefix(op.Path, "/outcomes/") || !strings.HasSuffix(op.Path, "/url") {
			continue
		}
		var address string
		if err := json.Unmarshal(op.Value, &address); err != nil || address == "" {
			continue
		}
		if _, err := fill.ParseAddress(address); err != nil {
			return quiz.Problems{{Where: op.Path, Message: err.Error()}}
		}
	}
	return nil
}

type button struct {
	quiz.Button
	Path string
	Drop string
}

type option struct {
	Name     string
	Selected bool
	Patch    string
}

type sheet struct {
	Draft    *workbench.Draft
	Outcome  *quiz.Outcome
	Mark     page.Mark
	Path     string
	Kinds    []option
	Kind     string
	Ending   quiz.Ending
	Buttons  []button
	AddBtn   string
	AddBtnAt string
	Preview  template.HTML
	Keep     bool
	KeepOn   string
	KeepOff  string
	Up, Down string
	Drop     string
	Used     []string // where the outcome is used
	Add      string
	Names    []string // that addresses can fill in
	Unknown  []string // in the address
}

func view(draft *workbench.Draft, query url.Values) (any, error) {
	d := draft.Doc
	s := &sheet{Draft: draft}
	fresh := quiz.Outcome{ID: quiz.Unused("o", func(id string) bool { return d.Outcome(id) != nil }), Ending: &quiz.Ending{Kind: quiz.EndPage}}
	fresh.Name = "Outcome " + strconv.Itoa(len(d.Outcomes)+1)
	s.Add = quiz.JSON(quiz.Add("/outcomes/-", fresh))
	chosen := slices.IndexFunc(d.Outcomes, func(o quiz.Outcome) bool { return o.ID == query.Get("outcome") })
	if at := strings.Split(query.Get("at"), "/"); chosen < 0 && len(at) > 2 {
		if n, err := strconv.Atoi(at[2]); err == nil && n >= 0 && n < len(d.Outcomes) {
			chosen = n
		}
	}
	if chosen < 0 && len(d.Outcomes) > 0 {
		chosen = 0
	}
	if chosen >= 0 {
		s.choose(chosen)
	}
	return s, nil
}

func (s *sheet) choose(i int) {
	d := s.Draft.Doc
	o := &d.Outcomes[i]
	s.Outcome, s.Mark, s.Path = o, s.Draft.Mark(o.ID), quiz.Pointer("outcomes", i)
	if o.Ending != nil {
		s.Ending = *o.Ending
	}
	if s.Ending.Kind == "" {
		s.Ending.Kind = quiz.EndPage
	}
	s.Kind = s.Ending.Kind
	for _, k := range []struct{ kind, name string }{{quiz.EndPage, "a page"}, {quiz.EndRedirect, "a redirect to an address"}} {
		next := s.Ending
		next.Kind = k.kind
		s.Kinds = append(s.Kinds, option{k.name, k.kind == s.Kind, quiz.JSON(quiz.Add(s.Path+"/ending", next))})
	}
	for j, b := range s.Ending.Buttons {
		at := s.Path + quiz.Pointer("ending", "buttons", j)
		s.Buttons = append(s.Buttons, button{b, at, quiz.JSON(quiz.Remove(at))})
	}
	next := s.Ending
	next.Buttons = append(slices.Clone(next.Buttons), quiz.Button{})
	s.AddBtn, s.AddBtnAt = quiz.JSON(quiz.Add(s.Path+"/ending", next)), s.Path+quiz.Pointer("ending", "buttons", len(s.Ending.Buttons), "label")
	s.Preview, s.Keep = page.Markdown(o.Text), o.Keeps()
	s.KeepOn, s.KeepOff = quiz.JSON(quiz.Add(s.Path+"/keep", true)), quiz.JSON(quiz.Add(s.Path+"/keep", false))
	if i > 0 {
		s.Up = quiz.JSON(quiz.Move(s.Path, quiz.Pointer("outcomes", i-1)))
	}
	if i < len(d.Outcomes)-1 {
		s.Down = quiz.JSON(quiz.Move(s.Path, quiz.Pointer("outcomes", i+1)))
	}
	s.Drop = quiz.JSON(quiz.Remove(s.Path))
	s.Used = Uses(d, o.ID)
	for j := range d.Questions {
		s.Names = append(s.Names, d.Questions[j].ID)
	}
	for _, scale := range d.Scales {
		s.Names = append(s.Names, "scale."+scale.ID)
	}
	s.Names = append(s.Names, "lead.id")
	if a, err := fill.ParseAddress(s.Ending.URL); err == nil {
		for _, name := range a.Names() {
			if !fill.Known(d, name) {
				s.Unknown = append(s.Unknown, name)
			}
		}
	}
}

// Uses names the places that lead to an outcome.
func Uses(d *quiz.Document, id string) []string {
	var out []string
	if d.Otherwise == id {
		out = append(out, "everyone else")
	}
	for i, v := range d.Verdicts {
		used := v.Outcome == id
		if v.Bands != nil {
			used = used || slices.ContainsFunc(v.Bands.Cuts, func(c quiz.Cut) bool { return c.Outcome == id })
		}
		if v.Table != nil {
			used = used || slices.ContainsFunc(v.Table.Rows, func(r quiz.TableRow) bool { return r.Outcome == id })
		}
		if v.Leader != nil {
			for _, o := range v.Leader.Outcomes {
				used = used || o == id
			}
		}
		if used {
			out = append(out, "verdict line "+strconv.Itoa(i+1))
		}
	}
	for i, q := range d.Questions {
		if slices.ContainsFunc(q.Branches, func(b quiz.Branch) bool { return b.Go == "outcome:"+id }) {
			out = append(out, "a branch of question "+strconv.Itoa(i+1))
		}
	}
	return out
}
