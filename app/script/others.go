package script

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/core/quiz"
)

// otherQuiz is another quiz whose questions can be taken over.
type otherQuiz struct {
	Name      string
	Questions []otherQuestion
}

type otherQuestion struct {
	Text    string
	Answers int
	Patch   string
}

// others answers with the questions of all other quizzes, each with the edit that adds it here.
func (h *Handler) others(c *gin.Context) {
	d := h.Bench.Load(c)
	if d == nil {
		return
	}
	list, err := h.Store.Quizzes()
	if err != nil {
		c.String(http.StatusInternalServerError, "The other quizzes could not be read: %v", err)
		return
	}
	var out []otherQuiz
	for i := range list {
		if list[i].ID == d.Quiz.ID {
			continue
		}
		other, err := quiz.ReadDraft(list[i].Document)
		if err != nil || len(other.Questions) == 0 {
			continue
		}
		o := otherQuiz{Name: list[i].Name}
		for n := range other.Questions {
			q := &other.Questions[n]
			o.Questions = append(
				o.Questions,
				otherQuestion{q.Title(), len(q.Choices), quiz.JSON(quiz.Adopt(d.Doc, other, n)...)},
			)
		}
		out = append(out, o)
	}
	c.Data(
		http.StatusOK,
		"text/html; charset=utf-8",
		page.Execute(
			templates,
			"others",
			map[string]any{"Quizzes": out, "Focus": quiz.Pointer("questions", len(d.Doc.Questions), "text")},
		),
	)
}
