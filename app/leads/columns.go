package leads

import (
	"html/template"
	"maps"
	"net/url"
	"slices"
	"strings"

	"omphalos/app/page"
	"omphalos/app/store/responses"
	"omphalos/core/quiz"
)

// column is one of the table of people.
type column struct {
	Key    string
	Title  string
	Num    bool
	Shown  bool
	Sort   template.URL // parameters of the table sorted by it; "" where it cannot be
	Sorted string       // ascending or descending, where it is sorted by it
}

// cell is what a column shows of someone.
type cell struct {
	Text  string
	Mark  *page.Mark
	Num   bool
	Quiet bool
}

// sorts are what columns are sorted by, where that is not their own name; "" for those that cannot be.
var sorts = map[string]string{"contact": responses.SortName, "device": "", "country": "", "language": ""}

// usual are the columns that are shown unless others are chosen, next to the scales.
var usual = []string{"outcome", "contact", "source", "deal"}

// columns are those that there are: which of them are shown the address says.
func (v *view) columns(kept url.Values, scales, titles []string) {
	chosen := strings.Split(kept.Get("columns"), ",")
	put := func(key, title string, num bool) {
		c := column{Key: key, Title: title, Num: num}
		if c.Shown = slices.Contains(chosen, key); kept.Get("columns") == "" {
			c.Shown = slices.Contains(usual, key) || strings.HasPrefix(key, "scale.")
		}
		by, other := sorts[key]
		if !other {
			by = key
		}
		if by == "" {
			v.Columns = append(v.Columns, c)
			return
		}
		next := by
		if v.Sort.By == by { // once more turns it round
			c.Sorted = "descending"
			if v.Sort.Ascending {
				c.Sorted = "ascending"
			}
		}
		if !v.Sort.Ascending && v.Sort.By == by || v.Sort.By != by && !strings.HasPrefix(by, "scale.") {
			next = "-" + by // texts begin at their first letter, scores at the highest
		}
		address := maps.Clone(kept)
		address.Set("sort", next)
		if v.View != "" {
			address.Set("view", v.View)
		}
		c.Sort = template.URL(address.Encode())
		v.Columns = append(v.Columns, c)
	}
	put("outcome", "Outcome", false)
	for i, id := range scales {
		put("scale."+id, titles[i], true)
	}
	put("contact", "Contact", false)
	put("source", "Source", false)
	put("deal", "Deal", false)
	put("version", "Version", true)
	put("device", "Device", false)
	put("country", "Country", false)
	put("language", "Language", false)
}

// sorted reads the order that the address asks for: a column, with - before it from its least.
func sorted(text string) responses.Sort {
	by, ascending := strings.CutPrefix(text, "-")
	s := responses.Sort{By: by, Ascending: ascending}
	if !s.Known() {
		return responses.Sort{}
	}
	return s
}

// cell is what a column shows of someone.
func (l *lead) cell(c column) cell {
	switch c.Key {
	case "outcome":
		return cell{Text: l.Mark.Name, Mark: &l.Mark}
	case "contact":
		return cell{Text: l.Who, Quiet: l.Email == ""}
	case "source":
		return cell{Text: quiz.FirstOf(l.Source, "direct"), Quiet: l.Source == ""}
	case "deal":
		return cell{Text: l.DealSays()}
	case "version":
		return cell{Text: page.Thousands(l.Version), Num: true}
	case "device":
		return cell{Text: l.Device}
	case "country":
		if l.Country == "" {
			return cell{}
		}
		return cell{Text: quiz.CountryName(l.Country)}
	case "language":
		if l.Language == "" {
			return cell{}
		}
		return cell{Text: languageName(l.Language)}
	}
	return cell{Text: l.score(strings.TrimPrefix(c.Key, "scale.")), Num: true}
}

// Address are the parameters of the address but for the columns.
func (v *view) Address() url.Values {
	out := maps.Clone(v.kept)
	out.Del("columns")
	if v.View != "" {
		out.Set("view", v.View)
	}
	return out
}

// ByTime are the parameters of the table in the order of time.
func (v *view) ByTime() template.URL {
	out := v.Address()
	out.Del("sort")
	if chosen := v.kept.Get("columns"); chosen != "" {
		out.Set("columns", chosen)
	}
	return template.URL(out.Encode())
}
