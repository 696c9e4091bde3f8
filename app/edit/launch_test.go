package edit

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestLinksFromNames(t *testing.T) {
	for name, want := range map[string]string{
		"Is your office ready for a living wall?": "is-your-office-ready-for-a-living-wall", "Über uns": "uber-uns", "": "quiz", "???": "quiz", "  a  b_c - d ": "a-b-c-d",
		"日本": "ri-ben", "Ψάρι και φυτά": "psari-kai-phuta", "Растения": "rasteniia", strings.Repeat("word ", 20): "word-word-word-word-word-word-word-word",
	} {
		got := LinkName(name)
		require.Equal(t, want, got, name)
		require.Regexp(t, linkName, got)
	}
	for _, bad := range []string{"", "-a", "a-", "A", "a b", "a/b", "ä", strings.Repeat("a", 61)} {
		require.NotRegexp(t, linkName, bad)
	}
}
