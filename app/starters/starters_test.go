package starters

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/edit"
	"omphalos/core/check"
	"omphalos/core/message"
	"omphalos/core/reach"
)

// Each starter can be launched as it is: nothing is found in it, every outcome is reached, and its checks hold.
func TestStartersHaveNothingToMend(t *testing.T) {
	require.Len(t, All(), 8)
	languages := 0
	for _, s := range All() {
		require.NotEmpty(t, s.When)
		require.Empty(t, edit.Problems(s.Doc, nil), s.Key)
		require.Empty(t, edit.Warnings(s.Doc, nil), s.Key)
		r, err := reach.Check(context.Background(), s.Doc, reach.Options{})
		require.NoError(t, err)
		require.True(t, r.Exact, s.Key)
		require.Empty(t, r.Findings, s.Key)
		runner, err := check.New(s.Doc, nil)
		require.NoError(t, err)
		results := runner.Run()
		require.GreaterOrEqual(t, len(results), 3, s.Key)
		require.Empty(t, check.Findings(s.Doc, results), s.Key)
		var counters message.Counters
		shares, err := counters.Shares(context.Background(), s.Doc, r, reach.Options{})
		require.NoError(t, err)
		require.Empty(t, message.Findings(s.Doc, shares), s.Key)
		if len(s.Doc.Translations) > 0 {
			languages++
		}
	}
	require.Equal(t, 1, languages)
	require.Nil(t, Find("none"))
}
