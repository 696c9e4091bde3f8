package workbench

import (
	"slices"
	"strconv"

	"github.com/biter777/countries"

	"omphalos/core/quiz"
)

// Option is one entry of a menu. With a Patch it edits at once; else the menu's own place takes Value.
type Option struct {
	Name     string
	Value    string
	Group    string // heading of the menu that it stands under, "" for none
	Selected bool
	Patch    string
	Ask      string // asks for a name first, which takes the place of what the patch calls the new thing
}

// Outcomes are the entries of a menu of outcomes whose choice is stored at path; an outcome that is gone is shown as
// such.
func Outcomes(d *quiz.Document, path, current string) []Option {
	var out []Option
	found := false
	for i := range d.Outcomes {
		o := &d.Outcomes[i]
		found = found || o.ID == current
		out = append(
			out,
			Option{Name: o.Title(), Value: o.ID, Selected: o.ID == current, Patch: quiz.JSON(quiz.Add(path, o.ID))},
		)
	}
	if !found {
		out = append([]Option{{Name: "choose an outcome", Selected: true}}, out...)
	}
	return append(out, NewOutcome(d, func(id string) quiz.Operation { return quiz.Add(path, id) }))
}

// NewOutcome is the entry of a menu that makes an outcome, asks its name, and puts it where put says.
func NewOutcome(d *quiz.Document, put func(id string) quiz.Operation) Option {
	o := FreshOutcome(d)
	return Option{
		Name:  "new outcome …",
		Ask:   "Name of the new outcome",
		Patch: quiz.JSON(AddTo("/outcomes", o), put(o.ID)),
	}
}

// FreshOutcome is an outcome as it begins: a page, with a name to be typed over.
func FreshOutcome(d *quiz.Document) quiz.Outcome {
	o := quiz.Outcome{
		ID:     quiz.Unused("o", func(id string) bool { return d.Outcome(id) != nil }),
		Ending: &quiz.Ending{Kind: quiz.EndPage},
	}
	o.Name = "Outcome " + strconv.Itoa(len(d.Outcomes)+1)
	return o
}

// AddTo appends a value to the list at path, which may not be there yet.
func AddTo(path string, value any) quiz.Operation { return quiz.Add(path+"/-", value) }

// TakeFrom takes line i, which holds the value, from the list at path.
func TakeFrom(path string, i int, value any) []quiz.Operation {
	at := path + quiz.Pointer(i)
	return []quiz.Operation{quiz.Test(at, value), quiz.Remove(at)}
}

// Toggle is the patch that puts a value into the list at path, or takes it out: small, so that two boxes that are
// ticked one after the other both count.
func Toggle(path string, values []string, value string) string {
	if i := slices.Index(values, value); i >= 0 {
		return quiz.JSON(TakeFrom(path, i, value)...)
	}
	return quiz.JSON(AddTo(path, value))
}

// Countries are all countries by name, with their ISO 3166-1 alpha-2 code as value.
var Countries = allCountries()

func allCountries() []Option {
	var out []Option
	for _, c := range countries.All() {
		if code := c.Alpha2(); len(code) == 2 {
			out = append(out, Option{Name: c.String(), Value: code})
		}
	}
	slices.SortFunc(out, func(a, b Option) int {
		switch {
		case a.Name < b.Name:
			return -1
		case a.Name > b.Name:
			return 1
		}
		return 0
	})
	return out
}
