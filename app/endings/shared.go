package endings

import (
	"slices"
	"strconv"

	"omphalos/app/store/documents"
	"omphalos/app/words"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
)

// lookView is the theme as it is edited.
type lookView struct {
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
	t := d.Theme
	v := &lookView{Colour: t.Colour, Ground: t.Background}
	menu := func(current string, list [][2]string) []option {
		var out []option
		for _, o := range list {
			out = append(
				out,
				option{Name: o[1], Value: o[0], Selected: current == o[0]},
			)
		}
		return out
	}
	v.Fonts = menu(t.Fonts, [][2]string{
		{
			"",
			"Didot headings, Commissioner text",
		}, {"plain", "Commissioner throughout"}, {"book", "Didot throughout"}})
	v.Direction = menu(t.Direction, [][2]string{
		{"", "Automatic (from the language)"}, {"ltr", "Left to right"}, {"rtl", "Right to left"}})
	v.Logo = workbench.Picture{
		Path:     "/theme",
		Field:    "logo",
		AltField: "logo_alt",
		Image:    t.Logo,
		Alt:      t.LogoAlt,
		Name:     "logo",
	}
	v.Back = workbench.Picture{Path: "/theme", Field: "picture", Image: t.Picture, Name: "background picture"}
	usual, _ := words.In(d.Language)
	for key, english := range usual {
		v.Words = append(v.Words, word{key, english, t.Words[key]})
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
	Score   bool
	Same    bool
	Tag     string
	Retakes string
	Events  []string // outcomes without an event
}

func allOf(d *quiz.Document) *allView {
	v := &allView{Score: d.Settings.ShowScore, Same: d.Settings.SameAddress, Tag: d.Settings.Tag}
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
	Modes     []option
	Limit     string
	Lines     []recommendation
	Grid      *grid
	Skus      []option
	Unlisted  string // products that no line recommends, as JSON; "" for none
	Add       string
	NoProduct bool
	AsLines   bool // conditions instead of the grid
}

type recommendation struct {
	Path     string
	Number   int
	When     *workbench.Condition
	AddWhen  string
	Products []option
	Up, Drop string
}

func productsOf(d *quiz.Document, tables []documents.Table) *productsView {
	r := quiz.Recommendations{}
	v := &productsView{}
	if d.Recommendations != nil {
		r = *d.Recommendations
	}
	if r.Limit > 0 {
		v.Limit = strconv.Itoa(r.Limit)
	}
	for _, m := range [][2]string{{"first", "The first product that matches"}, {"all", "Every product that matches"}} {
		chosen := m[0] == quiz.FirstOf(r.Mode, "first")
		v.Modes = append(
			v.Modes,
			option{Name: m[1], Value: m[0], Selected: chosen},
		)
	}
	skus := skusOf(tables)
	v.NoProduct = len(skus) == 0
	for i, line := range r.Lines {
		at := d.At("recommendations", "lines", i)
		l := recommendation{Path: at, Number: i + 1, Drop: quiz.JSON(quiz.Remove(at))}
		l.Up, _ = workbench.Order(d, "/recommendations/lines", i, len(r.Lines))
		if line.When != nil {
			l.When = workbench.NewCondition(
				d,
				at+"/when",
				line.When,
				len(d.Questions),
				"Condition of product "+strconv.Itoa(i+1),
				false,
			)
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
			l.Products = append(
				[]option{{Name: line.Product + " (missing from the catalogue)", Selected: true}},
				l.Products...)
		}
		v.Lines = append(v.Lines, l)
	}
	v.Skus, v.Unlisted = skus, unlisted(skus, r.Lines)
	v.Grid = gridOf(d, v.Lines)
	if !v.NoProduct {
		when := workbench.DefaultCondition(d, len(d.Questions))
		line := quiz.RecommendationLine{When: &when, Product: skus[0].Value}
		v.Add = quiz.JSON(workbench.AddTo("/recommendations/lines", line))
	}
	return v
}
