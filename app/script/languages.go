package script

import (
	"cmp"
	"net/url"
	"slices"
	"strings"

	"golang.org/x/text/language"
	"golang.org/x/text/language/display"

	"omphalos/app/words"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
)

// languages is the view of what a quiz says in a further language, next to the original.
type languages struct {
	Quiz    string // its id
	Own     spokenIn
	Others  []spokenIn
	In      *spokenIn // the one that is shown; nil when there is no further language
	Add     []workbench.Option
	Texts   []textLine
	Words   []textLine
	Shipped bool // the program has words of its own in this language
	Open    bool // only what is left to do is shown
	Drop    string
}

// spokenIn is a language of the quiz.
type spokenIn struct {
	Code string
	Name string
	Left int // texts that are missing or whose original has changed
}

// textLine is one text next to what it says in the other language.
type textLine struct {
	Where    string // in words; "" when the line above says it already
	Path     string // of the translation
	Original string
	Text     string
	Was      string // the original that the translation was made for, when it is another one now
	Fits     string // patch: it fits all the same
	Missing  bool
	Long     bool
}

func languagesOf(id string, d *quiz.Document, query url.Values) *languages {
	v := &languages{Quiz: id, Open: query.Get("show") == "open"}
	codes := d.Languages()
	v.Own = spokenIn{Code: codes[0], Name: words.SelfName(codes[0])}
	for _, code := range codes[1:] {
		missing, changed := d.Untranslated(code)
		v.Others = append(v.Others, spokenIn{code, words.SelfName(code), len(missing) + len(changed)})
	}
	v.Add = languageMenu(codes, func(code string) string {
		if d.Translations == nil {
			return patch(add("/translations", quiz.Translations{code: {}}))
		}
		return patch(add(d.At("translations", code), map[string]quiz.Translated{}))
	})
	if len(v.Others) == 0 {
		return v
	}
	at := max(0, slices.IndexFunc(v.Others, func(s spokenIn) bool { return s.Code == query.Get("in") }))
	v.In = &v.Others[at]
	v.Drop = patch(remove(d.At("translations", v.In.Code)))
	texts, before := d.Translations[v.In.Code], ""
	for _, t := range d.Texts() {
		if strings.TrimSpace(t.Original) == "" {
			continue
		}
		by := texts[t.Place]
		line := textLine{
			Path:     d.At("translations", v.In.Code, t.Place),
			Original: t.Original,
			Text:     by.Text,
			Missing:  by.Text == "",
			Long:     t.Markdown,
		}
		if by.Text != "" && by.Of != "" && by.Of != t.Original {
			line.Was, line.Fits = by.Of, patch(add(line.Path+"/of", t.Original))
		}
		if v.Open && !line.Missing && line.Was == "" {
			continue
		}
		if where := d.Place(t.At); where != before {
			line.Where, before = where, where
		}
		v.Texts = append(v.Texts, line)
	}
	usual, shipped := words.In(v.In.Code)
	own := words.Own(d)
	v.Shipped = shipped
	for _, key := range words.Keys() {
		place := "words." + key
		v.Words = append(
			v.Words,
			textLine{
				Path:     d.At("translations", v.In.Code, place),
				Original: own[key],
				Was:      usual[key],
				Text:     texts[place].Text,
			},
		)
	}
	return v
}

// languageMenu lists languages by their English name, without those that are taken.
// spokenMenu is a menu of all languages by name, with the one of the quiz chosen, whatever it is.
func spokenMenu(current string) []workbench.Option {
	current = quiz.FirstOf(current, "en")
	out := languageMenu(nil, func(string) string { return "" })
	at := slices.IndexFunc(out, func(o workbench.Option) bool { return strings.EqualFold(o.Value, current) })
	if at < 0 {
		out = append([]workbench.Option{{Name: quiz.LanguageName(current), Value: current}}, out...)
		at = 0
	}
	out[at].Selected = true
	return out
}

func languageMenu(taken []string, patch func(code string) string) []workbench.Option {
	var out []workbench.Option
	for _, tag := range display.Supported.Tags() {
		if tag == language.Und ||
			slices.ContainsFunc(taken, func(code string) bool { return strings.EqualFold(code, tag.String()) }) {
			continue
		}
		code := tag.String()
		if name := quiz.LanguageName(code); !strings.EqualFold(name, code) { // some have no name in English
			out = append(out, workbench.Option{Name: name, Value: code, Patch: patch(code)})
		}
	}
	slices.SortFunc(out, func(a, b workbench.Option) int { return cmp.Compare(a.Name, b.Name) })
	return out
}
