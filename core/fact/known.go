package fact

import (
	"strconv"
	"strings"
	"time"

	"omphalos/core/rule"
)

// Known is a fact that is known before the first question: of the visitor, of the link, of the moment.
type Known struct {
	Name  string
	Type  rule.Type
	Words string // in a sentence: "respondent’s country"
	Group string // in a menu
	Menu  string

	// Values are all that it can be, where they are few: a count takes them as equally likely. Nil: it can be anything,
	// of which a count tells apart what conditions mention.
	Values []string
	// Ends stand for values below and above all that conditions mention, where it is compared by size; Usual for any
	// value where none is mentioned. Where it has neither, a value that is not mentioned is called Elsewhere.
	Ends  []string
	Usual string

	Fills  bool // texts and addresses can show it
	Keys   bool // a lookup table can be asked for it
	Column bool // tables of respondents always take it as a column

	// Text is what it is for a visit, "" for unknown. Set makes it so, and leaves it as it was where it cannot be that.
	Text func(*Visit) string
	Set  func(*Visit, string) error
	// derived is its value where the visit does not say it itself; nil for unknown.
	derived func(*Visit) string
}

// Elsewhere is the value of a fact that no condition mentions.
const Elsewhere = "elsewhere"

// Positions of facts that others need.
const (
	weekdayAt = iota
	hourAt
)

// known are the facts besides link parameters. Those of the moment come first: see weekdayAt.
var known = []Known{
	{
		Name: "time.weekday", Type: rule.WeekdayType, Words: "the weekday", Group: "Date", Menu: "weekday",
		Values: numbers(1, 7), Column: true,
		Text: func(v *Visit) string { return numeral(v.Time.Weekday, 1) },
		Set: func(v *Visit, text string) error {
			day, err := whole(text, 1, 7)
			if err == nil || text == "" {
				v.Time.Weekday, err = day, nil
			}
			return err
		},
		derived: func(v *Visit) string {
			day, err := time.Parse(time.DateOnly, v.Today)
			if err != nil {
				return ""
			}
			return strconv.Itoa(weekday(day))
		},
	},
	{
		Name: "time.hour", Type: rule.HourType, Words: "the hour of the day", Group: "Date", Menu: "hour of the day",
		Values: numbers(0, 23), Column: true,
		Text: func(v *Visit) string {
			if hour, is := v.Time.Hour.Of(); is {
				return strconv.Itoa(hour)
			}
			return ""
		},
		Set: func(v *Visit, text string) error {
			hour, err := whole(text, 0, 23)
			switch {
			case text == "":
				v.Time.Hour, err = 0, nil
			case err == nil:
				v.Time.Hour = HourOf(hour)
			}
			return err
		},
	},
	{
		Name: "visitor.country", Type: rule.CountryType,
		Words: "respondent’s country", Group: "Respondent", Menu: "country",
		Fills: true, Keys: true, Column: true,
		Text: func(v *Visit) string { return v.Visitor.Country },
		Set:  func(v *Visit, text string) error { v.Visitor.Country = text; return nil },
	},
	{
		Name: "visitor.language", Type: rule.LanguageType, Words: "respondent’s language", Group: "Respondent",
		Menu: "language", Fills: true, Keys: true, Column: true,
		Text: func(v *Visit) string { return v.Visitor.Language },
		Set:  func(v *Visit, text string) error { v.Visitor.Language = text; return nil },
	},
	{
		Name: "visitor.device", Type: rule.DeviceType,
		Words: "respondent’s device", Group: "Respondent", Menu: "device",
		Fills: true, Column: true,
		Text: func(v *Visit) string { return v.Visitor.Device },
		Set:  func(v *Visit, text string) error { v.Visitor.Device = text; return nil },
	},
	{
		Name: "today", Type: rule.DateType, Words: "today’s date", Group: "Date", Menu: "today’s date",
		Ends: []string{"0001-01-01", "9999-12-31"}, Usual: "2026-03-31", Column: true,
		Text: func(v *Visit) string { return v.Today },
		Set:  func(v *Visit, text string) error { v.Today = text; return nil },
	},
}

// Devices are the values of visitor.device.
var Devices = []string{"phone", "tablet", "desktop"}

// All lists the facts that are known before the first question, besides link parameters.
func All() []*Known {
	out := make([]*Known, len(known))
	for i := range known {
		out[i] = &known[i]
	}
	return out
}

const paramRoot = "param."

var byName = func() map[string]*Known {
	out := map[string]*Known{}
	for i := range known {
		out[known[i].Name] = &known[i]
	}
	return out
}()

// Find returns the fact of this name that is known before the first question; nil where there is none.
func Find(name string) *Known {
	if k := byName[name]; k != nil {
		return k
	}
	if isParam(name) {
		return param(name[len(paramRoot):])
	}
	return nil
}

func isParam(name string) bool {
	return len(name) > len(paramRoot) && strings.HasPrefix(name, paramRoot)
}

// Value is the value of the fact of this name, which must be known before the first question, in a visit. It builds
// nothing, as Find does for a parameter: conditions are decided with it in each step of a walk.
func Value(name string, v *Visit) rule.Value {
	if k := byName[name]; k != nil {
		return k.Value(v)
	}
	return rule.TextValue(v.Params[name[len(paramRoot):]])
}

// param is a parameter of the link.
func param(id string) *Known {
	return &Known{
		Name: paramRoot + id, Type: rule.TextType,
		Words: "link parameter " + id, Group: "Link", Menu: "parameter " + id,
		Fills: true, Keys: true, Column: true,
		Text: func(v *Visit) string { return v.Params[id] },
		Set: func(v *Visit, text string) error {
			if v.Params == nil {
				v.Params = map[string]string{}
			}
			v.Params[id] = text
			return nil
		},
	}
}

// Param names the fact of a parameter of the link.
func Param(id string) string { return paramRoot + id }

// Each calls f for every fact of a visit that is known, its parameters too.
func (v *Visit) Each(f func(k *Known, text string)) {
	for i := range known {
		if text := known[i].Text(v); text != "" {
			f(&known[i], text)
		}
	}
	for id, text := range v.Params {
		if text != "" {
			f(param(id), text)
		}
	}
}

// Value is what a fact is for a visit.
func (k *Known) Value(v *Visit) rule.Value {
	text := k.Text(v)
	if text == "" && k.derived != nil {
		text = k.derived(v)
	}
	return k.read(text)
}

// Of is the value that a text stands for.
func (k *Known) Of(text string) rule.Value { return k.read(text) }

func (k *Known) read(text string) rule.Value {
	if k.Values == nil {
		return rule.TextValue(text)
	}
	n, err := rule.ParseNumber(text)
	if err != nil {
		return rule.Value{}
	}
	return rule.NumValue(n)
}

// ID is the name within its group of facts: "country" of visitor.country.
func (k *Known) ID() string { return k.Name[strings.Index(k.Name, ".")+1:] }

func numbers(from, to int) []string {
	var out []string
	for n := from; n <= to; n++ {
		out = append(out, strconv.Itoa(n))
	}
	return out
}

// numeral writes a number that is at least so much, "" for one that is unknown.
func numeral(n, least int) string {
	if n < least {
		return ""
	}
	return strconv.Itoa(n)
}

// weekdays are the names of weekdays, from 1 on.
var weekdays = []string{"Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"}

// WeekdayName names a weekday; another text stays as it is.
func WeekdayName(text string) string {
	if n, err := whole(text, 1, 7); err == nil {
		return weekdays[n-1]
	}
	return text
}
