package reach

import (
	"context"
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/quiztest"
)

// expiring is a time for counting that is up once it has been looked at so often.
type expiring struct {
	context.Context
	looks int
}

func (e *expiring) Err() error {
	if e.looks--; e.looks < 0 {
		return context.DeadlineExceeded
	}
	return nil
}

// Wherever the time for counting is up, the report is whole: exact as ever, or simulated and said so.
func TestTheTimeIsUpAnywhere(t *testing.T) {
	r := rand.New(rand.NewPCG(16, 7))
	for n, d := range []*quiz.Document{
		scored(6, 4, plain), keywords(4, 3, "latest"), scored2(4, 3),
		quiztest.Random(r, quiztest.Size{Questions: 5, Choices: 3}), quiztest.Random(r, quiztest.Size{Questions: 5, Choices: 3}),
	} {
		o := Options{Budget: DemandBudget, Samples: 300, Moved: true}
		whole, err := Check(t.Context(), d, o)
		require.NoError(t, err)
		require.True(t, whole.Exact)
		exact, simulated := 0, 0
		for looks := 0; exact < 5; looks++ {
			var c Counter
			counting := &expiring{t.Context(), looks}
			require.NoError(t, c.startModel(t.Context(), counting, d, o))
			got, err := c.check(t.Context(), counting, o)
			at := fmt.Sprint("quiz ", n, ", look ", looks)
			require.NoError(t, err, at)
			require.Len(t, got.Questions, len(d.Questions), at)
			require.Len(t, got.Scales, len(d.Scales), at)
			if got.Exact {
				exact++
			} else {
				simulated++
			}
			if got.Samples > 0 {
				continue
			}
			require.Equal(t, whole.Outcomes, got.Outcomes, at)
			for i := range got.Questions {
				require.Equal(t, whole.Questions[i].Influence, got.Questions[i].Influence, at)
				require.Equal(t, whole.Questions[i].Matters, got.Questions[i].Matters, at)
			}
		}
		require.Greater(t, simulated, 10)
	}
}
