package workbench

import (
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/account"
	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/core/fact"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
)

// shareField is a question, a row of a grid or a fact about the visitor with the share of each of its values.
type shareField struct {
	Name   string
	Each   bool // picked independently: the shares need not sum to 100%
	Values []shareValue
}

type shareValue struct {
	Name  string
	Key   string // field and value, as the form sends them
	Typed string // in percent; "" where nothing was typed
	Even  string // what it counts as then
}

func (h *Handler) showAssumed(c *gin.Context) {
	if d := h.Load(c); d != nil {
		c.Data(http.StatusOK, "text/html; charset=utf-8", page.Execute(reachTemplate, "assumed", shareFields(d)))
	}
}

func shareFields(d *Draft) []shareField {
	typed := edit.ReadAssumed(d.Quiz.Assumed)
	full := reach.Complete(d.Doc, typed)
	var out []shareField
	add := func(field, name string, q *quiz.Question) {
		values := reach.Values(d.Doc, q)
		if values == nil {
			return
		}
		f := shareField{Name: name, Each: kind.Of(q).About().Many}
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
		if !kind.Of(q).About().Rows {
			add(q.ID, name, q)
			continue
		}
		for _, row := range q.Rows {
			add(q.ID+"."+row.ID, name+", "+quiz.FirstOf(row.Label, row.ID), q)
		}
	}
	for _, k := range fact.All() {
		values := reach.ValuesBefore(d.Doc, k)
		if len(values) == 0 {
			continue
		}
		group, _, _ := strings.Cut(k.Name, ".")
		f := shareField{Name: strings.ToUpper(k.Words[:1]) + k.Words[1:]}
		for _, v := range values {
			s := shareValue{Name: d.Doc.ValueName(k.Name, rule.Scalar{Text: v}), Key: group + " " + k.ID() + " " + v}
			if v == "*" {
				s.Name = "any other"
			}
			if p, ok := typed.Before(k)[v]; ok {
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
func (h *Handler) typeShare(c *gin.Context) {
	var body struct{ Key, Share string }
	if err := c.ShouldBindJSON(&body); err != nil {
		refuse(
			c,
			http.StatusBadRequest,
			"refused",
			"The share wasn’t saved because the request was damaged. Reload the page and try again.",
		)
		return
	}
	parts := strings.SplitN(body.Key, " ", 3)
	if len(parts) != 3 || parts[0] != "answers" && fact.Find(parts[0]+"."+parts[1]) == nil {
		refuse(c, http.StatusBadRequest, "refused", "This answer no longer exists. Reload the page.")
		return
	}
	q, err := h.Editor.SetShare(
		Actor(c),
		c.Param("id"),
		edit.Share{Group: parts[0], Field: parts[1], Value: parts[2], Text: body.Share},
	)
	if kind := edit.KindOf(err); kind != 0 {
		refuse(c, edit.Status(err), kinds[kind], err.Error())
		return
	}
	var d *Draft
	if err == nil {
		d, err = h.draft(q, account.Of(c))
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.PureJSON(http.StatusOK, gin.H{"html": string(page.Execute(reachTemplate, "assumed", shareFields(d)))})
}
