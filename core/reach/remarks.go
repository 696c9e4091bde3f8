package reach

import (
	"strings"

	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/say"
)

// translations finds texts that a further language lacks, and those whose original has changed since.
func (k *checker) translations() {
	d := k.m.d
	if len(d.Translations) == 0 {
		return
	}
	all := 0
	for _, t := range d.Texts() {
		if strings.TrimSpace(t.Original) != "" {
			all++
		}
	}
	for _, code := range d.Languages()[1:] {
		missing, changed := d.Untranslated(code)
		for _, f := range []struct {
			code string
			says say.Sentence
			list []quiz.Text
		}{
			{
				"missing_text",
				textsArentTranslated,
				missing,
			},
			{
				"changed_text",
				textsHaveChanged,
				changed,
			},
		} {
			if n := len(f.list); n > 0 {
				k.find(
					Finding{
						Code:     f.code,
						Severity: Warning,
						Where:    quiz.Pointer("translations", code, f.list[0].Place),
						Said:     f.says.With(n, all, quiz.LanguageName(code)),
					},
				)
			}
		}
	}
}

func (k *checker) addresses() {
	k.shared()
	fill.EachAddress(k.m.d, func(at, address string) {
		if _, err := fill.ParseAddress(address); err != nil {
			k.find(
				Finding{
					Code:     "unsafe_address",
					Severity: Error,
					Where:    at,
					Said:     redirectWontWork.With(err.Error()),
				},
			)
		}
	})
}

// shared finds addresses that a qualified and an unqualified outcome both lead to: an ad platform that counts visits
// there learns from the wrong people. Common practice of the trade.
func (k *checker) shared() {
	d := k.m.d
	if d.Settings.SameAddress {
		return
	}
	first := map[string]int{}
	for i := range d.Outcomes {
		e := d.Outcomes[i].Ending
		if e == nil || e.Kind != quiz.EndRedirect || e.URL == "" {
			continue
		}
		page, _, _ := strings.Cut(strings.ReplaceAll(e.URL, "{?", "?"), "?")
		j, seen := first[page]
		if !seen {
			first[page] = i
			continue
		}
		if d.Outcomes[i].Qualified != d.Outcomes[j].Qualified {
			k.find(
				Finding{
					Code:     "shared_address",
					Severity: Warning,
					Where:    quiz.Pointer("outcomes", i, "ending", "url"),
					Said:     redirectSameAddressButOnly.With(d.Outcomes[j].Title(), d.Outcomes[i].Title()),
				},
			)
		}
	}
}

// names finds names to fill in that the quiz does not have.
func (k *checker) names() {
	d := k.m.d
	text := func(at, src string) {
		for _, name := range fill.Names(src) {
			if !fill.Known(d, name) {
				k.find(Finding{Code: "unknown_name", Severity: Error, Where: at,
					Said: doesntExistWillAppearEmpty.With(name)})
			}
		}
	}
	wanted := func(original string) bool { return len(d.Translations) > 0 || strings.Contains(original, "{") }
	for _, t := range d.TextsWhere(wanted) {
		if t.Filled {
			text(t.At, t.Original)
			for _, code := range d.Languages()[1:] {
				text(quiz.Pointer("translations", code, t.Place), d.Translations[code][t.Place].Text)
			}
		}
	}
	fill.EachAddress(d, func(at, address string) {
		a, err := fill.ParseAddress(address)
		if err != nil {
			return
		}
		for _, name := range a.Names() {
			if !fill.Known(d, name) {
				k.find(Finding{Code: "unknown_name", Severity: Error, Where: at,
					Said: doesntExistWillMissingFrom.With(name)})
			}
		}
	})
	for i := range d.Computed {
		if k.m.formulas[i] == nil {
			_, err := rule.NewFormula(d.Computed[i].Formula, d.Knows)
			message := "it uses a computed value defined further down; move that one up"
			if err != nil {
				message = err.Error()
			}
			k.find(
				Finding{
					Code:     "unknown_name",
					Severity: Error,
					Where:    quiz.Pointer("computed", i, "formula"),
					Said:     computedValueAlwaysBlank.With(message),
				},
			)
		}
	}
}

// influences finds questions whose answers change nothing for anyone.
func (k *checker) influences() {
	reached := 0
	for _, got := range k.final.got {
		if got {
			reached++
		}
	}
	if reached < 2 {
		return
	}
	for q := range k.m.n() {
		if canScore(&k.m.d.Questions[q]) && k.counted.tables[q].anybody() && !k.decides[q].matters {
			k.find(Finding{Code: "no_influence", Severity: Note, Where: quiz.Pointer("questions", q),
				Said: questionHasNoEffectOn.With(q+1, k.m.d.Questions[q].Title())})
		}
	}
}
