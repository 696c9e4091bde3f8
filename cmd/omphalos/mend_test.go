package main

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/mend"
)

const mendable = `{"format":"omphalos-quiz/1","name":"M","scales":[{"id":"fit","name":"Fit"}],
	"questions":[{"id":"a","kind":"single","required":true,"choices":[{"id":"x","label":"Much","points":{"fit":5}},{"id":"y","label":"Little"}]}],
	"outcomes":[{"id":"visit"},{"id":"later"}],"otherwise":"later","verdicts":[{"bands":{"on":"scale.fit","cuts":[{"from":7,"outcome":"visit"}]}}],`

// mend on the command line: what it says, in words and as JSON, and how it ends.
func TestMendOnTheCommandLine(t *testing.T) {
	for name, c := range map[string]struct {
		checks, says string
		repairs      int
		code         error
	}{
		"Exit codes: 0, a change was found or all checks pass; 1, nothing found; 2, the file can’t be used": {`{"id":"big","answers":{"a":"x"},"expect":{"outcome":"visit"}}`,
			"the points of “Much” for Fit from 5 to 7: 50.0% of respondents get a different outcome.", 2, nil},
		"all hold":        {`{"id":"big","answers":{"a":"x"},"expect":{"outcome":"later"}}`, "All 1 checks pass.", 0, nil},
		"nothing can":     {`{"id":"big","answers":{"a":"x"},"expect":{"path":["a","a"]}}`, "No change to one or two numbers makes all checks pass", 0, exitCode(1)},
		"it is no answer": {`{"id":"big","answers":{"a":"z"},"expect":{"outcome":"visit"}}`, "", 0, exitCode(2)},
	} {
		t.Run(name, func(t *testing.T) {
			path := filepath.Join(t.TempDir(), "quiz.json")
			require.NoError(t, os.WriteFile(path, []byte(mendable+`"checks":[`+c.checks+`]}`), 0o600))
			var out bytes.Buffer
			require.Equal(t, c.code, runMend(t.Context(), &out, path, "", false))
			require.Contains(t, out.String(), c.says)
			out.Reset()
			require.Equal(t, c.code, runMend(t.Context(), &out, path, "", true))
			if c.code == exitCode(2) {
				return
			}
			var found mend.Found
			require.NoError(t, json.Unmarshal(out.Bytes(), &found))
			require.NotNil(t, found.Failing)
			require.Len(t, found.Repairs, c.repairs)
		})
	}
	require.Equal(t, exitCode(2), runMend(t.Context(), &bytes.Buffer{}, "nowhere.json", "", true))
}
