package workbench

import (
	"fmt"
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// Cell is a cell of a matrix: the number of the matrix's line, and the bands of its two numbers. Bands count from 1; 0
// is what is below the lowest cut point.
type Cell struct{ Line, Down, Across int }

// String is the cell in an address; CellOf reads it.
func (c Cell) String() string { return fmt.Sprintf("%d.%d.%d", c.Line, c.Down, c.Across) }

// CellOf reads a cell, and reports whether a matrix that is on has it.
func CellOf(d *quiz.Document, text string) (c Cell, ok bool) {
	if _, err := fmt.Sscanf(text, "%d.%d.%d", &c.Line, &c.Down, &c.Across); err != nil || c.String() != text {
		return Cell{}, false
	}
	if c.Line < 1 || c.Line > len(d.Verdicts) {
		return Cell{}, false
	}
	v := &d.Verdicts[c.Line-1]
	if v.Matrix == nil || v.Off {
		return Cell{}, false
	}
	in := func(band int, e *quiz.Edge) bool { return len(e.Cuts) > 0 && band >= 0 && band <= len(e.Cuts) }
	return c, in(c.Down, &v.Matrix.Down) && in(c.Across, &v.Matrix.Across)
}

// In says which values fall in the cell.
func (c Cell) In(d *quiz.Document) string {
	m := d.Verdicts[c.Line-1].Matrix
	return bandName(d, &m.Across, c.Across) + ", " + bandName(d, &m.Down, c.Down)
}

func bandName(d *quiz.Document, e *quiz.Edge, band int) string {
	value := func(n rule.Number) string { return n.String() + EdgeUnit(e) }
	name := d.FactName(e.On)
	switch {
	case band == 0:
		return name + " under " + value(e.Cuts[0])
	case band == len(e.Cuts):
		return name + " from " + value(e.Cuts[band-1])
	}
	return name + " from " + value(e.Cuts[band-1]) + " to under " + value(e.Cuts[band])
}

// EdgeUnit is what stands behind the values of an edge.
func EdgeUnit(e *quiz.Edge) string {
	if strings.HasPrefix(e.On, "percent.") {
		return "%"
	}
	return ""
}
