package rule

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/corpus"
)

// FuzzFormula: a formula is refused in words, or works out on any values, twice the same.
func FuzzFormula(f *testing.F) {
	corpus.Add(f)
	f.Add("round(scale.fit * 2 / (answer.staff - 3), 1)", int64(3), int64(0))
	f.Add("if scale.fit >= 2 then 1 else -scale.fit", int64(-9), int64(4))
	f.Add("max(1, min(scale.fit, 9)) % 0", int64(1)<<40, int64(-1))
	f.Add("((((((1))))))", int64(0), int64(0))
	f.Fuzz(func(t *testing.T, src string, a, b int64) {
		formula, err := NewFormula(src, func(string) bool { return true })
		if err != nil {
			require.NotEmpty(t, err.Error())
			return
		}
		facts := func(name string) Value {
			switch {
			case strings.HasPrefix(name, "scale."):
				return NumValue(Int(a))
			case strings.HasPrefix(name, "answer."):
				return NumValue(Ratio(Int(b), Int(7)))
			}
			return Value{}
		}
		require.Equal(t, formula.Eval(facts).String(), formula.Eval(facts).String())
	})
}
