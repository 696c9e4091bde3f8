package script

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

// Every kind of question can become every other: it is then that kind, asks the same, can be answered, and what both kinds have
// is kept, so that going back and forth loses nothing that was typed.
func TestEveryKindBecomesEveryOther(t *testing.T) {
	for _, from := range forms {
		for _, to := range forms {
			if to.Preset {
				continue // it is only a beginning
			}
			t.Run(from.Words+" to "+to.Words, func(t *testing.T) {
				d := quiz.New("Kinds")
				q := from.fresh("q")
				q.Text = "What is it?"
				for i := range q.Choices {
					q.Choices[i].Label = "Answer " + q.Choices[i].ID
				}
				for i := range q.Rows {
					q.Rows[i].Label = "Row " + q.Rows[i].ID
				}
				d.Questions = []quiz.Question{q}
				require.Empty(t, d.Validate())
				patch := become(&d.Questions[0], "/questions/0", to)
				if is(to, &d.Questions[0]) {
					require.Empty(t, patch, "it is that already")
					return
				}
				now := edited(t, d, quiz.JSON(patch...))
				next := &now.Questions[0]
				require.True(t, is(to, next), "%+v", next)
				require.Equal(t, q.Text, next.Text)
				require.Equal(t, q.ID, next.ID)
				require.Empty(t, now.Validate())
				if from.Preset {
					return
				}
				again := edited(t, now, quiz.JSON(become(next, "/questions/0", from)...))
				require.True(t, is(from, &again.Questions[0]))
				for _, kept := range []*quiz.Question{next, &again.Questions[0]} {
					for _, c := range q.Choices {
						require.Equal(t, c.Label, kept.Choices[kept.Choice(c.ID)].Label)
					}
					for _, r := range q.Rows {
						require.Equal(t, r.Label, kept.Rows[kept.Row(r.ID)].Label)
					}
				}
			})
		}
	}
}

// edited applies a patch, as a control carries it, to a draft.
func edited(t *testing.T, d *quiz.Document, patch string) *quiz.Document {
	t.Helper()
	text, err := json.Marshal(d)
	require.NoError(t, err)
	p, err := quiz.ReadPatch([]byte(patch))
	require.NoError(t, err)
	e, err := quiz.Edit(text, p)
	require.NoError(t, err)
	return e.Document
}
