package engine

import (
	"net/url"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestHowAQuizIsReached(t *testing.T) {
	for query, want := range map[string]string{
		"":                     "link",
		"utm_source=fair":      "link",
		"qr=1&utm_source=fair": "qr",
		"kit=page":             "page",
		"kit=over&utm_source=": "over",
		"kit=edge":             "edge",
		"kit=1":                "page", // of the kit before it said how
		"kit=anything":         "page",
	} {
		values, err := url.ParseQuery(query)
		require.NoError(t, err)
		p := &Place{Way: wayOf(values)}
		require.Equal(t, want, p.way(), query)
		p.Invite = "i"
		require.Equal(t, "invitation", p.way())
	}
}
