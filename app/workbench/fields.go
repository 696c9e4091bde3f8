package workbench

import (
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/core/fact"
	"omphalos/core/message"
	"omphalos/core/quiz"
)

// Field is something that texts and addresses can be filled in with, by the words of the quiz.
type Field struct {
	Group string `json:"group"`
	Name  string `json:"name"`
	Value string `json:"value"` // what stands in the braces
	Param string `json:"param"` // how an address calls it: "how_often", "fit_percent"
}

// maxParam is how many characters the name of a parameter has: it is read in statistics.
const maxParam = 24

// paramOf names a parameter after words. Where they have no letters it is the field's own name.
func paramOf(words, value string) string {
	if name := edit.Slug(words, maxParam); name != "" {
		return strings.ReplaceAll(name, "-", "_")
	}
	return value[strings.LastIndexByte(value, '.')+1:]
}

// Fillables are all that texts and addresses of a quiz can be filled in with.
func Fillables(d *quiz.Document) []Field {
	var out []Field
	put := func(group, name, value string) {
		words := name
		if group == "Contact step" || group == "Link" || group == "Response" {
			words = "" // their names are words already
		}
		out = append(out, Field{group, name, value, paramOf(words, value)})
	}
	for i := range d.Questions {
		if q := &d.Questions[i]; Whole(q) {
			put("Answers", quiz.Shorten(q.Title(), 60), q.ID)
		}
	}
	for i := range d.Scales {
		s := &d.Scales[i]
		put("Scores", s.Title(), "scale."+s.ID)
		put("Scores", s.Title()+" in percent", "percent."+s.ID)
		if len(s.Norm) > 0 {
			put("Scores", "percentile on "+s.Title(), "percentile."+s.ID)
		}
	}
	for i := range d.Keywords {
		put("Scores", "votes for "+d.Keywords[i].Title(), "keyword."+d.Keywords[i].ID)
	}
	if len(d.Keywords) > 0 {
		put("Scores", "leading keyword", "leader")
	}
	for _, c := range d.Computed {
		put("Computed values", quiz.FirstOf(c.Name, c.ID), "computed."+c.ID)
	}
	if d.Contact != nil && d.Contact.Place != quiz.ContactNone {
		for _, f := range d.Contact.Fields {
			put("Contact step", quiz.FirstOf(f.Label, f.ID), "contact."+f.ID)
		}
	}
	for _, p := range d.Params {
		k := fact.Find(fact.Param(p))
		put(k.Group, k.Words, k.Name)
	}
	put("Response", "response ID", "lead.id")
	put("Response", "the outcome’s heading", "outcome.heading")
	put("Response", "the outcome’s internal name", "outcome.name")
	put("Response", "respondent’s country", "visitor.country")
	put("Response", "respondent’s language", "language")
	return out
}

// ForTeam are those that only messages to the team can be filled in with.
const ForTeam = "Internal (for your team)"

// fields answers with what can be filled in, for the menu next to a field.
func (h *Handler) fields(c *gin.Context) {
	d := h.Load(c)
	if d == nil {
		return
	}
	files, err := h.Store.Documents.Handouts(d.Quiz.ID)
	if err != nil {
		page.Failed(c, err)
		return
	}
	list := Fillables(d.Doc)
	for _, f := range files {
		list = append(list, Field{"Files", "address of " + f.Name, "file." + f.ID, "file"})
	}
	list = append(list,
		Field{ForTeam, "all answers, as a list", message.Answers, "answers"},
		Field{ForTeam, "why this outcome was reached", message.Reason, "reason"},
		Field{ForTeam, "link to the response in Leads", message.LeadAt, "lead"})
	c.JSON(http.StatusOK, gin.H{"revision": d.Quiz.Revision, "fields": list})
}
