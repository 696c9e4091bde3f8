package main

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// dealt is a quiz of one question whose points run against what wins, cut at a value.
func dealt(cut int) string {
	return fmt.Sprintf(`{"format": "omphalos-quiz/1", "name": "Deals", "scales": [{"id": "fit", "name": "Fit"}], "questions": [
		{"id": "size", "kind": "single", "required": true, "choices": [{"id": "s", "label": "Small", "points": {"fit": 1}}, {"id": "l", "label": "Large", "points": {"fit": 4}}]},
		{"id": "n", "kind": "number", "from": 0, "to": 9, "linear": {"fit": {"factor": 1}}}],
		"outcomes": [{"id": "low"}, {"id": "high"}], "verdicts": [{"bands": {"on": "scale.fit", "cuts": [{"from": 0, "outcome": "low"}, {"from": %d, "outcome": "high"}]}}], "otherwise": "low"}`, cut)
}

func TestLearnAndReplayOnTheCommandLine(t *testing.T) {
	program, dir := build(t), t.TempDir()
	write := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	write("live.json", dealt(5))
	write("draft.json", dealt(8))
	rows := []string{"who,size,n,won"}
	for i := range 60 {
		size, won := "s", i%3 == 0
		if i%2 == 0 {
			size, won = "Large", i%3 != 0
		}
		rows = append(rows, fmt.Sprintf("p%d,%s,%d,%d", i, size, i%10, map[bool]int{true: 1}[won]))
	}
	rows = append(rows, "bad,medium,1,1", "unknown,s,,", "odd,s,3,maybe")
	write("rows.csv", strings.Join(rows, "\n")+"\n")

	out, errs, code := command(t, program, dir, "learn", "live.json", "rows.csv", "--json")
	require.Equal(t, 0, code)
	require.Contains(t, errs, "row 62, column size")
	require.Contains(t, errs, `row 64, column won: "maybe"`)
	var learned struct {
		Responses int
		Outcomes  []struct {
			ID                         string
			Count                      int
			Share, Low, High, Expected float64
		}
		Questions []struct {
			ID           string
			Asked, Blank int
			Choices      []struct {
				ID    string
				Count int
			}
			Information float64
		}
		Scales []struct {
			ID       string
			Complete int
			Alpha    *float64
			Items    []struct{ ID string }
		}
		Won struct {
			Won, Lost int
			Scales    []struct{ AUC, Low, High float64 }
			Suggested *struct {
				Scale   string
				Folds   int
				Weights []struct {
					Question, Choice string
					Now              float64
					Points           int
				}
			}
		}
	}
	require.NoError(t, json.Unmarshal([]byte(out), &learned))
	require.Equal(t, 62, learned.Responses)
	require.Equal(t, learned.Responses, learned.Outcomes[0].Count+learned.Outcomes[1].Count)
	require.Greater(t, learned.Outcomes[1].Expected, 0.0)
	require.Equal(t, 1, learned.Questions[1].Blank)
	require.Equal(t, 30, learned.Questions[0].Choices[1].Count, "labels are taken as in score")
	require.Equal(t, 61, learned.Scales[0].Complete)
	require.Equal(t, "n", learned.Scales[0].Items[1].ID)
	require.Equal(t, 60, learned.Won.Won+learned.Won.Lost)
	require.Equal(t, 10, learned.Won.Suggested.Folds)
	require.Len(t, learned.Won.Suggested.Weights, 2)
	out, _, code = command(t, program, dir, "learn", "live.json", "rows.csv")
	require.Equal(t, 0, code)
	require.Contains(t, out, "suggested weights of Fit")

	out, _, code = command(t, program, dir, "replay", "draft.json", "rows.csv", "--against", "live.json", "--json")
	require.Equal(t, 0, code)
	var replayed struct {
		Rows, Moved int
		Moves       []struct {
			From, To string
			Count    int
			Rows     []int
		}
		Unusable []int
	}
	require.NoError(t, json.Unmarshal([]byte(out), &replayed))
	require.Equal(t, 62, replayed.Rows)
	require.Equal(t, []int{61}, replayed.Unusable)
	require.Len(t, replayed.Moves, 1)
	require.Equal(t, "high", replayed.Moves[0].From)
	require.Equal(t, "low", replayed.Moves[0].To)
	require.Equal(t, replayed.Moved, replayed.Moves[0].Count)
	moved := 0
	for i := range 60 {
		fit := i%10 + 1
		if i%2 == 0 {
			fit += 3
		}
		if fit >= 5 && fit < 8 {
			moved++
		}
	}
	require.Equal(t, moved, replayed.Moved)

	for _, args := range [][]string{{"learn", "missing.json", "rows.csv"}, {"learn", "live.json", "missing.csv"}, {"replay", "draft.json", "missing.csv", "--against", "live.json"}, {"replay", "draft.json", "rows.csv", "--against", "missing.json"}} {
		_, errs, code = command(t, program, dir, args...)
		require.Equal(t, 2, code, args)
		require.NotEmpty(t, errs)
	}
}
