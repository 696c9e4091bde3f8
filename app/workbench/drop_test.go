package workbench

import (
	"encoding/json"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/rule"
)

// A column that is deleted takes its figures with it, every one of them and no other; undo brings all of it back.
func TestAColumnGoesWithItsFigures(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 3))
	gone := 0
	for range 200 {
		d := quiztest.Random(r, quiztest.Size{Questions: 5, Choices: 4})
		text, err := json.Marshal(d)
		require.NoError(t, err)
		for list, ids := range map[string][]string{"scales": scaleIDs(d), "keywords": keywordIDs(d)} {
			for i, id := range ids {
				e, err := quiz.Edit(text, dropColumn(d, list, i).Patch)
				require.NoError(t, err)
				before, after := figures(d, list), figures(e.Document, list)
				gone += len(before[id])
				delete(before, id)
				require.Equal(t, before, after)
				back, err := quiz.Edit(e.Text, e.Inverse)
				require.NoError(t, err)
				require.JSONEq(t, string(text), string(back.Text))
			}
		}
	}
	require.Greater(t, gone, 500)
}

// Property: whatever line is deleted, a notice says so, nothing else that has an id goes, a second click finds nothing more to
// delete, and one undo brings all of it back.
func TestWhateverIsDeletedComesBack(t *testing.T) {
	deleted := map[string]int{}
	for seed := range uint64(40) {
		d := quiztest.Random(rand.New(rand.NewPCG(seed, 26)), quiztest.Size{Questions: 5, Choices: 4, Text: true})
		text, err := json.Marshal(d)
		require.NoError(t, err)
		ids := d.IDs()
		for list := range ids {
			for i := range ids[list] {
				at := list + quiz.Pointer(i)
				change, err := drop(d, at, nil)
				require.NoError(t, err, at)
				require.Contains(t, change.Said, "eleted", at)
				e, err := quiz.Edit(text, change.Patch)
				require.NoError(t, err, at)
				_, there := e.Document.Find(d.Ref(at))
				require.False(t, there, "a second click on %s finds it again", at)
				left := e.Document.IDs()
				for other, was := range ids {
					switch {
					case strings.HasPrefix(other, at+"/"): // it went with what it belongs to
					case other == list:
						require.Equal(t, slices.Delete(slices.Clone(was), i, i+1), slices.Clip(append([]string{}, left[list]...)), at)
					case !strings.HasPrefix(other, list+"/"): // lists within later lines have moved up
						require.Equal(t, was, left[other], at)
					}
				}
				back, err := quiz.Edit(e.Text, e.Inverse)
				require.NoError(t, err)
				require.JSONEq(t, string(text), string(back.Text), at)
				deleted[strings.Split(list, "/")[1]]++
			}
		}
	}
	for _, list := range []string{"scales", "keywords", "questions", "outcomes"} {
		require.Positive(t, deleted[list], list)
	}
}

func scaleIDs(d *quiz.Document) (out []string) {
	for _, s := range d.Scales {
		out = append(out, s.ID)
	}
	return out
}

func keywordIDs(d *quiz.Document) (out []string) {
	for _, k := range d.Keywords {
		out = append(out, k.ID)
	}
	return out
}

// figures are what is given to the columns of a list, by column: where, and how much.
func figures(d *quiz.Document, list string) map[string]map[string]string {
	out := map[string]map[string]string{}
	put := func(at string, given map[string]rule.Number) {
		for id, n := range given {
			if out[id] == nil {
				out[id] = map[string]string{}
			}
			out[id][at] = n.String()
		}
	}
	for i := range d.Questions {
		q := &d.Questions[i]
		for j := range q.Choices {
			at := quiz.Pointer("questions", i, "choices", j)
			put(at, map[string]map[string]rule.Number{"scales": q.Choices[j].Points, "keywords": q.Choices[j].Votes}[list])
		}
		for j := range q.Steps {
			at := quiz.Pointer("questions", i, "steps", j)
			put(at, map[string]map[string]rule.Number{"scales": q.Steps[j].Points, "keywords": q.Steps[j].Votes}[list])
		}
		for id, l := range q.Linear {
			if list == "scales" {
				put(quiz.Pointer("questions", i, "factor"), map[string]rule.Number{id: l.Factor})
			}
		}
	}
	return out
}
