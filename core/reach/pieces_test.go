package reach

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// Lists that were shared are zero, as long as asked for, and apart from each other whatever is appended to them.
func TestPiecesAreApart(t *testing.T) {
	var p pieces[int]
	var lists [][]int
	for n := range 200 {
		list := p.take(n % 70)
		require.Len(t, list, n%70)
		for _, v := range list {
			require.Zero(t, v)
		}
		list = append(list, -1)
		for i := range list {
			list[i] = n
		}
		lists = append(lists, list)
	}
	for n, list := range lists {
		for _, v := range list {
			require.Equal(t, n, v)
		}
	}
	first := roomOf[int](10)
	require.Len(t, first.room, 10)
	require.Len(t, first.take(11), 11, "more than there is room for")
}
