package store

import (
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/responses"
	"omphalos/core/corpus"
)

// FuzzCursor: a place in a list comes back as it was written, and what is none is refused.
func FuzzCursor(f *testing.F) {
	corpus.Add(f)
	f.Add("")
	f.Add("MjAyNi0wMy0wMVQwOTowMDowMFogcjE")
	f.Add("MjAyNi0wMy0wMVQwOTowMDowMFogcjEgMS41ZSszMDg")
	f.Add("!!!")
	f.Fuzz(func(t *testing.T, text string) {
		c, err := responses.ParseCursor(text)
		if err != nil {
			require.Equal(t, responses.Cursor{}, c)
			return
		}
		again, err := responses.ParseCursor(c.String())
		require.NoError(t, err)
		require.True(t, c.At.Equal(again.At))
		require.Equal(t, [2]string{c.ID, c.Value}, [2]string{again.ID, again.Value})
	})
}
