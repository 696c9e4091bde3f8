package reach

import (
	"fmt"
	"strings"

	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/rule"
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
			code, message string
			list          []quiz.Text
		}{
			{
				"missing_text",
				"%d of %d texts aren’t translated into %s, so respondents see the original. " +
					"Translate them under “Other languages” in Script.",
				missing,
			},
			{
				"changed_text",
				"%d of %d texts have changed since they were translated into %s. " +
					"Check them under “Other languages” in Script.",
				changed,
			},
		} {
			if n := len(f.list); n > 0 {
				k.find(
					Finding{
						Code:     f.code,
						Severity: Warning,
						Where:    quiz.Pointer("translations", code, f.list[0].Place),
						Message:  fmt.Sprintf(f.message, n, all, quiz.LanguageName(code)),
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
					Message:  "This redirect won’t work: " + err.Error() + ".",
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
					Message: fmt.Sprintf(
						"%s and %s redirect to the same address, but only one of them is a qualified lead, so "+
							"your ad platform can’t tell them apart. Give each its own address, or allow a shared address in Endings.",
						d.Outcomes[j].Title(),
						d.Outcomes[i].Title(),
					),
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
					Message: fmt.Sprintf(
						"{%s} doesn’t exist and will appear empty. "+
							"Choose a field from the menu (Alt+I). To show a brace, type {{.",
						name,
					)})
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
					Message: fmt.Sprintf(
						"%s doesn’t exist and will be missing from the address. "+
							"Choose a field from the menu (Alt+I).",
						name,
					)})
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
					Message:  "This computed value is always blank: " + message + ".",
				},
			)
		}
	}
}

// influences finds questions whose answers change nothing for anybody.
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
		switch k.m.d.Questions[q].Kind {
		case quiz.Single, quiz.Multiple, quiz.Rating, quiz.NumberQ, quiz.Grid:
		default:
			continue
		}
		if k.counted.tables[q].anybody() && !k.decides[q].matters {
			k.find(Finding{Code: "no_influence", Severity: Note, Where: quiz.Pointer("questions", q),
				Message: fmt.Sprintf(
					"Question %d, “%s”, has no effect on any outcome. "+
						"Extra questions make people drop out: give its answers points, or remove it.",
					q+1,
					k.m.d.Questions[q].Title(),
				)})
		}
	}
}
