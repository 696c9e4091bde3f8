package quiz_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/corpus"
	"omphalos/core/quiz"
)

// allocated is how many bytes f takes in all.
func allocated(f func()) uint64 {
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	f()
	runtime.ReadMemStats(&after)
	return after.TotalAlloc - before.TotalAlloc
}

// A hundred bytes that copy what they have copied would be 2⁶⁰ bytes.
func TestCopiesThatDoubleAreRefused(t *testing.T) {
	for name, once := range map[string][2]string{
		"into a field":  {"/questions", "/computed"},
		"within a list": {"/questions/0", "/questions/-"},
		"of a list":     {"/questions", "/questions/0/choices"},
	} {
		var patch quiz.Patch
		for range 60 {
			patch = append(patch, quiz.Copy(once[0], once[1]), quiz.Copy("/questions", "/questions/-"))
		}
		var err error
		took := allocated(func() { _, err = quiz.Edit([]byte(small), patch) })
		require.ErrorContains(t, err, "larger than 8 MB", name)
		require.Less(t, took, uint64(500<<20), name)
	}
	big := quiz.Add("/name", strings.Repeat("x", quiz.MaxBytes))
	_, err := quiz.Edit([]byte(small), quiz.Patch{big})
	require.ErrorContains(t, err, "larger than 8 MB")
}

func TestAnEditHasBoundedOperations(t *testing.T) {
	many := make(quiz.Patch, quiz.MaxOperations+1)
	for i := range many {
		many[i] = quiz.Add("/name", fmt.Sprint(i))
	}
	_, err := quiz.ReadPatch([]byte(quiz.JSON(many...)))
	require.ErrorContains(t, err, "the edit has 501 operations; the limit is 500. Split it into several edits.")
	_, err = quiz.ReadLogged([]byte(quiz.JSON(many...)))
	require.NoError(t, err, "what was made is read")
	within, err := quiz.ReadPatch([]byte(quiz.JSON(many[1:]...)))
	require.NoError(t, err)
	done, err := quiz.Edit([]byte(small), within)
	require.NoError(t, err)
	require.Equal(t, "500", done.Document.Name)
}

// An edit of many operations does the same when it is made compact.
func TestCompactDoesTheSame(t *testing.T) {
	d, err := quiz.Read([]byte(small))
	require.NoError(t, err)
	var patch quiz.Patch
	for i := range 2 * quiz.MaxOperations {
		patch = append(patch, quiz.Add("/questions/0/choices/0/points/fit", i%7), quiz.Add("/name", fmt.Sprint(i)))
	}
	compact, err := quiz.Compact(d, patch)
	require.NoError(t, err)
	require.LessOrEqual(t, len(compact), quiz.MaxOperations)
	want, err := quiz.Edit([]byte(small), patch)
	require.NoError(t, err)
	got, err := quiz.Edit([]byte(small), compact)
	require.NoError(t, err)
	require.Equal(t, want.Document, got.Document)
	few := quiz.Patch{quiz.Remove("/name")}
	same, err := quiz.Compact(d, few)
	require.NoError(t, err)
	require.Equal(t, few, same)
}

// FuzzEdit: whatever a patch says, an edit ends, leaves a document within its bounds or nothing, and can be undone.
func FuzzEdit(f *testing.F) {
	corpus.Add(f)
	for _, seed := range []string{
		`[{"op":"copy","from":"","path":"/questions/-"}]`,
		`[{"op":"copy","from":"/questions","path":"/questions/0/choices"},{"op":"move","from":"/questions/0","path":"/questions/1"}]`,
		`[{"op":"replace","path":"","value":{}}]`,
		`[{"op":"add","path":"/questions/0/choices/-","value":{"id":"x","label":"X"}},{"op":"test","path":"/questions/0/choices/2/id","value":"x"}]`,
		`[{"op":"remove","path":"/questions/0/~1~0"},{"op":"add","path":"/a/b/-","value":null}]`,
		`[{"op":"add","path":"name","value":1},{"op":"remove","path":"/questions/-1"}]`,
		`[{"op":"add","path":"/scales/-","value":{"id":"x","name":"X","start":1e2}},{"op":"copy","from":"/scales/0/name","path":"/name"}]`,
		`[{"op":"add","path":"/questions/1/visible_if","value":{"all":[{"any":[{"not":{"fact":"scale.fit","is":"above","value":2.50}}]}]}}]`,
	} {
		f.Add([]byte(seed))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		patch, err := quiz.ReadPatch(data)
		if err != nil {
			return
		}
		done, err := quiz.Edit([]byte(small), patch)
		if err != nil {
			return
		}
		require.LessOrEqual(t, len(done.Text), quiz.MaxBytes)
		read, err := quiz.ReadDraft(done.Text) // only what the edit brought was checked again: the whole holds too
		require.NoError(t, err)
		require.Equal(t, read, done.Document)
		undone, err := quiz.Edit(done.Text, done.Inverse)
		require.NoError(t, err)
		var before, after any
		require.NoError(t, json.NewDecoder(bytes.NewReader([]byte(small))).Decode(&before))
		require.NoError(t, json.Unmarshal(undone.Text, &after))
		require.Equal(t, before, after)
	})
}

// A file with a million slips is told with its first ones, whatever they are, in little text.
func TestProblemsAreToldUpToFifty(t *testing.T) {
	head := `{"format":"omphalos-quiz/1","name":"x","otherwise":"o","outcomes":[{"id":"o"}],`
	many := func(n int, one func(i int) string) string {
		list := make([]string, n)
		for i := range list {
			list[i] = one(i)
		}
		return strings.Join(list, ",")
	}
	always := func(s string) func(int) string { return func(int) string { return s } }
	for name, c := range map[string]struct{ text, first string }{
		"unknown fields in a list": {head + `"questions":[` + many(100_000, always(`{"x":1}`)) + `]}`, "/questions/0"},
		"unknown fields deep in":   {head + `"questions":[{"id":"q","kind":"single","choices":[` + many(50_000, always(`{"id":"c","x":1}`)) + `]}]}`, "/questions/0/choices/0/x"},
		"unknown fields in one":    {head + `"questions":[],` + many(50_000, func(i int) string { return fmt.Sprintf(`"k%05d":1`, i) }) + `}`, "/k00000"},
		"fields given twice":       {head + many(50_000, always(`"name":1`)) + `}`, "/name"},
		"wrong kinds":              {head + `"questions":[],"verdicts":[` + many(50_000, always(`7`)) + `]}`, "/verdicts/0"},
		"ids used twice":           {head + `"questions":[],"scales":[` + many(50_000, always(`{"id":"s"}`)) + `]}`, "/scales/1/id"},
		"names of nothing":         {head + `"questions":[],"verdicts":[` + many(20_000, always(`{"outcome":"z"}`)) + `]}`, "/verdicts/0/outcome"},
		"no formulas":              {head + `"questions":[],"computed":[` + many(20_000, func(i int) string { return fmt.Sprintf(`{"id":"c%d","formula":"1 +"}`, i) }) + `]}`, "/computed/0/formula"},
	} {
		_, err := quiz.Read([]byte(c.text))
		var ps quiz.Problems
		require.ErrorAs(t, err, &ps, name)
		require.Len(t, ps, quiz.MaxProblems+1, name)
		require.Equal(t, c.first, ps[0].Where, "%s: %v", name, ps[0])
		require.Contains(t, ps[quiz.MaxProblems].Message, "there are more")
		require.Less(t, len(err.Error()), 20_000, name)
	}
	_, err := quiz.Read([]byte(head + `"questions":[{"id":"` + strings.Repeat("é ", 1<<20) + `","kind":"date"}]}`))
	require.Error(t, err)
	require.Less(t, len(err.Error()), 2_000)
}

// Checking in pieces finds what checking whole would: a typo in a long document is named wherever it is.
func TestASlipInALongDocument(t *testing.T) {
	questions := make([]string, 400)
	for i := range questions {
		choices := make([]string, 12)
		for j := range choices {
			choices[j] = fmt.Sprintf(`{"id":"c%d","label":"Answer %d","points":{"s":%d}}`, j, j, j)
		}
		questions[i] = fmt.Sprintf(`{"id":"q%d","kind":"single","text":"T","choices":[%s]}`, i, strings.Join(choices, ","))
	}
	text := `{"format":"omphalos-quiz/1","name":"x","scales":[{"id":"s"}],"otherwise":"o","outcomes":[{"id":"o"}],"questions":[` + strings.Join(questions, ",") + `]}`
	_, err := quiz.Read([]byte(text))
	require.NoError(t, err)
	for slip, where := range map[string]string{
		`{"id":"c7","label":7,"points":{"s":7}}`:                "/questions/0/choices/7/label",
		`{"id":"c7","label":"Answer 7","points":{"s":"7"}}`:     "/questions/0/choices/7/points/s",
		`{"id":"c7","labels":"Answer 7","points":{"s":7}}`:      "/questions/0/choices/7/labels",
		`{"label":"Answer 7","points":{"s":7}}`:                 "/questions/0/choices/7",
		`{"id":"c7","label":"Answer 7","points":{"s":7.12345}}`: "/questions/0/choices/7/points/s",
	} {
		_, err := quiz.Read([]byte(strings.Replace(text, `{"id":"c7","label":"Answer 7","points":{"s":7}}`, slip, 1)))
		var ps quiz.Problems
		require.ErrorAs(t, err, &ps, slip)
		require.Equal(t, where, ps[0].Where, slip)
	}
}

// A document has so many questions, checks and messages, and a message so many addresses; one more is refused where it
// stands.
func TestCountsOfADocumentAreBounded(t *testing.T) {
	list := func(n int, one string) string {
		out := make([]string, n)
		for i := range out {
			out[i] = strings.ReplaceAll(one, "#", fmt.Sprint(i))
		}
		return strings.Join(out, ",")
	}
	const message = `{"id":"m#","to":"team","addresses":["a@x.example"],"subject":"S","text":"T"}`
	for name, c := range map[string]struct {
		most int
		make func(n int) string
		says string
	}{
		"questions": {quiz.MaxQuestions, func(n int) string {
			return `"questions":[` + list(n, `{"id":"q#","kind":"short_text","text":"Q"}`) + `]`
		}, "500"},
		"checks": {quiz.MaxChecks, func(n int) string {
			return `"questions":[],"checks":[` + list(n, `{"id":"c#","name":"C #","expect":{"outcome":"o"}}`) + `]`
		}, "1000"},
		"messages": {quiz.MaxMessages, func(n int) string { return `"questions":[],"messages":[` + list(n, message) + `]` }, "50"},
		"addresses": {quiz.MaxAddresses, func(n int) string {
			return `"questions":[],"messages":[` + strings.Replace(strings.Replace(message, "#", "", 1), `"a@x.example"`, list(n, `"a#@x.example"`), 1) + `]`
		}, "20"},
	} {
		read := func(n int) error {
			_, err := quiz.Read([]byte(`{"format":"omphalos-quiz/1","name":"x","otherwise":"o","outcomes":[{"id":"o","heading":"O"}],` + c.make(n) + `}`))
			return err
		}
		require.NoError(t, read(c.most), name)
		require.ErrorContains(t, read(c.most+1), c.says, name)
	}
}
