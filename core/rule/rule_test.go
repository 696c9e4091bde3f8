package rule

import (
	"encoding/json"
	"fmt"
	"math"
	"math/big"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/corpus"
)

func TestNumbersAreExact(t *testing.T) {
	require.Zero(t, MustNumber("0.1").Add(MustNumber("0.2")).Cmp(MustNumber("0.3")))
	for _, c := range []struct{ in, out string }{
		{"1.50", "1.5"}, {"-0", "0"}, {"1e2", "100"}, {"12e-3", "0.012"}, {"0.0001", "0.0001"}, {"-2.5", "-2.5"},
	} {
		require.Equal(t, c.out, MustNumber(c.in).String())
	}
	for _, bad := range []string{"", "1/3", "0x10", "+1", "1.", ".5", "NaN", "1e99999", " 1", "null", `"1"`, "1_000", "0b1"} {
		_, err := ParseNumber(bad)
		require.Error(t, err, bad)
	}
	third := Ratio(Int(1), Int(3))
	_, finite := third.Places()
	require.False(t, finite)
	require.Equal(t, "0.3333333333333333", third.String())
	require.Equal(t, "-2", MustNumber("-1.5").Floor().String())
	require.Equal(t, "-1", MustNumber("-1.5").Ceil().String())
	v, ok := MustNumber("1.25").Scaled(2)
	require.True(t, ok)
	require.EqualValues(t, 125, v)
	_, ok = MustNumber("1.25").Scaled(1)
	require.False(t, ok)
}

// Whole numbers take a short way, which must come out where the long one does, at the edge of what fits too.
func TestShortWaysEqualTheLongOne(t *testing.T) {
	edge := []int64{0, 1, -1, 2, -2, 7, 1000003, math.MaxInt64, math.MaxInt64 - 1, math.MinInt64, math.MinInt64 + 1, 1 << 32, -(1 << 31)}
	for _, a := range edge {
		for _, b := range edge {
			x, y := big.NewRat(a, 1), big.NewRat(b, 1)
			same := func(want *big.Rat, got Number) {
				require.Zero(t, want.Cmp(got.rat()), "%d, %d: %s", a, b, got)
			}
			same(new(big.Rat).Add(x, y), Int(a).Add(Int(b)))
			same(new(big.Rat).Sub(x, y), Int(a).Sub(Int(b)))
			same(new(big.Rat).Mul(x, y), Int(a).Mul(Int(b)))
			if b != 0 {
				same(new(big.Rat).Quo(x, y), Ratio(Int(a), Int(b)))
			}
			require.Equal(t, x.Cmp(y), Int(a).Cmp(Int(b)))
		}
	}
}

func TestComparisons(t *testing.T) {
	num, txt := func(s string) Value { return NumValue(MustNumber(s)) }, TextValue
	set := func(picks ...string) Value { return SetValue(picks) }
	for _, c := range []struct {
		v    Value
		op   Op
		with string
		want bool
	}{
		{num("3"), OpIs, `3.0`, true}, {num("3"), OpIsNot, `3`, false}, {num("3"), OpIn, `[1,3]`, true},
		{num("3"), OpNotIn, `[1,2]`, true}, {num("3"), OpLt, `3`, false}, {num("3"), OpLe, `3`, true},
		{num("3"), OpGt, `2.9999`, true}, {num("3"), OpGe, `3`, true}, {num("3"), OpBetween, `[3,4]`, true}, {num("3"), OpBetween, `[4,3]`, false},
		{txt("small"), OpIs, `"small"`, true}, {txt("small"), OpIs, `"Small"`, false}, {txt("small"), OpIsNot, `"large"`, true},
		{txt("small"), OpIn, `["large","small"]`, true}, {txt("small"), OpLt, `3`, false}, {txt("12"), OpGt, `3`, true},
		{txt("living wall"), OpContains, `"wall"`, true}, {txt("living wall"), OpContains, `"Wall"`, false},
		{txt("2026-03-01"), OpLt, `"2026-03-02"`, true}, {txt("2026-03-01"), OpBetween, `["2026-01-01","2026-12-31"]`, true},
		{set("a", "b"), OpHas, `"a"`, true}, {set("a", "b"), OpHas, `"c"`, false}, {set("a", "b"), OpIs, `"a"`, false}, {set("a"), OpIs, `"a"`, true},
		{txt(""), OpIs, `""`, false}, {txt(""), OpIsNot, `"a"`, false}, {txt(""), OpNotIn, `["a"]`, false}, {txt(""), OpNotIn, `[]`, false},
		{num("0"), OpNotIn, `[]`, true}, {num("0"), OpIn, `[]`, false},
	} {
		var o Operand
		require.NoError(t, json.Unmarshal([]byte(c.with), &o))
		require.Equal(t, c.want, Compare(c.v, c.op, &o), "%v %s %s", c.v, c.op, c.with)
		require.False(t, Compare(Value{}, c.op, &o), "a blank %s %s", c.op, c.with)
	}
	require.True(t, Compare(Value{}, OpBlank, nil))
	require.False(t, Compare(Value{}, OpAnswered, nil))
	require.True(t, Compare(num("0"), OpAnswered, nil))
	require.False(t, Compare(num("0"), OpBlank, nil))
}

func TestEmptyGroups(t *testing.T) {
	for text, want := range map[string]bool{
		`{"all":[]}`: true, `{"any":[]}`: false, `{"none":[]}`: true,
		`{"all":[{"any":[]}]}`: false, `{"none":[{"any":[]},{"none":[]}]}`: false, `{"any":[{"all":[]}]}`: true,
	} {
		var c Condition
		require.NoError(t, json.Unmarshal([]byte(text), &c))
		require.Equal(t, want, c.Holds(func(string) Value { return Value{} }), text)
		back, err := json.Marshal(c)
		require.NoError(t, err)
		require.JSONEq(t, text, string(back))
	}
}

func TestFormulas(t *testing.T) {
	facts := map[string]Value{"scale.fit": NumValue(MustNumber("7")), "answer.staff": NumValue(Int(12)), "answer.area": TextValue("small"),
		"answer.care.water": TextValue("often"), "scale.zero": NumValue(Int(0)), "answer.blank": {}, "keyword.fern": NumValue(Int(2))}
	known := func(name string) bool { _, ok := facts[name]; return ok }
	for src, want := range map[string]string{
		`round(scale.fit * 120 * 1.029 + 30, 2)`: "894.36", `scale.fit / 2`: "3.5", `0.1 + 0.2`: "0.3", `round(2.675, 2)`: "2.68",
		`round(-2.5)`: "-3", `scale.fit / scale.zero`: "", `scale.zero / scale.zero`: "", `answer.blank * 2`: "", `answer.area`: "small",
		`answer.area == "small" ? 10 : 20`: "10", `answer.care.water == "often" ? 1 : 0`: "1", `max(scale.fit, answer.staff)`: "12",
		`scale.fit > 3`: "1", `keyword.fern ** 3`: "8", `10 % 4`: "2", `round(scale.fit, 99)`: "", `scale.fit * answer.area`: "",
	} {
		f, err := NewFormula(src, known)
		require.NoError(t, err, src)
		require.Equal(t, want, f.Eval(func(n string) Value { return facts[n] }).String(), src)
	}
	for src, say := range map[string]string{
		`scale.missing * 2`: "scale.missing doesn’t exist; use the ID of a question, scale, keyword or earlier computed value", `scale.fit +`: "ends too early", `foo(1)`: "nothing is called “foo”",
		`map(1..1000000, # * 2)`: "nothing is called “map”", ``: "empty", `answer[scale.fit]`: "use an ID, such as scale.fit", `now()`: "nothing is called “now”",
	} {
		_, err := NewFormula(src, known)
		require.ErrorContains(t, err, say, src)
	}
}

// A text that doubles with every name would be 2⁸⁰ characters: it is blank once it is over the limit.
func TestTextsOfFormulasAreBounded(t *testing.T) {
	known := func(string) bool { return true }
	doubled := `let a = answer.t + answer.t; `
	for i := 'b'; i < 'z'; i++ {
		doubled += fmt.Sprintf("let %c = %c + %c; ", i, i-1, i-1)
	}
	constant := strings.ReplaceAll(doubled, "answer.t + answer.t", `"0123456789" + "0123456789"`)
	long := TextValue(strings.Repeat("é", 9_999))
	fits := TextValue(strings.Repeat("é", MaxText))
	for _, c := range []struct {
		formula string
		t, want Value
	}{
		{doubled + "y", TextValue("ab"), Value{}},
		{constant + "y", Value{}, Value{}},
		{"answer.t", long, Value{}},
		{"answer.t", fits, fits},
		{`answer.t + ""`, fits, fits},
		{`answer.t + "x"`, fits, Value{}},
		{`len(answer.t)`, long, NumValue(Int(9_999))},
		{`answer.t + " & " + answer.t`, TextValue("a"), TextValue("a & a")},
		{`answer.t + answer.t`, NumValue(Int(2)), NumValue(Int(4))},
		{`answer.t + 1`, NumValue(Int(2)), NumValue(Int(3))},
		{`answer.t + "x"`, NumValue(Int(2)), Value{}},
		{`upper(answer.t + "x") + lower("Y")`, TextValue("a"), TextValue("AXy")},
	} {
		f, err := NewFormula(c.formula, known)
		require.NoError(t, err, c.formula)
		got := f.Eval(func(string) Value { return c.t })
		require.Equal(t, c.want, got, c.formula)
	}
	for formula, joins := range map[string]bool{
		"scale.a + keyword.b * 2 + 1": false, "answer.t + 1 + scale.a": false, "-answer.t + answer.t": false,
		"round(scale.a, 1) + answer.t": false, "answer.t + answer.u": true, "(answer.t) + scale.a": false,
	} {
		f, err := NewFormula(formula, known)
		require.NoError(t, err, formula)
		require.Equal(t, joins, f.joins, formula)
	}
	for _, refused := range []string{`"a" + 1`, joinName + `("a", "b")`, `answer.t + ` + joinName} {
		_, err := NewFormula(refused, known)
		require.Error(t, err, refused)
	}
	within := strings.Repeat(`answer.t + "0123456789" == "" || `, 20) + "true" // many short texts are no long one
	f, err := NewFormula(within, known)
	require.NoError(t, err)
	require.Equal(t, "1", f.Eval(func(string) Value { return TextValue(strings.Repeat("a", 400)) }).String())
}

// FuzzNumbers: what is read as a number is what encoding/json, which keeps to RFC 8259, takes for one.
func FuzzNumbers(f *testing.F) {
	corpus.Add(f)
	for _, s := range []string{"0", "-0", "01", "1.", ".5", "-", "1e5", "1E+05", "1e", "+1", "2.50", "1 ", "null", "0x1", "1_0", "-1.25e-3"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		number := s != "" && strings.Trim(s, " \t\r\n") == s && strings.ContainsRune("-0123456789", rune(s[0])) && json.Valid([]byte(s))
		require.Equal(t, number, isJSONNumber(s), "%q", s)
	})
}
