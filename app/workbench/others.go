package workbench

import (
	"encoding/json"
	"net/http"

	"github.com/gin-gonic/gin"

	"omphalos/app/account"
	"omphalos/app/page"
	"omphalos/core/quiz"
)

// otherQuiz is another quiz of which something can be taken over.
type otherQuiz struct {
	Name  string
	Parts []otherPart
}

// otherPart is one thing of it, with the edit that brings it here.
type otherPart struct {
	Kind, Text, Note string
	Patch            string
	Focus            string // where to continue; "" for where they are
}

// What is asked for of other quizzes, by the room that asks.
const (
	ofEndings  = "endings"
	ofMessages = "messages"
)

// others answers with what can be taken over from all other quizzes that someone sees: questions and scales, endings
// and looks, or messages.
func (h *Handler) others(c *gin.Context) {
	d := h.Load(c)
	if d == nil {
		return
	}
	list, err := h.Store.People.QuizzesOf(account.Of(c))
	if err != nil {
		c.String(http.StatusInternalServerError, "Couldn’t load your other quizzes: %v", err)
		return
	}
	of := c.Query("of")
	var out []otherQuiz
	for i := range list {
		if list[i].ID == d.Quiz.ID {
			continue
		}
		other, err := quiz.ReadDraft(list[i].Document)
		if err != nil {
			continue
		}
		if o := (otherQuiz{list[i].Name, partsOf(d.Doc, other, of)}); len(o.Parts) > 0 {
			out = append(out, o)
		}
	}
	v := map[string]any{"Quizzes": out, "Of": of}
	c.Data(http.StatusOK, "text/html; charset=utf-8", page.Execute(reachTemplate, "others", v))
}

// added is the text of the question that an edit adds, "" where it adds none.
func added(ops []quiz.Operation) string {
	for _, op := range ops {
		var q quiz.Question
		if op.Path == "/questions/-" && json.Unmarshal(op.Value, &q) == nil {
			return "/questions/@" + q.ID + "/text"
		}
	}
	return ""
}

func partsOf(d, other *quiz.Document, of string) []otherPart {
	var out []otherPart
	put := func(kind, text, note string, ops []quiz.Operation) {
		if len(ops) > 0 {
			out = append(out, otherPart{kind, text, note, quiz.JSON(ops...), added(ops)})
		}
	}
	switch of {
	case ofEndings:
		for i := range other.Outcomes {
			put("ending", other.Outcomes[i].Title(), "", quiz.AdoptOutcome(d, other, i))
		}
		put("look", "Look", "colours, fonts, logo, picture", quiz.AdoptLook(d, other))
	case ofMessages:
		for i := range other.Messages {
			put("message", other.Messages[i].Title(), other.MessageSentence(&other.Messages[i]), quiz.AdoptMessage(d, other, i))
		}
	default:
		for i := range other.Questions {
			note := ""
			if n := len(other.Questions[i].Choices); n > 0 {
				note = page.Plural(n, "answer", "answers")
			}
			put("question", other.Questions[i].Title(), note, quiz.Adopt(d, other, i))
		}
		for i := range other.Scales {
			put("scale", other.Scales[i].Title(), "a scale", quiz.AdoptScale(d, other, i))
		}
	}
	return out
}
