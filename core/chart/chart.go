// Package chart draws a respondent’s scales, percentages, percentiles or keywords as bars or on a radar. It produces
// SVG whose colours come from classes, so the page’s theme decides, and the same values as rows of a table.
package chart

import (
	"fmt"
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// Chart is what is drawn.
type Chart struct {
	Kind   string
	Axes   []Axis
	Beside bool // another figure stands next to each
	RTL    bool
}

// Axis is one figure.
type Axis struct {
	Name   string
	Text   string  // as people read it
	Share  float64 // of the way from the least to the most: 0 to 1
	Beside string  // the figure next to it, "" for none
	Level  float64 // of the figure next to it
}

// Of reads a chart off a walk. Figures that are blank, such as a standing without a norm, are left out.
func Of(d *quiz.Document, c *quiz.Chart, r *walk.Result) Chart {
	out := Chart{Kind: c.Kind, Beside: c.Beside == quiz.BesideNorm}
	if c.Of.Keywords() {
		out.Axes, out.Beside = keywords(d, r), false
		return out
	}
	for _, fact := range c.Of {
		if a, ok := axis(d, r, fact); ok {
			if !out.Beside {
				a.Beside, a.Level = "", 0
			}
			out.Axes = append(out.Axes, a)
		}
	}
	return out
}

// axis is a scale, its percent or its standing.
func axis(d *quiz.Document, r *walk.Result, fact string) (Axis, bool) {
	root, id, _ := strings.Cut(fact, ".")
	for i := range d.Scales {
		if d.Scales[i].ID != id || i >= len(r.Scales) {
			continue
		}
		s := &d.Scales[i]
		a := Axis{Name: s.Title()}
		mean, known := s.Norm.Mean()
		switch root {
		case "percentile":
			standing, there := s.Norm.Percentile(r.Scales[i])
			a.Text, a.Share = standing.Round(1).String(), share(standing, rule.Number{}, rule.Int(100))
			a.Beside, a.Level = "50", 0.5
			return a, there
		case "percent":
			n := r.Percents[i].Number()
			a.Text, a.Share = n.Round(0).String()+" %", share(n, rule.Number{}, rule.Int(100))
			if most := r.Percents[i].Most; known && most.Sign() > 0 {
				beside := rule.Ratio(mean.Sub(s.Start).Mul(rule.Int(100)), most)
				a.Beside, a.Level = beside.Round(0).String()+" %", share(beside, rule.Number{}, rule.Int(100))
			}
			return a, true
		default:
			least := least(rule.Number{}, s.Start, r.Scales[i])
			most := greatest(s.Start.Add(r.Percents[i].Most), r.Scales[i])
			a.Text, a.Share = r.Scales[i].Round(2).String(), share(r.Scales[i], least, most)
			if known {
				a.Beside, a.Level = mean.Round(1).String(), share(mean, least, most)
			}
			return a, true
		}
	}
	return Axis{}, false
}

// keywords are the votes for each, against the most that any has.
func keywords(d *quiz.Document, r *walk.Result) []Axis {
	most := rule.Number{}
	for _, n := range r.Keywords {
		most = greatest(most, n)
	}
	var out []Axis
	for i := range d.Keywords {
		if i < len(r.Keywords) {
			votes := r.Keywords[i]
			out = append(out, Axis{
				Name: d.Keywords[i].Title(), Text: votes.Round(2).String(), Share: share(votes, rule.Number{}, most),
			})
		}
	}
	return out
}

// share is how far a number is from least to most, within them.
func share(n, least, most rule.Number) float64 {
	span := most.Sub(least)
	if span.Sign() <= 0 {
		return 0
	}
	return max(0, min(1, rule.Ratio(n.Sub(least), span).Float()))
}

func least(list ...rule.Number) rule.Number {
	out := list[0]
	for _, n := range list[1:] {
		if n.Cmp(out) < 0 {
			out = n
		}
	}
	return out
}

func greatest(list ...rule.Number) rule.Number {
	out := list[0]
	for _, n := range list[1:] {
		if n.Cmp(out) > 0 {
			out = n
		}
	}
	return out
}

// Words says the chart for who cannot see it: "Fit 64 %, others 50 %; Urgency 20 %".
func (c *Chart) Words(others string) string {
	var parts []string
	for _, a := range c.Axes {
		part := a.Name + " " + a.Text
		if a.Beside != "" {
			part += fmt.Sprintf(", %s %s", others, a.Beside)
		}
		parts = append(parts, part)
	}
	return strings.Join(parts, "; ")
}
