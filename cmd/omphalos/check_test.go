package main

import (
	"bytes"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// files writes a quiz, a table and an assumption for the command line to work on.
func files(t *testing.T) (dir string) {
	t.Helper()
	dir = t.TempDir()
	for name, text := range map[string]string{
		"quiz.json": `{"format":"omphalos-quiz/1","name":"Command","scales":[{"id":"s","name":"Score"}],"outcomes":[{"id":"hi","name":"High"},{"id":"lo","name":"Low"}],"otherwise":"lo",
		 "questions":[{"id":"a","kind":"single","required":true,"text":"Large?","choices":[{"id":"y","label":"Yes","points":{"s":3}},{"id":"n","label":"No"}]}],
		 "verdicts":[{"bands":{"on":"scale.s","cuts":[{"from":2,"outcome":"hi"}]}}]}`,
		"fault.json":   `{"format":"omphalos-quiz/1","name":"Fault","outcomes":[{"id":"hi"},{"id":"lo"}],"otherwise":"lo","questions":[{"id":"a","kind":"date"}]}`,
		"broken.json":  `{"format":"omphalos-quiz/1","name":"Broken","outcomes":[],"otherwise":"lo","questions":[],"colour":"red"}`,
		"table.csv":    "who,a\nann,Yes\nbob,maybe\ncid,n\n",
		"assume.json":  `{"answers":{"a":{"y":0.2,"n":0.8}}}`,
		"wrong.json":   `{"answers":{"zz":{"y":1}}}`,
		"unknown.json": `{"replies":{}}`,
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	return dir
}

// command runs the program and returns what it printed and its exit code.
func command(t *testing.T, program, dir string, args ...string) (stdout, stderr string, code int) {
	t.Helper()
	cmd := exec.Command(program, args...)
	cmd.Dir = dir
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	err := cmd.Run()
	var exit *exec.ExitError
	if err != nil {
		require.ErrorAs(t, err, &exit)
		code = exit.ExitCode()
	}
	return out.String(), errs.String(), code
}

func TestCheckOnTheCommandLine(t *testing.T) {
	program, dir := build(t), files(t)
	out, _, code := command(t, program, dir, "check", "quiz.json")
	require.Equal(t, 0, code)
	require.Contains(t, out, "Exact: 2 combinations of answers")
	require.Regexp(t, `hi +High +50\.00%`, out)
	require.Contains(t, out, "uncovered_value")
	require.NotContains(t, out, "\x1b", "no colour into a pipe")

	out, _, code = command(t, program, dir, "check", "quiz.json", "--json", "--assume", "assume.json")
	require.Equal(t, 0, code)
	var r struct {
		Exact        bool
		Combinations string
		Outcomes     []struct {
			ID        string
			Share     float64
			Reachable bool
			Witness   map[string]any
		}
		Scales []struct {
			Least, Most  float64
			Distribution [][2]float64
		}
		Verdicts []struct {
			Line  any
			Share float64
		}
		Questions []struct{ Asked, Influence float64 }
		Edges     []struct{ From, To string }
		Findings  []struct{ Code, Severity, Where, Message string }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &r))
	require.True(t, r.Exact)
	require.InDelta(t, 0.2, r.Outcomes[0].Share, 1e-12)
	require.Equal(t, map[string]any{"a": "y"}, r.Outcomes[0].Witness)
	require.Equal(t, [][2]float64{{0, 0.8}, {3, 0.2}}, r.Scales[0].Distribution)
	require.EqualValues(t, 1, r.Verdicts[0].Line)
	require.EqualValues(t, 0, r.Verdicts[1].Line)
	require.Equal(t, "branch", r.Verdicts[2].Line)
	require.InDelta(t, 0.7219280948873623, r.Questions[0].Influence, 1e-12) // the entropy of 0.2
	require.Equal(t, "finish", r.Edges[0].To)

	out, _, code = command(t, program, dir, "check", "fault.json")
	require.Equal(t, 1, code)
	require.Contains(t, out, "error unreachable_outcome  /outcomes/0")

	_, errs, code := command(t, program, dir, "check", "broken.json")
	require.Equal(t, 2, code)
	require.Contains(t, errs, "/colour: unknown field")
	out, _, code = command(t, program, dir, "check", "broken.json", "--json")
	require.Equal(t, 2, code)
	require.Contains(t, out, `"where": "/colour"`)
	for _, args := range [][]string{{"check", "missing.json"}, {"check", "quiz.json", "--assume", "wrong.json"}, {"check", "quiz.json", "--assume", "unknown.json"}, {"check", "quiz.json", "--assume", "missing.json"}} {
		_, errs, code = command(t, program, dir, args...)
		require.Equal(t, 2, code, args)
		require.NotEmpty(t, strings.TrimSpace(errs))
	}
}

func TestScoreOnTheCommandLine(t *testing.T) {
	program, dir := build(t), files(t)
	out, errs, code := command(t, program, dir, "score", "quiz.json", "table.csv")
	require.Equal(t, 1, code, "a bad cell")
	require.Equal(t, "table.csv: row 3, column a: “maybe” is not one of the answers.\n", errs)
	require.Equal(t, "who,a,scale.s,percent.s,leader,outcome,verdict,path\nann,Yes,3,100,,hi,1,a\nbob,maybe,,,,,,\ncid,n,0,0,,lo,0,a\n", out)
	_, errs, code = command(t, program, dir, "score", "broken.json", "table.csv")
	require.Equal(t, 1, code)
	require.Contains(t, errs, "can’t use")
}

// Kept rehearsals are proved on the command line, with the tables that stand next to the quiz.
func TestChecksOnTheCommandLine(t *testing.T) {
	program, dir := build(t), t.TempDir()
	write := func(name, text string) {
		t.Helper()
		require.NoError(t, os.MkdirAll(filepath.Join(dir, filepath.Dir(name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	document := func(expect string) string {
		return `{"format": "omphalos-quiz/1", "name": "Plan", "questions": [{"id": "r", "kind": "single", "required": true, "choices": [{"id": "n", "label": "North"}, {"id": "s", "label": "South"}]}],
			"outcomes": [{"id": "o", "ending": {"kind": "redirect", "lookup": {"table": "plan", "key": "answer.r", "column": "url", "fallback": "https://w.example/else"}}}],
			"verdicts": [{"when": {"all": []}, "outcome": "o"}], "otherwise": "o",
			"checks": [{"id": "off", "off": true, "expect": {"path": []}}, {"id": "north", "name": "From the north", "answers": {"r": "n"}, "expect": ` + expect + `}]}`
	}
	write("plan.json", document(`{"address": "https://n.example/"}`))
	write("tables/plan.csv", "name,url\nnorth,https://n.example/\n")
	out, _, code := command(t, program, dir, "check", "plan.json", "--tables", "tables")
	require.Equal(t, 0, code, out)
	out, _, code = command(t, program, dir, "check", "plan.json")
	require.Equal(t, 1, code)
	require.Contains(t, out, "failed_check  /checks/1")
	require.Contains(t, out, "https://w.example/else")
	out, _, code = command(t, program, dir, "check", "plan.json", "--json")
	require.Equal(t, 1, code)
	var r struct {
		Checks   []map[string]any
		Findings []struct{ Code, Where string }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &r))
	require.Len(t, r.Checks, 1)
	require.Equal(t, []any{"north", false, "o", 1.0}, []any{r.Checks[0]["id"], r.Checks[0]["holds"], r.Checks[0]["outcome"], r.Checks[0]["line"]})
	require.Equal(t, "failed_check", r.Findings[0].Code)

	write("gone.json", document(`{"outcome": "gone"}`))
	_, errs, code := command(t, program, dir, "check", "gone.json")
	require.Equal(t, 2, code)
	require.Contains(t, errs, "/checks/1/expect/outcome")
	for _, tables := range []string{"missing", "."} {
		_, errs, code = command(t, program, dir, "check", "plan.json", "--tables", tables)
		require.Equal(t, 2, code)
		require.Contains(t, errs, "NAME.csv")
	}
}
