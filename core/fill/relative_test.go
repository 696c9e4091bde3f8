package fill

import (
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Source of the references: RFC 3986, section 5.4. Respondents are sent to absolute addresses only: a relative reference is
// refused, whatever it would resolve to; what it resolves to, being absolute, is taken as it stands.
func TestRelativeReferencesAreRefused(t *testing.T) {
	text, err := os.ReadFile("testdata/rfc3986_5_4.json")
	require.NoError(t, err)
	var file struct {
		Cases []struct{ Ref, Want string }
	}
	require.NoError(t, json.Unmarshal(text, &file))
	require.NotEmpty(t, file.Cases)
	for _, c := range file.Cases {
		if !strings.HasPrefix(c.Ref, "http:") {
			_, err := ParseAddress(c.Ref)
			require.Error(t, err, c.Ref)
		}
		if !strings.HasPrefix(c.Want, "http://") {
			continue
		}
		a, err := ParseAddress(c.Want)
		require.NoError(t, err, c.Want)
		got, err := a.Fill(func(string) ([]string, bool) { return nil, false })
		require.NoError(t, err)
		require.Equal(t, c.Want, got)
	}
}
