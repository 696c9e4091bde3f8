package leads

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// A trend has a bar for each day, or for each week from Monday on where the days are many; no one is left out or
// doubled.
func TestATrend(t *testing.T) {
	rows := []dayRow{
		{Day: "2026-01-04", Finishes: 50}, {Day: "2026-11-30", Finishes: 3, Leads: 2}, {Day: "2026-12-01", Finishes: 1, Starts: 4},
	}
	sum := func(t trend) (n int) {
		for _, r := range t.Rows {
			n += r.Finishes
		}
		return n
	}
	for _, c := range []struct {
		first, last string
		bars, sum   int
		per, start  string
	}{
		{"2026-11-29", "2026-12-01", 3, 4, "day", "2026-11-29"},
		{"2026-12-01", "2026-12-01", 1, 1, "day", "2026-12-01"},
		{"2026-08-04", "2026-12-01", 120, 4, "day", "2026-08-04"},
		{"2026-08-03", "2026-12-01", 18, 4, "week", "2026-08-03"},   // a Monday; 1 December is a Tuesday
		{"2026-01-01", "2026-12-01", 49, 54, "week", "2025-12-29"},  // from the Monday before
		{"1970-01-01", "2026-12-01", 263, 54, "week", "2021-11-22"}, // the last five years
	} {
		got := newTrend(rows, c.first, c.last, true)
		require.Len(t, got.Rows, c.bars, c.first)
		require.Equal(t, c.sum, sum(got), c.first)
		require.Equal(t, c.per, got.Per())
		require.Equal(t, c.start, got.Rows[0].Day)
		require.True(t, got.Leads || c.sum == 1)
	}
	week := newTrend(rows, "2026-01-01", "2026-12-01", true)
	last := week.Rows[len(week.Rows)-1]
	require.Equal(t, "since=2026-11-30&until=2026-12-06", string(last.Query()))
	require.Equal(t, dayRow{Day: "2026-11-30", Until: "2026-12-06", Starts: 4, Finishes: 4, Leads: 2}, last)
	require.Contains(t, string(week.Drawn), "4 finishes, 2 leads</title>")
	chosen := newTrend([]dayRow{{Day: "2026-12-01", Finishes: 3}}, "2026-12-01", "2026-12-01", true)
	require.Contains(t, string(chosen.Drawn), ": 3 finishes</title>", "how many of them are leads is not counted")
	require.Empty(t, newTrend(rows, "2026-12-02", "2026-12-01", true).Rows, "a last day before the first")
	require.Empty(t, newTrend(rows, "soon", "2026-12-01", true).Rows)
}
