package responses

import (
	"encoding/json"
	"fmt"
	"math"
	"strconv"
	"strings"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"omphalos/app/store/database"
	"omphalos/core/quiz"
)

// Sort is an order of responses: by when they were finished, the newest first, or by something else and then by that.
type Sort struct {
	By        string // "", one of the Sort constants, or a scale's column such as scale.fit
	Ascending bool
}

// What responses are sorted by, next to scales.
const (
	SortOutcome = "outcome"
	SortSource  = "source"
	SortName    = "name"
	SortDeal    = "deal"
	SortVersion = "version"
)

// unscored stands for a score that a response has not: below all.
const unscored = -math.MaxFloat64

// expressions are what the database sorts by.
var expressions = map[string]string{
	SortOutcome: "outcome",
	SortSource:  "source",
	SortName:    "name",
	SortDeal:    "COALESCE((SELECT state FROM deals WHERE response_id = responses.id), '')",
	SortVersion: "version",
}

// Known reports whether there is such an order.
func (s Sort) Known() bool { return s.By == "" || s.expression(database.OnSQLite) != "" }

func (s Sort) expression(d *database.Dialect) string {
	if id, isScale := strings.CutPrefix(s.By, "scale."); isScale && quiz.ValidID(id) {
		return "COALESCE(" + fmt.Sprintf(d.Score, id) + ", " + strconv.FormatFloat(unscored, 'g', -1, 64) + ")"
	}
	return expressions[s.By]
}

// Sorted is a reader of the same responses in another order.
func (r *Reader) Sorted(s Sort) *Reader {
	sorted := *r
	if sorted.sort = s; !s.Known() {
		sorted.sort = Sort{}
	}
	return &sorted
}

// CursorOf is the place of a response in the reader's order.
func (r *Reader) CursorOf(one *Response) (Cursor, error) {
	c := Cursor{At: one.At, ID: one.ID}
	id, isScale := strings.CutPrefix(r.sort.By, "scale.")
	switch {
	case isScale:
		var scores map[string]string
		_ = json.Unmarshal(one.Scores, &scores) // what cannot be read has no score
		n, err := strconv.ParseFloat(scores["scale."+id], 64)
		if err != nil {
			n = unscored
		}
		c.Value = strconv.FormatFloat(n, 'g', -1, 64)
	case r.sort.By == SortOutcome:
		c.Value = one.Outcome
	case r.sort.By == SortSource:
		c.Value = one.Source
	case r.sort.By == SortName:
		c.Value = one.Name
	case r.sort.By == SortVersion:
		c.Value = strconv.Itoa(one.Version)
	case r.sort.By == SortDeal:
		deal, err := r.s.DealOf(one.ID)
		if err != nil {
			return c, err
		}
		c.Value = deal.State
	}
	return c, nil
}

// ordered puts a query into the order, or its reverse, behind a place.
func (r *Reader) ordered(q *gorm.DB, c Cursor, reversed bool) *gorm.DB {
	direction, sign := " DESC", "<"
	if r.sort.Ascending != reversed {
		direction, sign = "", ">"
	}
	by := r.sort.expression(r.s.Dialect)
	if by == "" {
		q = q.Order("at" + direction + ", id" + direction)
		if c.ID != "" {
			q = q.Where("(at, id) "+sign+" (?, ?)", c.At.UTC(), c.ID)
		}
		return q
	}
	q = q.Clauses(clause.OrderBy{Expression: clause.Expr{SQL: by + direction + ", at" + direction + ", id" + direction}})
	if c.ID == "" {
		return q
	}
	var value any = c.Value
	if n, err := strconv.ParseFloat(c.Value, 64); err == nil && strings.HasPrefix(r.sort.By, "scale.") {
		value = n
	}
	if n, err := strconv.Atoi(c.Value); err == nil && r.sort.By == SortVersion {
		value = n
	}
	return q.Where("("+by+", at, id) "+sign+" (?, ?, ?)", value, c.At.UTC(), c.ID)
}
