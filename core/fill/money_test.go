package fill

import (
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// Decimals of a currency are those of ISO 4217; where the symbol stands is common practice of each language.
func TestMoney(t *testing.T) {
	for _, c := range []struct{ amount, code, language, want string }{
		{"1280", "EUR", "en", "€1,280"},
		{"24.9", "EUR", "en", "€24.90"},
		{"24.9", "EUR", "de", "24,90\u00a0€"},
		{"1280", "EUR", "fr", "1\u00a0280\u00a0€"},
		{"1280", "EUR", "nl", "€\u00a01.280"},
		{"24.9", "GBP", "en-GB", "£24.90"},
		{"0.005", "USD", "en", "$0.01"},
		{"1280.4", "JPY", "en", "¥1,280"},
		{"24.9", "CHF", "de-CH", "CHF\u00a024.90"},
		{"-3", "EUR", "en", "−€3"},
		{"-3", "EUR", "de", "−3\u00a0€"},
	} {
		amount, err := rule.ParseNumber(c.amount)
		require.NoError(t, err)
		require.Equal(t, c.want, Money(amount, c.code, c.language), "%s %s in %s", c.amount, c.code, c.language)
	}
}

func TestPricesThatAreNotBareNumbersStay(t *testing.T) {
	require.Equal(t, "€24.90", Price("24,90", "EUR", "en"))
	require.Equal(t, "24.90", Price("24.90", "", "en"))
	for _, typed := range []string{"from € 24", "on request", "", "1.280,00", "24 / month"} {
		require.Equal(t, typed, Price(typed, "EUR", "en"))
	}
}

func TestAPriceHasItsCurrencyInTextsAndNoneInAddresses(t *testing.T) {
	d, err := quiz.Read([]byte(`{"format":"omphalos-quiz/1","name":"P","language":"de","settings":{"currency":"EUR"},
		"questions":[{"id":"a","kind":"number","text":"A?"}],
		"computed":[{"id":"cost","formula":"answer.a * 1.5","price":true},{"id":"size","formula":"answer.a"}],
		"outcomes":[{"id":"o"}],"otherwise":"o"}`))
	require.NoError(t, err)
	c, err := walk.New(d)
	require.NoError(t, err)
	n, err := rule.ParseNumber("15")
	require.NoError(t, err)
	in := walk.Input{Answers: map[string]walk.Answer{"a": {Number: &n}}}
	s := Source{Doc: d, Input: in, Result: c.Walk(in)}
	require.Equal(t, "22,50\u00a0€ 15", Text("{computed.cost} {computed.size}", s.Reading, Plain))
	require.Equal(t, "https://x.example/?c=22.5", s.Address("https://x.example/?c={computed.cost}"))
	_, err = quiz.Read([]byte(`{"format":"omphalos-quiz/1","name":"P","settings":{"currency":"euro"},"questions":[],"outcomes":[{"id":"o"}],"otherwise":"o"}`))
	require.ErrorContains(t, err, "/settings/currency")
}
