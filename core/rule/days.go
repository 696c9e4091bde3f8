package rule

import (
	"errors"
	"math/big"
	"time"
)

// Comparisons of a date answer with the day it is looked at (Value.Today).
const (
	OpAgeGe    Op = "age_ge"      // at least so many whole years have passed since
	OpAgeLt    Op = "age_lt"      // fewer have
	OpWithin   Op = "within_days" // it is at most so many days away, before or after
	OpInDaysGe Op = "in_days_ge"  // it is at least so many days from now
	OpInDaysLt Op = "in_days_lt"  // it is fewer days from now
)

// DayOps are the comparisons with the day a date is looked at. Their value is a number.
var DayOps = []Op{OpAgeGe, OpAgeLt, OpWithin, OpInDaysGe, OpInDaysLt}

// ofDays reports whether an op compares a date with the day it is looked at.
func (op Op) ofDays() bool {
	switch op {
	case OpAgeGe, OpAgeLt, OpWithin, OpInDaysGe, OpInDaysLt:
		return true
	}
	return false
}

// OfDays reports whether the comparison is one of DayOps.
func (op Op) OfDays() bool { return op.ofDays() }

// Day reads a date written as YYYY-MM-DD.
func Day(text string) (time.Time, bool) {
	if !isDate(text) {
		return time.Time{}, false
	}
	t, err := time.Parse(time.DateOnly, text)
	return t, err == nil
}

// YearsBetween is how many whole years have passed from a day to another; below 0 for days to come. Someone born on
// 29 February has their birthday on 1 March in other years.
func YearsBetween(from, to time.Time) int64 {
	years := int64(to.Year() - from.Year())
	if to.Month() < from.Month() || to.Month() == from.Month() && to.Day() < from.Day() {
		years--
	}
	return years
}

// DaysBetween is how many days there are from a day to another; below 0 where the other is earlier.
func DaysBetween(from, to time.Time) int64 { return int64(to.Sub(from).Hours() / 24) }

// compareDays evaluates one of DayOps.
func compareDays(v Value, op Op, s Scalar) bool {
	day, ok := Day(v.Text)
	today, known := Day(v.Today)
	limit, isNumber := s.number()
	if !ok || !known || !isNumber || v.Kind != Text {
		return false
	}
	switch op {
	case OpAgeGe:
		return Int(YearsBetween(day, today)).Cmp(limit) >= 0
	case OpAgeLt:
		return Int(YearsBetween(day, today)).Cmp(limit) < 0
	case OpWithin:
		return Int(DaysBetween(today, day)).Abs().Cmp(limit) <= 0
	case OpInDaysGe:
		return Int(DaysBetween(today, day)).Cmp(limit) >= 0
	case OpInDaysLt:
		return Int(DaysBetween(today, day)).Cmp(limit) < 0
	}
	return false
}

// DaysAround are days on both sides of where a comparison with a value begins and ends to hold, looked at on a day.
func DaysAround(op Op, s Scalar, today string) []string {
	now, ok := Day(today)
	limit, isNumber := s.number()
	if !ok || !isNumber {
		return nil
	}
	n := wholeAbove(limit)
	var out []string
	put := func(t time.Time) {
		for _, d := range []int{-1, 0, 1} {
			if day := t.AddDate(0, 0, d); day.Year() > 0 && day.Year() < 10000 {
				out = append(out, day.Format(time.DateOnly))
			}
		}
	}
	switch op {
	case OpAgeGe, OpAgeLt:
		put(now.AddDate(-n, 0, 0))
	case OpWithin:
		put(now.AddDate(0, 0, n))
		put(now.AddDate(0, 0, -n))
	case OpInDaysGe, OpInDaysLt:
		put(now.AddDate(0, 0, n))
	}
	return out
}

// farthest bounds how far from today days are looked for.
const farthest = 4_000_000

// wholeAbove is the least whole number that is not below n.
func wholeAbove(n Number) int {
	f, _ := new(big.Float).SetFloat64(n.Float()).Int64()
	whole := int(max(-farthest, min(farthest, f)))
	if Int(int64(whole)).Cmp(n) < 0 {
		whole++
	}
	return whole
}

// dayFunctions are what formulas can ask of a date. Those that need the day on which they are looked at get it as a
// second argument, which nobody types.
var dayFunctions = map[string]struct {
	today bool
	value func(day, today time.Time) int64
}{
	"years_since": {true, YearsBetween},
	"days_since":  {true, DaysBetween},
	"days_until":  {true, func(day, today time.Time) int64 { return DaysBetween(today, day) }},
	"year":        {false, func(day, _ time.Time) int64 { return int64(day.Year()) }},
	"month":       {false, func(day, _ time.Time) int64 { return int64(day.Month()) }},
	"weekday":     {false, func(day, _ time.Time) int64 { return int64((day.Weekday()+6)%7) + 1 }}, // 1 is Monday
}

var errNoDay = errors.New("there is no date")

// dayFunction makes one of them for the expression library.
func dayFunction(name string) func(args ...any) (any, error) {
	f := dayFunctions[name]
	return func(args ...any) (any, error) {
		text, _ := args[0].(string)
		day, ok := Day(text)
		if !ok {
			return nil, errNoDay
		}
		today := day
		if f.today {
			text, _ := args[len(args)-1].(string)
			if today, ok = Day(text); !ok {
				return nil, errNoDay
			}
		}
		return float64(f.value(day, today)), nil
	}
}
