package rule

import (
	"math"
	"math/big"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
)

// Decimals that are held without a rational come to the same as math/big's rationals, at and past the bounds of what
// fits, and each value is held in one way only.
func TestDecimalsEqualRationals(t *testing.T) {
	r := rand.New(rand.NewPCG(12, 34))
	number := func() Number {
		i := r.Int64N(1 << r.IntN(63))
		switch r.IntN(8) {
		case 0:
			i = math.MaxInt64 - r.Int64N(3)
		case 1:
			i = math.MinInt64 + r.Int64N(3)
		case 2:
			i = 0
		case 3:
			i = -i
		}
		if r.IntN(9) == 0 {
			return Number{r: big.NewRat(i, 7)}
		}
		return decimal(i, r.IntN(mostPlaces+1))
	}
	same := func(want *big.Rat, got Number, what string, of ...Number) {
		t.Helper()
		require.Zero(t, want.Cmp(got.rat()), "%s of %v is %s, not %s", what, of, got, want.RatString())
		if got.r == nil {
			require.Equal(t, got, decimal(got.i, int(got.places)), "%s of %v is not held in its one way", what, of)
		}
	}
	for range 50_000 {
		n, m := number(), number()
		a, b := n.rat(), m.rat()
		same(new(big.Rat).Add(a, b), n.Add(m), "sum", n, m)
		same(new(big.Rat).Sub(a, b), n.Sub(m), "difference", n, m)
		same(new(big.Rat).Mul(a, b), n.Mul(m), "product", n, m)
		if b.Sign() != 0 {
			same(new(big.Rat).Quo(a, b), Ratio(n, m), "ratio", n, m)
		}
		require.Equal(t, a.Cmp(b), n.Cmp(m), "%s %s", n, m)
		require.Equal(t, a.Sign(), n.Sign())
		require.Equal(t, a.IsInt(), n.IsInt(), "%s", n)
		f, _ := a.Float64()
		require.Equal(t, f, n.Float(), "%s", n)
		places := r.IntN(6)
		rounded, _ := new(big.Rat).SetString(a.FloatString(places))
		same(rounded, n.Round(places), "rounded", n)
		floor := new(big.Rat).SetInt(new(big.Int).Div(a.Num(), a.Denom()))
		same(floor, n.Floor(), "floor", n)
		if _, exact := n.Places(); exact {
			again, ok := new(big.Rat).SetString(n.String())
			require.True(t, ok)
			require.Zero(t, again.Cmp(a), "%s", n)
		}
		if scaled, ok := n.Scaled(places); ok {
			same(a, Unscaled(scaled, places), "scaled", n)
		} else {
			up := new(big.Rat).Mul(a, new(big.Rat).SetInt64(tens[places]))
			require.False(t, up.IsInt() && up.Num().IsInt64() && up.Num().Int64() != math.MinInt64, "%s × 10^%d fits", n, places)
		}
	}
}
