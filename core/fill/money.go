package fill

import (
	"strings"

	"golang.org/x/text/currency"
	"golang.org/x/text/language"
	"golang.org/x/text/message"
	"golang.org/x/text/number"

	"omphalos/core/rule"
)

// symbolFirst lists the languages that write the currency before the number; by region where that differs. From memory
// of CLDR's currency patterns.
var symbolFirst = map[string]bool{
	"en": true, "nl": true, "ja": true, "ko": true, "zh": true, "tr": true, "he": true, "hi": true, "th": true, "cy": true, "ga": true,
	"de-AT": true, "de-CH": true, "pt-BR": true, "es-MX": true, "es-AR": true, "es-CO": true, "es-CL": true, "de-LI": true,
}

// tight lists the languages that write no space behind a symbol that comes first.
var tight = map[string]bool{"en": true, "ja": true, "ko": true, "zh": true, "tr": true, "he": true, "hi": true, "th": true, "cy": true, "ga": true}

// Money writes an amount as people read it in a language, a BCP 47 tag: “€1,280”, “24,90 €”. Whole amounts have no
// decimals, others as many as the currency has (ISO 4217). An unknown currency is written as it is given.
func Money(amount rule.Number, code, lang string) string {
	tag := language.Make(lang)
	symbol, digits := code, 2
	if unit, err := currency.ParseISO(code); err == nil {
		digits, _ = currency.Standard.Rounding(unit)
		symbol = message.NewPrinter(tag).Sprint(currency.NarrowSymbol(unit))
	}
	rounded := amount.Round(digits)
	scale := digits
	if rounded.Round(0) == rounded {
		scale = 0
	}
	figure := message.NewPrinter(tag).Sprint(number.Decimal(rounded.Float(), number.Scale(scale)))
	base, _ := tag.Base()
	first := symbolFirst[base.String()] || symbolFirst[tag.String()]
	minus := ""
	if rest, negative := strings.CutPrefix(figure, "-"); negative {
		minus, figure = "−", rest
	}
	switch {
	case !first:
		return minus + figure + "\u00a0" + symbol
	case tight[base.String()] && len([]rune(symbol)) == 1:
		return minus + symbol + figure
	}
	return minus + symbol + "\u00a0" + figure
}

// Price writes the price of a product: a bare number gets the currency, anything else stays as it was typed.
func Price(typed, code, lang string) string {
	amount, err := rule.ParseNumber(strings.Replace(strings.TrimSpace(typed), ",", ".", 1))
	if code == "" || err != nil {
		return typed
	}
	return Money(amount, code, lang)
}

// Reading is Lookup for texts that people read: a computed price comes with the currency of the quiz.
func (s Source) Reading(name string) ([]string, bool) {
	values, known := s.Lookup(name)
	code := s.Doc.Settings.Currency
	id, isComputed := strings.CutPrefix(name, "computed.")
	if !isComputed || len(values) != 1 || code == "" {
		return values, known
	}
	for _, c := range s.Doc.Computed {
		if amount, err := rule.ParseNumber(values[0]); c.ID == id && c.Price && err == nil {
			return []string{Money(amount, code, s.Doc.Language)}, known
		}
	}
	return values, known
}
