package store

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/responses"
)

// In every order, pages forward hold each response once, in order, and pages backward are the same ones.
func TestPagesInEveryOrder(t *testing.T) {
	s := open(t)
	r := rand.New(rand.NewPCG(3, 1))
	var deals []responses.Deal
	all := 0
	for n := range 150 {
		one := randomResponse(r, n)
		one.Scores = []byte(fmt.Sprintf(`{"scale.fit":"%d.5"}`, r.IntN(12)-4))
		if r.IntN(9) == 0 {
			one.Scores = nil
		}
		submit(t, s, one)
		if one.Kept && one.Suspect == "" {
			all++
			if r.IntN(3) == 0 {
				deals = append(deals, responses.Deal{ResponseID: one.ID, State: []string{responses.DealOpen, responses.DealWon, responses.DealLost}[r.IntN(3)]})
			}
		}
	}
	require.NoError(t, s.Responses.SetDeals("q", deals))
	for _, by := range []string{"", responses.SortOutcome, responses.SortSource, responses.SortName, responses.SortDeal, responses.SortVersion, "scale.fit", "scale.none", "nothing", `scale.x" OR 1`} {
		for _, ascending := range []bool{false, true} {
			reader := s.Responses.Reader("q", responses.Genuine).Sorted(responses.Sort{By: by, Ascending: ascending})
			value := func(one *responses.Response) string {
				c, err := reader.CursorOf(one)
				require.NoError(t, err)
				if by == "scale.fit" {
					var n float64
					_, err := fmt.Sscan(c.Value, &n)
					require.NoError(t, err)
					return fmt.Sprintf("%020.3f", max(n, -100)+100)
				}
				return c.Value
			}
			var pages [][]string
			var list []string
			var shown []responses.Response
			at := responses.Cursor{}
			for {
				page, err := reader.Before(at, 7)
				require.NoError(t, err)
				if len(page) == 0 {
					break
				}
				ids := []string{}
				for i := range page {
					ids = append(ids, page[i].ID)
				}
				pages, list, shown = append(pages, ids), append(list, ids...), append(shown, page...)
				at, err = reader.CursorOf(&page[len(page)-1])
				require.NoError(t, err)
				again, err := responses.ParseCursor(at.String())
				require.NoError(t, err)
				require.Equal(t, at.Value, again.Value)
			}
			require.Len(t, list, all, "%s %v", by, ascending)
			require.True(t, slices.IsSortedFunc(shown, func(a, b responses.Response) int {
				x, y := value(&a), value(&b)
				if x == y {
					x, y = a.At.Format("2006-01-02T15:04:05.000")+a.ID, b.At.Format("2006-01-02T15:04:05.000")+b.ID
				}
				if !ascending || by == "nothing" || by == `scale.x" OR 1` {
					x, y = y, x
				}
				switch {
				case x < y:
					return -1
				case x > y:
					return 1
				}
				return 0
			}), "%s %v", by, ascending)
			first, err := s.Responses.Response(pages[2][0])
			require.NoError(t, err)
			c, err := reader.CursorOf(first)
			require.NoError(t, err)
			back, err := reader.After(c, 7)
			require.NoError(t, err)
			ids := []string{}
			for i := range back {
				ids = append(ids, back[i].ID)
			}
			require.Equal(t, pages[1], ids)
		}
	}
}
