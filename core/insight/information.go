package insight

import (
	"math"
	"slices"
)

// Crossing counts how often two things were what they were together: a question's answer and the outcome.
type Crossing struct {
	Of    int
	cells map[[2]string]int
	rows  map[string]int
	cols  map[string]int
}

// Add counts one respondent.
func (c *Crossing) Add(row, col string) { c.AddMany(row, col, 1) }

// AddMany counts n respondents who were alike.
func (c *Crossing) AddMany(row, col string, n int) {
	if c.cells == nil {
		c.cells, c.rows, c.cols = map[[2]string]int{}, map[string]int{}, map[string]int{}
	}
	c.Of += n
	c.cells[[2]string{row, col}] += n
	c.rows[row] += n
	c.cols[col] += n
}

// Information is the mutual information of the two in bits: what knowing one tells of the other (C. E. Shannon, A
// mathematical theory of communication, Bell Syst. Tech. J. 27, 1948).
func (c *Crossing) Information() float64 {
	var terms []float64
	n := float64(c.Of)
	for at, count := range c.cells {
		k := float64(count)
		terms = append(terms, k/n*math.Log2(k*n/(float64(c.rows[at[0]])*float64(c.cols[at[1]]))))
	}
	slices.Sort(terms) // a sum in one order, whatever order the map has
	sum := 0.0
	for _, t := range terms {
		sum += t
	}
	return math.Max(0, sum)
}
