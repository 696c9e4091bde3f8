package app

import (
	"encoding/json"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

var sheetOf = regexp.MustCompile(`(?s)<table class="script[^>]*data-blocks>(.*?)</table>\s*<div class="votebar"`)

// A window that is sent only the blocks it lacks shows, after every edit, just what a program that remembers nothing draws.
func TestAWindowIsSentOnlyWhatItLacks(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	base, revision := "/quizzes/"+q.ID, q.Revision
	have, shown := map[string]string{"nothing": ""}, map[string]string{}
	sent := 0
	for name, patch := range map[string]quiz.Patch{ // in any order: each stands alone
		"an answer":            {quiz.Add("/questions/0/choices/-", quiz.Choice{ID: "new"})},
		"a wording":            {quiz.Add("/questions/1/text", "How bright?")},
		"the deepest colour":   {quiz.Add("/questions/0/choices/0/points", map[string]int{"fit": 90})},
		"a name in a branch":   {quiz.Add("/questions/4/text", "By when?")},
		"a column's name":      {quiz.Add("/scales/0/name", "Suits us")},
		"another column":       {quiz.Add("/scales/-", quiz.Scale{ID: "more", Name: "More"})},
		"a section":            {quiz.Add("/sections", []quiz.Section{{ID: "p", Heading: "Part"}}), quiz.Add("/questions/2/section", "p")},
		"one question up":      {quiz.Move("/questions/3", "/questions/2")},
		"a condition":          {quiz.Operation{Op: "add", Path: "/questions/5/visible_if", Value: json.RawMessage(`{"fact":"scale.fit","op":"ge","value":3}`)}},
		"a question more":      {quiz.Add("/questions/-", quiz.Question{ID: "q1", Kind: quiz.Statement})},
		"no opening page":      {quiz.Remove("/intro")},
		"a formula":            {quiz.Add("/computed", []quiz.Computed{{ID: "c", Formula: "scale.fit * 2"}})},
		"the last question":    {quiz.Remove("/questions/6")},
		"the quiz's language":  {quiz.Add("/language", "nl")},
		"an answer's picture":  {quiz.Add("/questions/0/choices/1/image", "/samples/dry-soil.svg")},
		"a question's sibling": {quiz.Copy("/questions/0", "/questions/1"), quiz.Add("/questions/1/id", "twin")},
	} {
		code, a := d.post(base+"/edits", map[string]any{"base": revision, "room": "script", "whole": true, "have": have, "patch": patch})
		require.Equal(t, http.StatusOK, code, name)
		revision = a.Revision
		require.NotEmpty(t, a.Blocks, name)
		var now strings.Builder
		clear(have)
		for _, b := range a.Blocks {
			if b.HTML != "" {
				shown[b.Key], sent = string(b.HTML), sent+1
			}
			have[b.Key] = b.Stamp
			now.WriteString(shown[b.Key])
		}
		fresh, err := New(d.Store, Options{})
		require.NoError(t, err)
		page := (&desk{TB: d.TB, h: fresh, Store: d.Store, cookie: d.cookie}).get(base + "/script").Body.String()
		m := sheetOf.FindStringSubmatch(page)
		require.NotNil(t, m, name)
		require.Equal(t, m[1], now.String(), name)
	}
	require.Less(t, sent, 120, "of some 230 that whole sheets would have")
}
