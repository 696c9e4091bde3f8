package workbench

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// Parameters of an address are called as the quiz calls what they carry.
func TestAParameterIsNamedAfterWords(t *testing.T) {
	for words, want := range map[string]string{
		"How often are you away from home?": "how_often_are_you_away",
		"Größe der Wand":                    "grosse_der_wand",
		"Fit in percent":                    "fit_in_percent",
		"":                                  "email",
		"?!":                                "email",
	} {
		require.Equal(t, want, paramOf(words, "contact.email"))
	}
}
