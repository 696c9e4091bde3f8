package fill

import (
	"slices"
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// Tables are the tables next to a quiz.
type Tables interface {
	// Find returns what the first row whose key is one of these says, by column; nil where there is none.
	Find(table string, keys ...string) func(column string) string
}

// NoTables is a quiz without tables next to it.
type NoTables struct{}

// Find finds nothing.
func (NoTables) Find(string, ...string) func(string) string { return nil }

// Target is where a redirect sends someone.
type Target struct {
	Address  string // filled; "" where it cannot be
	Template string // that it was filled from
	Key      string // what the table was asked for: an answer's id or text; "" where it was blank, or no table is asked
	Found    bool   // the table has a row for the key, and its address can be filled
	Fallback bool   // the address is that for keys that the table does not have
}

// Target is where a redirect leads: from its table, else its own address.
func (s Source) Target(e *quiz.Ending, tables Tables) Target {
	var t Target
	if l := e.Lookup; l != nil {
		keys := s.keys(l.Key)
		t.Key = strings.Join(keys[:min(1, len(keys))], "")
		if cell := tables.Find(l.Table, keys...); cell != nil {
			t.Template = cell(l.Column)
			if t.Address = s.Address(t.Template); t.Address != "" {
				t.Found = true
				return t
			}
		}
		t.Template = l.Fallback
		if t.Address = s.Address(l.Fallback); t.Address != "" {
			t.Fallback = true
			return t
		}
	}
	t.Template = e.URL
	t.Address = s.Address(e.URL)
	return t
}

// Cell is what a table has in a look-up's column for the respondent, and whether it has it; else the look-up's
// fallback.
func (s Source) Cell(l *quiz.Lookup, tables Tables) (value string, found bool) {
	if cell := tables.Find(l.Table, s.keys(l.Key)...); cell != nil {
		if value := strings.TrimSpace(cell(l.Column)); value != "" {
			return value, true
		}
	}
	return l.Fallback, false
}

// Address fills the template of an address; "" where it is none, or cannot be filled.
func (s Source) Address(template string) string {
	if template == "" {
		return ""
	}
	a, err := ParseAddress(template)
	if err != nil {
		return ""
	}
	to, err := a.Fill(s.Lookup)
	if err != nil {
		return ""
	}
	return to
}

// keys are what a table is asked for: the id of an answer, and where no row has that its label; else the value of a
// name.
func (s Source) keys(name string) []string {
	var out []string
	for _, n := range []string{name + ".id", name} {
		if values, known := s.Lookup(n); known && len(values) > 0 {
			out = append(out, values[0])
		}
	}
	return out
}

// Products are the keys of the products of an ending, each once, in order: those that it lists, and those whose
// conditions hold.
func Products(d *quiz.Document, e *quiz.Ending, facts rule.Facts) []string {
	skus := slices.Clone(e.Products)
	if rec := d.Recommendations; rec != nil {
		for _, line := range rec.Lines {
			if line.When != nil && !line.When.Holds(facts) {
				continue
			}
			skus = append(skus, line.Product)
			if rec.Mode != "all" {
				break
			}
		}
		if rec.Limit > 0 && len(skus) > rec.Limit {
			skus = skus[:rec.Limit]
		}
	}
	var out []string
	for _, sku := range skus {
		if !slices.Contains(out, sku) {
			out = append(out, sku)
		}
	}
	return out
}
