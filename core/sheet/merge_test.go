package sheet

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestTablesAreMergedCellByCell(t *testing.T) {
	base := Grid{[]string{"key", "url"}, [][]string{{"a", "1"}, {"b", "2"}, {"c", "3"}}}
	grid := func(columns []string, rows ...[]string) Grid { return Grid{columns, rows} }
	two := []string{"key", "url"}
	for name, c := range map[string]struct {
		mine, theirs Grid
		origins      []int
		want         [][]string
		refused      bool
	}{
		"different cells": {
			mine: grid(two, []string{"a", "1x"}, []string{"b", "2"}, []string{"c", "3"}), theirs: grid(two, []string{"a", "1"}, []string{"b", "2y"}, []string{"c", "3"}),
			want: [][]string{{"a", "1x"}, {"b", "2y"}, {"c", "3"}},
		},
		"a key and a cell of one row": {
			mine: grid(two, []string{"A", "1"}, []string{"b", "2"}, []string{"c", "3"}), theirs: grid(two, []string{"a", "1y"}, []string{"b", "2"}, []string{"c", "3"}),
			want: [][]string{{"A", "1y"}, {"b", "2"}, {"c", "3"}},
		},
		"a row of each": {
			mine:    grid(two, []string{"a", "1"}, []string{"m", "9"}, []string{"b", "2"}, []string{"c", "3"}),
			theirs:  grid(two, []string{"a", "1"}, []string{"b", "2"}, []string{"c", "3"}, []string{"t", "8"}),
			origins: []int{0, -1, 1, 2},
			want:    [][]string{{"a", "1"}, {"m", "9"}, {"b", "2"}, {"c", "3"}, {"t", "8"}},
		},
		"mine deletes what they left": {
			mine: grid(two, []string{"a", "1"}, []string{"c", "3"}), theirs: base, origins: []int{0, 2},
			want: [][]string{{"a", "1"}, {"c", "3"}},
		},
		"mine deletes what they changed": {
			mine: grid(two, []string{"a", "1"}, []string{"c", "3"}), theirs: grid(two, []string{"a", "1"}, []string{"b", "2y"}, []string{"c", "3"}), origins: []int{0, 2},
			want: [][]string{{"a", "1"}, {"b", "2y"}, {"c", "3"}},
		},
		"they deleted what mine changed": {
			mine: grid(two, []string{"a", "1"}, []string{"b", "2x"}, []string{"c", "3"}), theirs: grid(two, []string{"a", "1"}, []string{"c", "3"}),
			want: [][]string{{"a", "1"}, {"b", "2x"}, {"c", "3"}},
		},
		"they deleted what mine left": {
			mine: grid(two, []string{"a", "1"}, []string{"b", "2"}, []string{"c", "3x"}), theirs: grid(two, []string{"a", "1"}, []string{"c", "3"}),
			want: [][]string{{"a", "1"}, {"c", "3x"}},
		},
		"a row that my last change made already": {
			mine: grid(two, []string{"a", "1"}, []string{"b", "2"}, []string{"c", "3"}, []string{"n", "5x"}), theirs: grid(two, []string{"a", "1"}, []string{"b", "2"}, []string{"c", "3"}, []string{"n", "5"}),
			origins: []int{0, 1, 2, -1},
			want:    [][]string{{"a", "1"}, {"b", "2"}, {"c", "3"}, {"n", "5x"}},
		},
		"my column": {
			mine: grid([]string{"key", "url", "who"}, []string{"a", "1", "x"}, []string{"b", "2", ""}, []string{"c", "3", ""}), theirs: grid(two, []string{"a", "1"}, []string{"b", "2y"}, []string{"c", "3"}),
			want: [][]string{{"a", "1", "x"}, {"b", "2y", ""}, {"c", "3", ""}},
		},
		"columns of both": {mine: grid([]string{"key", "link"}), theirs: grid([]string{"key", "to"}), refused: true},
	} {
		t.Run(name, func(t *testing.T) {
			got, ok := Merge(base, c.mine, c.theirs, c.origins)
			require.Equal(t, !c.refused, ok)
			if ok {
				require.Equal(t, c.want, got.Rows)
			}
		})
	}
}

// Property: two people who change different cells lose nothing, in whichever order they are stored.
func TestDifferentCellsAreAllKept(t *testing.T) {
	for seed := range uint64(200) {
		r := rand.New(rand.NewPCG(seed, 3))
		base := Grid{Columns: []string{"key", "x", "y"}}
		for i := range 1 + r.IntN(5) {
			base.Rows = append(base.Rows, []string{fmt.Sprint("k", i), "", ""})
		}
		change := func(column int) Grid {
			out := Grid{Columns: base.Columns}
			for i, row := range base.Rows {
				row = slices.Clone(row)
				if r.IntN(2) == 0 {
					row[column] = fmt.Sprint(seed, column, i)
				}
				out.Rows = append(out.Rows, row)
			}
			return out
		}
		one, other := change(1), change(2)
		first, ok := Merge(base, one, other, nil)
		require.True(t, ok)
		second, ok := Merge(base, other, one, nil)
		require.True(t, ok)
		require.Equal(t, first, second, "seed %d", seed)
		for i := range base.Rows {
			require.Equal(t, []string{base.Rows[i][0], one.Rows[i][1], other.Rows[i][2]}, first.Rows[i], "seed %d", seed)
		}
	}
}

// A merge of large tables takes work in proportion to their rows: compare the times a row.
func BenchmarkMerge(b *testing.B) {
	for _, rows := range []int{1000, 10_000, 100_000} {
		base := Grid{Columns: []string{"key", "x"}}
		mine, theirs := base, base
		for i := range rows {
			key := fmt.Sprint("k", i)
			base.Rows = append(base.Rows, []string{key, ""})
			mine.Rows = append(mine.Rows, []string{key, "m"})
			theirs.Rows = append(theirs.Rows, []string{key, ""})
		}
		theirs.Rows = append(theirs.Rows, []string{"new", "t"})
		b.Run(fmt.Sprint(rows), func(b *testing.B) {
			for b.Loop() {
				Merge(base, mine, theirs, nil)
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N*rows), "ns/row")
		})
	}
}
