package words

import (
	"regexp"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
)

// Every shipped language has every word, and its messages name what the English ones name.
func TestWordsOfShippedLanguages(t *testing.T) {
	slots := func(s string) []string {
		out := regexp.MustCompile(`\{\d\}`).FindAllString(s, -1)
		slices.Sort(out)
		return out
	}
	require.Greater(t, len(shipped()), 4)
	for code, list := range shipped() {
		for _, key := range Keys() {
			require.NotEmpty(t, list[key], "%s: %s", code, key)
			require.Equal(t, slots(English(key)), slots(list[key]), "%s: %s", code, key)
		}
		require.Len(t, list, len(Keys()), code)
	}
	_, ok := In("pt-BR")
	require.False(t, ok)
	list, ok := In("DE-at")
	require.True(t, ok)
	require.Equal(t, "Weiter", list["next"])
	require.Equal(t, "Deutsch", SelfName("de"))
	require.Equal(t, "xx-not-one", SelfName("xx-not-one"))
}
