package endings

import (
	"encoding/json"
	"slices"
	"strconv"

	"omphalos/app/respond"
	"omphalos/app/store"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
)

// lookView is the theme as it is edited.
type lookView struct {
	Make      string // operations that make the theme, where there is none
	MakeWords string
	Colour    string
	Ground    string
	Fonts     []option
	Direction []option
	Logo      workbench.Picture
	Back      workbench.Picture
	Words     []word
}

type word struct{ Key, English, Said string }

func lookOf(d *quiz.Document) *lookView {
	text := func(name string) string { s, _ := d.Theme[name].(string); return s }
	v := &lookView{Colour: text("colour"), Ground: text("background")}
	theme := quiz.Add("/theme", map[string]any{})
	if d.Theme == nil {
		v.Make = quiz.JSON(theme)
	}
	said, _ := d.Theme["words"].(map[string]any)
	words := quiz.Add("/theme/words", map[string]any{})
	switch {
	case d.Theme == nil:
		v.MakeWords = quiz.JSON(theme, words)
	case said == nil:
		v.MakeWords = quiz.JSON(words)
	}
	with := func(name, value string) string {
		next := quiz.Theme{}
		for k, v := range d.Theme {
			next[k] = v
		}
		if next[name] = value; value == "" {
			delete(next, name)
		}
		return quiz.JSON(quiz.Add("/theme", next))
	}
	menu := func(name string, list [][2]string) []option {
		var out []option
		for _, o := range list {
			out = append(out, option{Name: o[1], Selected: text(name) == o[0], Patch: with(name, o[0])})
		}
		return out
	}
	v.Fonts = menu("fonts", [][2]string{{"", "Didot headings, Commissioner text"}, {"plain", "Commissioner throughout"}, {"book", "Didot throughout"}})
	v.Direction = menu("direction", [][2]string{{"", "as the language is written"}, {"ltr", "left to right"}, {"rtl", "right to left"}})
	v.Logo = workbench.Picture{Path: "/theme", Field: "logo", AltField: "logo_alt", Image: text("logo"), Alt: text("logo_alt"), Make: v.Make, Name: "logo"}
	v.Back = workbench.Picture{Path: "/theme", Field: "picture", Image: text("picture"), Make: v.Make, Name: "background picture"}
	usual, _ := respond.WordsIn(d.Language)
	for key, english := range usual {
		s, _ := said[key].(string)
		v.Words = append(v.Words, word{key, english, s})
	}
	slices.SortFunc(v.Words, func(a, b word) int {
		if a.Key < b.Key {
			return -1
		}
		return 1
	})
	return v
}

// allView is what all endings share.
type allView struct {
	Make    string // operations that make the settings, where there are none
	Score   bool
	Same    bool
	Tag     string
	Retakes string
	Events  []string // outcomes without an event
}

func allOf(d *quiz.Document) *allView {
	v := &allView{Score: d.Settings.ShowScore, Same: d.Settings.SameAddress, Tag: d.Settings.Tag}
	if b, err := json.Marshal(d.Settings); err == nil && string(b) == "{}" {
		v.Make = quiz.JSON(quiz.Add("/settings", map[string]any{}))
	}
	if d.Settings.Retakes != nil {
		v.Retakes = strconv.Itoa(*d.Settings.Retakes)
	}
	for i := range d.Outcomes {
		if d.Outcomes[i].Event == "" {
			v.Events = append(v.Events, d.Outcomes[i].Title())
		}
	}
	return v
}

// productsView is which products are recommended, for endings of products.
type productsView struct {
	Make      string
	Modes     []option
	Limit     string
	Lines     []recommendation
	Add       string
	NoProduct bool
}

type recommendation struct {
	Path     string
	Number   int
	When     *workbench.Condition
	AddWhen  string
	Products []option
	Up, Drop string
}

func productsOf(d *quiz.Document, tables []store.Table) *productsView {
	r := quiz.Recommendations{}
	v := &productsView{}
	if d.Recommendations != nil {
		r = *d.Recommendations
	} else {
		v.Make = quiz.JSON(quiz.Add("/recommendations", map[string]any{}))
	}
	if r.Limit > 0 {
		v.Limit = strconv.Itoa(r.Limit)
	}
	for _, m := range [][2]string{{"first", "the first line that holds"}, {"all", "every line that holds"}} {
		next := r
		next.Mode = m[0]
		v.Modes = append(v.Modes, option{Name: m[1], Selected: r.Mode == m[0] || r.Mode == "" && m[0] == "first", Patch: quiz.JSON(quiz.Add("/recommendations", next))})
	}
	var skus []option
	if t := tableNamed(tables, catalogue); t != nil {
		for _, row := range t.Rows {
			if len(row) > 0 && row[0] != "" {
				skus = append(skus, option{Name: quiz.FirstOf(t.Cell(row, "name"), row[0]), Value: row[0]})
			}
		}
	}
	v.NoProduct = len(skus) == 0
	for i, line := range r.Lines {
		at := quiz.Pointer("recommendations", "lines", i)
		l := recommendation{Path: at, Number: i + 1, Drop: quiz.JSON(quiz.Remove(at))}
		if i > 0 {
			l.Up = quiz.JSON(quiz.Move(at, quiz.Pointer("recommendations", "lines", i-1)))
		}
		if line.When != nil {
			l.When = workbench.NewCondition(d, at+"/when", line.When, len(d.Questions), "Condition of product "+strconv.Itoa(i+1), quiz.JSON(quiz.Remove(at+"/when")))
		} else {
			l.AddWhen = quiz.JSON(quiz.Add(at+"/when", workbench.DefaultCondition(d, len(d.Questions))))
		}
		found := false
		for _, s := range skus {
			s.Selected = s.Value == line.Product
			found = found || s.Selected
			s.Patch = quiz.JSON(quiz.Add(at+"/product", s.Value))
			l.Products = append(l.Products, s)
		}
		if !found {
			l.Products = append([]option{{Name: line.Product + " (not in the catalogue)", Selected: true}}, l.Products...)
		}
		v.Lines = append(v.Lines, l)
	}
	if !v.NoProduct {
		when := workbench.DefaultCondition(d, len(d.Questions))
		next := r
		next.Lines = append(slices.Clone(r.Lines), quiz.RecommendationLine{When: &when, Product: skus[0].Value})
		v.Add = quiz.JSON(quiz.Add("/recommendations", next))
	}
	return v
}
