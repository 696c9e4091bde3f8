package workbench

import (
	"encoding/json"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/core/quiz"
	"omphalos/core/reach"
)

// typedShares are the shares that the team has typed; none is empty.
func typedShares(q *store.Quiz) *reach.Assumption {
	a := &reach.Assumption{}
	if len(q.Assumed) > 0 {
		_ = json.Unmarshal(q.Assumed, a) // only this program writes it; what cannot be read assumes nothing
	}
	if a.Answers == nil {
		a.Answers = map[string]map[string]float64{}
	}
	if a.Visitor == nil {
		a.Visitor = map[string]map[string]float64{}
	}
	return a
}

// shareField is a question, a row of a grid or a fact about the visitor with the share of each of its values.
type shareField struct {
	Name   string
	Each   bool // picked independently: the shares need not sum to 100 %
	Values []shareValue
}

type shareValue struct {
	Name  string
	Key   string // field and value, as the form sends them
	Typed string // in percent; "" where nothing was typed
	Even  string // what it counts as then
}

func (b *Bench) showAssumed(c *gin.Context) {
	if d := b.Load(c); d != nil {
		c.Data(http.StatusOK, "text/html; charset=utf-8", page.Execute(reachTemplate, "assumed", shareFields(d)))
	}
}

func shareFields(d *Draft) []shareField {
	typed := typedShares(d.Quiz)
	full := reach.Complete(d.Doc, typed)
	var out []shareField
	add := func(field, name string, q *quiz.Question) {
		values := reach.Values(d.Doc, q)
		if values == nil {
			return
		}
		f := shareField{Name: name, Each: q.Kind == quiz.Multiple}
		for _, v := range values {
			s := shareValue{Name: choiceName(q, v), Key: "answers " + field + " " + v}
			if v == "" {
				s.Name = "left blank"
			}
			if p, ok := typed.Answers[field][v]; ok {
				s.Typed = percentText(p)
			}
			even := 1 / float64(len(values))
			if f.Each {
				even = 0.5
			}
			if shares, ok := full.Answers[field]; ok {
				even = shares[v]
			}
			s.Even = percentText(even)
			f.Values = append(f.Values, s)
		}
		out = append(out, f)
	}
	for i := range d.Doc.Questions {
		q := &d.Doc.Questions[i]
		name := strconv.Itoa(i+1) + " " + q.Title()
		if q.Kind != quiz.Grid {
			add(q.ID, name, q)
			continue
		}
		for _, row := range q.Rows {
			add(q.ID+"."+row.ID, name+", "+quiz.FirstOf(row.Label, row.ID), q)
		}
	}
	for _, fact := range []string{"country", "language", "device"} {
		values := reach.Mentioned(d.Doc, "visitor."+fact)
		if len(values) == 0 {
			continue
		}
		f := shareField{Name: "The visitor’s " + fact}
		for _, v := range append(values, "*") {
			s := shareValue{Name: v, Key: "visitor " + fact + " " + v}
			if fact == "country" {
				s.Name = quiz.CountryName(v)
			}
			if v == "*" {
				s.Name = "any other"
			}
			if p, ok := typed.Visitor[fact][v]; ok {
				s.Typed = percentText(p)
			}
			f.Values = append(f.Values, s)
		}
		out = append(out, f)
	}
	return out
}

func percentText(p float64) string {
	return strings.TrimSuffix(strings.TrimRight(strconv.FormatFloat(100*p, 'f', 2, 64), "0"), ".")
}

// typeShare stores one share that was typed, or takes it away when it is empty.
func (b *Bench) typeShare(c *gin.Context) {
	d := b.Load(c)
	if d == nil {
		return
	}
	var body struct{ Key, Share string }
	if err := c.ShouldBindJSON(&body); err != nil {
		c.JSON(http.StatusBadRequest, gin.H{"message": "The share could not be read: " + err.Error()})
		return
	}
	parts := strings.SplitN(body.Key, " ", 3)
	if len(parts) != 3 || parts[0] != "answers" && parts[0] != "visitor" {
		c.JSON(http.StatusBadRequest, gin.H{"message": "The share names no answer of this quiz."})
		return
	}
	typed := typedShares(d.Quiz)
	group := typed.Answers
	if parts[0] == "visitor" {
		group = typed.Visitor
	}
	field, value := parts[1], parts[2]
	text := strings.TrimSuffix(strings.TrimSpace(strings.ReplaceAll(body.Share, ",", ".")), "%")
	if text == "" {
		if delete(group[field], value); len(group[field]) == 0 {
			delete(group, field)
		}
	} else {
		p, err := strconv.ParseFloat(strings.TrimSpace(text), 64)
		if err != nil || !(p >= 0 && p <= 100) {
			c.JSON(http.StatusUnprocessableEntity, gin.H{"message": "Type a share from 0 to 100 per cent."})
			return
		}
		if group[field] == nil {
			group[field] = map[string]float64{}
		}
		group[field][value] = p / 100
	}
	data, err := json.Marshal(typed)
	if err == nil {
		err = b.Store.SetAssumed(d.Quiz.ID, data)
	}
	if err != nil {
		c.JSON(http.StatusInternalServerError, gin.H{"message": "The share could not be stored: " + err.Error()})
		return
	}
	d.Quiz.Assumed = data
	c.PureJSON(http.StatusOK, gin.H{"html": string(page.Execute(reachTemplate, "assumed", shareFields(d)))})
}
