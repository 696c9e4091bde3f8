package rule

import (
	"errors"
	"maps"
	"math/big"
	"slices"
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
var DayOps = slices.Sorted(maps.Keys(dayOps))

// dayOp is what one of them means.
type dayOp struct {
	holds func(day, today time.Time, limit Number) bool
	edges func(today time.Time, limit int) []time.Time // days at which it changes for a limit
}

var dayOps = map[Op]dayOp{
	OpAgeGe:    {func(day, today time.Time, n Number) bool { return age(day, today).Cmp(n) >= 0 }, birthday},
	OpAgeLt:    {func(day, today time.Time, n Number) bool { return age(day, today).Cmp(n) < 0 }, birthday},
	OpWithin:   {func(day, today time.Time, n Number) bool { return away(day, today).Abs().Cmp(n) <= 0 }, bothSides},
	OpInDaysGe: {func(day, today time.Time, n Number) bool { return away(day, today).Cmp(n) >= 0 }, inDays},
	OpInDaysLt: {func(day, today time.Time, n Number) bool { return away(day, today).Cmp(n) < 0 }, inDays},
}

func age(day, today time.Time) Number  { return Int(YearsBetween(day, today)) }
func away(day, today time.Time) Number { return Int(DaysBetween(today, day)) }

func birthday(today time.Time, years int) []time.Time {
	return []time.Time{today.AddDate(-years, 0, 0)}
}
func inDays(today time.Time, days int) []time.Time { return []time.Time{today.AddDate(0, 0, days)} }
func bothSides(today time.Time, days int) []time.Time {
	return []time.Time{today.AddDate(0, 0, days), today.AddDate(0, 0, -days)}
}

// OfDays reports whether the comparison is one of DayOps.
func (op Op) OfDays() bool {
	_, is := dayOps[op]
	return is
}

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

// compareDays evaluates one of DayOps; false where the op is none of them.
func compareDays(v Value, op Op, s Scalar) bool {
	meaning, is := dayOps[op]
	day, ok := Day(v.Text)
	today, known := Day(v.Today)
	limit, isNumber := s.number()
	return is && ok && known && isNumber && v.Kind == Text && meaning.holds(day, today, limit)
}

// DaysAround returns days on both sides of each day at which a comparison with a value changes, for one today.
func DaysAround(op Op, s Scalar, today string) []string {
	now, ok := Day(today)
	limit, isNumber := s.number()
	meaning, is := dayOps[op]
	if !ok || !isNumber || !is {
		return nil
	}
	var out []string
	for _, edge := range meaning.edges(now, wholeAbove(limit)) {
		out = append(out, Near(edge)...)
	}
	return out
}

// Near returns a day with the day before and the day after, as far as they can be written as YYYY-MM-DD.
func Near(day time.Time) []string {
	var out []string
	for _, d := range []int{-1, 0, 1} {
		if other := day.AddDate(0, 0, d); other.Year() > 0 && other.Year() < 10000 {
			out = append(out, other.Format(time.DateOnly))
		}
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

// Function is something that formulas can call.
type Function struct{ Name, Says string }

// Functions are those that authors are offered, in the order of lists. Of the others, see allowedBuiltins.
var Functions = []Function{
	{"round", "to whole numbers, or to a number of decimals"},
	{"floor", "down to a whole number"},
	{"ceil", "up to a whole number"},
	{"min", "the least of several"},
	{"max", "the greatest of several"},
	{"abs", "without its sign"},
	{"years_since", "whole years since a date, such as an age"},
	{"days_since", "days since a date"},
	{"days_until", "days until a date"},
	{"year", "the year of a date"},
	{"month", "the month of a date, 1 to 12"},
	{"weekday", "the weekday of a date, 1 for Monday to 7"},
}

// dayFunctions are those of dates. Those that need the day on which they are looked at get it as a second argument,
// which the formula does not have.
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
