package workbench

import (
	"fmt"
	"net/http"
	"slices"
	"strconv"

	"github.com/biter777/countries"
	"github.com/gin-gonic/gin"

	"omphalos/core/quiz"
)

// Option is one entry of a menu. With a Patch it edits at once; else the menu's own place takes Value.
type Option struct {
	Name     string
	Value    string
	Group    string // heading of the menu that it stands under, "" for none
	Selected bool
	Patch    string
	Ask      string // what the window asks for first: a menu with it makes an outcome of that name
}

// Outcomes are the entries of a menu of outcomes; one that no longer exists is shown as such, and the last makes a new
// one.
func Outcomes(d *quiz.Document, current string) []Option {
	var out []Option
	found := false
	for i := range d.Outcomes {
		o := &d.Outcomes[i]
		found = found || o.ID == current
		out = append(out, Option{Name: o.Title(), Value: o.ID, Selected: o.ID == current})
	}
	if !found {
		out = append([]Option{{Name: "Choose an outcome", Selected: true}}, out...)
	}
	return append(out, NewOutcome())
}

// NewOutcome is the entry of a menu that makes an outcome: it asks for the name first.
func NewOutcome() Option { return Option{Name: "New outcome …", Ask: "Name of the new outcome"} }

// FreshOutcome is an outcome as it begins: a page, with a name to be typed over.
func FreshOutcome(d *quiz.Document) quiz.Outcome {
	o := quiz.Outcome{
		ID:     quiz.Unused("o", func(id string) bool { return d.Outcome(id) != nil }),
		Ending: &quiz.Ending{Kind: quiz.EndPage},
	}
	o.Name = "Outcome " + strconv.Itoa(len(d.Outcomes)+1)
	return o
}

// Order is the edit that moves line i of n in a list before the one above it, and the one that moves it behind the one
// below; "" at the ends.
func Order(d *quiz.Document, list string, i, n int) (up, down string) {
	at := d.Below(list, i)
	beside := func(side string, other int) string {
		place := d.Below(list, other)
		return quiz.JSON(quiz.Move(at, list+"/"+side+place[len(list)+1:]))
	}
	if i > 0 {
		up = beside("<", i-1)
	}
	if i < n-1 {
		down = beside(">", i+1)
	}
	return up, down
}

// AddTo appends a value to the list at path, which may not be there yet.
func AddTo(path string, value any) quiz.Operation { return quiz.Add(path+"/-", value) }

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

// NoAdvice answers a request for advice with why there is none. That is an answer like any other, not a failed request.
func NoAdvice(c *gin.Context, format string, args ...any) {
	c.JSON(http.StatusOK, gin.H{"message": fmt.Sprintf(format, args...)})
}
