package walk_test

import (
	"encoding/json"
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/kind"
	"omphalos/core/quiz"
)

// Source: the HTML Standard's rule for input type=email, as jsdom 24.1.3 applies it, after the standard's sanitisation.
func TestEmailAddressesAsTheHTMLStandardHasThem(t *testing.T) {
	b, err := os.ReadFile("testdata/email_whatwg.json")
	require.NoError(t, err)
	var file struct {
		Cases []struct {
			Sanitised string
			Valid     bool
		}
	}
	require.NoError(t, json.Unmarshal(b, &file))
	require.Greater(t, len(file.Cases), 10)
	q := quiz.Question{ID: "e", Kind: quiz.Email}
	for _, c := range file.Cases {
		if c.Sanitised == "" {
			continue // blank: whether it may be is for the question to say
		}
		require.Equal(t, c.Valid, kind.ValidEmail(c.Sanitised), "%q", c.Sanitised)
		_, err := kind.Read(&q, func(string) []string { return []string{c.Sanitised} })
		require.Equal(t, c.Valid, err == nil, "%q", c.Sanitised)
	}
}
