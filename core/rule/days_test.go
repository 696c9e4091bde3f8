package rule

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestDatesAreComparedWithTheDay(t *testing.T) {
	for _, c := range []struct {
		day, today string
		op         Op
		value      string
		want       bool
	}{
		{"2008-12-01", "2026-12-01", OpAgeGe, "18", true},
		{"2008-12-02", "2026-12-01", OpAgeGe, "18", false},
		{"2008-12-02", "2026-12-01", OpAgeLt, "18", true},
		{"2008-02-29", "2026-02-28", OpAgeGe, "18", false}, // the birthday is 1 March in other years
		{"2008-02-29", "2026-03-01", OpAgeGe, "18", true},
		{"2026-12-02", "2026-12-01", OpAgeLt, "0", true}, // a day to come: −1 whole years
		{"2026-12-02", "2026-12-01", OpAgeGe, "-1", true},
		{"2026-12-11", "2026-12-01", OpWithin, "10", true},
		{"2026-11-21", "2026-12-01", OpWithin, "10", true},
		{"2026-11-20", "2026-12-01", OpWithin, "10.5", false},
		{"2026-12-08", "2026-12-01", OpInDaysGe, "7", true},
		{"2026-12-07", "2026-12-01", OpInDaysGe, "6.5", false},
		{"2026-11-30", "2026-12-01", OpInDaysLt, "0", true},
		{"2026-12-01", "", OpAgeGe, "0", false}, // the day is not known
		{"soon", "2026-12-01", OpAgeGe, "0", false},
	} {
		v := Value{Kind: Text, Text: c.day, Today: c.today}
		o := One(Scalar{IsNum: true, Num: MustNumber(c.value)})
		require.Equal(t, c.want, Compare(v, c.op, o), "%s on %s %s %s", c.day, c.today, c.op, c.value)
	}
	require.False(t, Compare(Value{}, OpAgeLt, One(Scalar{IsNum: true})), "a blank date")
}

// Property: of the days around the edge of a comparison some hold and some do not.
func TestDaysAroundAnEdge(t *testing.T) {
	for _, op := range DayOps {
		for _, value := range []string{"0", "1", "6.5", "18", "-3", "400"} {
			if op == OpWithin && value[0] == '-' {
				continue // nothing is fewer than no days away
			}
			s := Scalar{IsNum: true, Num: MustNumber(value)}
			for _, today := range []string{"2026-12-01", "2024-02-29", "2025-03-01"} {
				seen := map[bool]bool{}
				for _, day := range DaysAround(op, s, today) {
					seen[Compare(Value{Kind: Text, Text: day, Today: today}, op, One(s))] = true
				}
				require.Len(t, seen, 2, "%s %s on %s", op, value, today)
			}
		}
	}
}

func TestFormulasOverDates(t *testing.T) {
	facts := func(day, today string) Facts {
		return func(name string) Value {
			switch name {
			case "answer.d":
				return TextValue(day)
			case "today":
				return TextValue(today)
			}
			return Value{}
		}
	}
	known := func(name string) bool { return name == "answer.d" || name == "today" }
	for formula, want := range map[string]string{
		"years_since(answer.d)":               "26",
		"days_since(answer.d)":                "9640",
		"days_until(answer.d)":                "-9640",
		"year(answer.d) + month(answer.d)":    "2007",
		"weekday(answer.d)":                   "1", // 10 July 2000 was a Monday
		"weekday(today)":                      "2",
		"year(today) - year(answer.d)":        "26",
		"years_since(answer.d) >= 18 ? 1 : 0": "1",
	} {
		f, err := NewFormula(formula, known)
		require.NoError(t, err, formula)
		require.Equal(t, want, f.Eval(facts("2000-07-10", "2026-12-01")).String(), formula)
		if formula != "weekday(today)" {
			require.Equal(t, "", f.Eval(facts("", "2026-12-01")).String(), "a blank date: %s", formula)
		}
	}
}

// What an author reads names the spot and what to write, and never a word of the library.
func TestErrorsOfFormulasAreReadable(t *testing.T) {
	known := func(name string) bool { return name == "scale.fit" || name == "answer.t" }
	for formula, want := range map[string]string{
		"scale.fit +":             "ends too early",
		"(scale.fit":              "ends too early",
		"scale.fit 2":             "can’t be read at “2”",
		"scale.fit ) * 2":         "can’t be read at “) * 2”",
		"years(1)":                "nothing is called “years”",
		"fit * 2":                 "nothing is called “fit”",
		"round()":                 "round needs a value",
		"round(1, 2, 3)":          "round has too many values",
		"\"a":                     "quote",
		"scale.fit[":              "ends too early",
		"filter(answer.t, # > 1)": "",
	} {
		_, err := NewFormula(formula, known)
		require.Error(t, err, formula)
		require.Contains(t, err.Error(), want, formula)
		for _, word := range []string{"token", "EOF", "(1:", "Bracket", "unknown name", "| "} {
			require.NotContains(t, err.Error(), word, formula)
		}
	}
}

// Every function that authors are offered can be called.
func TestFunctionsThatAreOffered(t *testing.T) {
	for _, f := range Functions {
		argument := "scale.fit"
		if _, ofDates := dayFunctions[f.Name]; ofDates {
			argument = "answer.day"
		}
		_, err := NewFormula(f.Name+"("+argument+")", func(string) bool { return true })
		require.NoError(t, err, f.Name)
		require.NotEmpty(t, f.Says)
	}
	for name := range dayFunctions {
		require.True(t, slices.ContainsFunc(Functions, func(f Function) bool { return f.Name == name }), name)
	}
}
