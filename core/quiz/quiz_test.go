package quiz_test

import (
	"bytes"
	"encoding/json"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/corpus"
	"omphalos/core/quiz"
	"omphalos/core/quiztest"
)

var update = flag.Bool("update", false, "write docs/quiz.schema.json anew")

func TestSchemaFileIsCurrent(t *testing.T) {
	const file = "../../docs/quiz.schema.json"
	if *update {
		require.NoError(t, os.WriteFile(file, quiz.Schema(), 0o644))
	}
	got, err := os.ReadFile(file)
	require.NoError(t, err)
	require.Equal(t, string(quiz.Schema()), string(got), "run: go test ./core/quiz -run Schema -update")
}

// small is a valid document; each case below breaks it in one way.
const small = `{"format":"omphalos-quiz/1","name":"Small","scales":[{"id":"fit"}],"keywords":[{"id":"fern"}],
"questions":[
 {"id":"area","kind":"single","choices":[{"id":"s","points":{"fit":1}},{"id":"l"}],"branches":[{"when":{"fact":"answer.area","op":"is","value":"s"},"go":"question:staff"}]},
 {"id":"looks","kind":"multiple","choices":[{"id":"a"},{"id":"b"}]},
 {"id":"staff","kind":"number","from":1,"to":5,"linear":{"fit":{"factor":1}}}],
"outcomes":[{"id":"yes"},{"id":"no"}],"otherwise":"no",
"verdicts":[{"bands":{"on":"scale.fit","cuts":[{"from":3,"outcome":"yes"}]}},{"leader":{"outcomes":{"fern":"yes"}}}]}`

func TestReadNamesThePlaceAndTheMend(t *testing.T) {
	_, err := quiz.Read([]byte(small))
	require.NoError(t, err)
	for _, c := range []struct{ old, new, where, says string }{
		{`"name":"Small"`, `"name":"Small","colour":1`, "/colour", "unknown field"},
		{`"kind":"number"`, `"kind":"numbre"`, "/questions/2/kind", "isn’t allowed here"},
		{`"points":{"fit":1}`, `"points":{"fit":1.00001}`, "/questions/0/choices/0/points/fit", "1.00001 has more than 4 decimals"},
		{`"points":{"fit":1}`, `"points":{"fit":"1"}`, "/questions/0/choices/0/points/fit", "this is text in quotes"},
		{`"points":{"fit":1}`, `"points":{"fat":1}`, "/questions/0/choices/0/points/fat", "scale \"fat\" doesn’t exist"},
		{`"points":{"fit":1}`, `"points":{"fit":1e300}`, "/questions/0/choices/0/points/fit", "is too large"},
		{`"points":{"fit":1}`, `"points":{"fit":1,"fit":2}`, "/questions/0/choices/0/points/fit", "this field appears twice"},
		{`{"id":"l"}`, `{"id":"s"}`, "/questions/0/choices/1/id", "already used"},
		{`{"id":"l"}`, `{"id":"a b"}`, "/questions/0/choices/1/id", "the ID \"a b\" can’t be used for this choice"},
		{`"id":"looks"`, `"id":"area"`, "/questions/1/id", "already used"},
		{`question:staff`, `question:area`, "/questions/0/branches/0/go", "leads back"},
		{`question:staff`, `question:nowhere`, "/questions/0/branches/0/go", "question \"nowhere\" doesn’t exist"},
		{`question:staff`, `elsewhere`, "/questions/0/branches/0/go", "\"elsewhere\" isn’t a valid destination"},
		{`"fact":"answer.area"`, `"fact":"answer.aera"`, "/questions/0/branches/0/when/fact", "isn’t something conditions can compare"},
		{`"op":"is","value":"s"`, `"op":"is","value":"xl"`, "/questions/0/branches/0/when/value", "no answer"},
		{`"op":"is","value":"s"`, `"op":"equals","value":"s"`, "/questions/0/branches/0/when/op", "isn’t allowed here"},
		{`"op":"is","value":"s"`, `"op":"is"`, "/questions/0/branches/0/when", "needs a value to compare with"},
		{`"op":"is","value":"s"`, `"op":"in","value":"s"`, "/questions/0/branches/0/when/value", "needs a list"},
		{`"kind":"multiple"`, `"kind":"multiple","least":3`, "/questions/1/least", "it’s impossible to choose"},
		{`"from":1,"to":5`, `"from":5,"to":1`, "/questions/2/to", "ends before it starts"},
		{`"from":1,"to":5,`, ``, "/questions/2", "needs a range"},
		{`"otherwise":"no"`, `"otherwise":"maybe"`, "/otherwise", "doesn’t exist"},
		{`"otherwise":"no",`, ``, "", "missing"},
		{`"on":"scale.fit"`, `"on":"scale.fat"`, "/verdicts/0/bands/on", "isn’t something conditions can compare"},
		{`{"fern":"yes"}`, `{"moss":"yes"}`, "/verdicts/1/leader/outcomes/moss", "doesn’t exist"},
		{`{"from":3,"outcome":"yes"}`, `{"from":3,"outcome":"yes"},{"from":3,"outcome":"no"}`, "/verdicts/0/bands/cuts/1/from", "isn’t higher than"},
		{`"otherwise":"no",`, `"otherwise":"no",,`, "", "line 6, column"},
		{`"format":"omphalos-quiz/1"`, `"format":"omphalos-quiz/2"`, "/format", "isn’t allowed here"},
	} {
		require.Contains(t, small, c.old)
		_, err := quiz.Read([]byte(strings.Replace(small, c.old, c.new, 1)))
		var ps quiz.Problems
		require.ErrorAs(t, err, &ps, c.new)
		require.Equal(t, c.where, ps[0].Where, "%s: %v", c.new, err)
		require.Contains(t, ps[0].Message, c.says)
	}
	deep := strings.Replace(small, `"fact":"answer.area","op":"is","value":"s"`, strings.Repeat(`"all":[{`, 100)+strings.Repeat(`}]`, 100), 1)
	_, err = quiz.Read([]byte(deep))
	require.ErrorContains(t, err, "levels deep")
}

func TestEditsUndoExactly(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 300 {
		d := quiztest.Random(r, quiztest.Size{Questions: 4, Choices: 3})
		before, err := json.Marshal(d)
		require.NoError(t, err)
		last := len(d.Questions) - 1
		patches := []string{
			`[{"op":"replace","path":"/name","value":"Other <b>"},{"op":"add","path":"/language","value":"nl"}]`,
			`[{"op":"add","path":"/questions/-","value":{"id":"new","kind":"date"}},{"op":"add","path":"/questions/0","value":{"id":"first","kind":"phone"}}]`,
			fmt.Sprintf(`[{"op":"move","from":"/questions/0","path":"/questions/%d"}]`, last),
			fmt.Sprintf(`[{"op":"remove","path":"/questions/%d"},{"op":"add","path":"/outcomes/0/text","value":"x"}]`, last),
			`[{"op":"copy","from":"/scales/0/id","path":"/scales/0/name"},{"op":"test","path":"/format","value":"omphalos-quiz/1"}]`,
		}
		patch, err := quiz.ReadPatch([]byte(patches[r.IntN(len(patches))]))
		require.NoError(t, err)
		done, err := quiz.Edit(before, patch)
		require.NoError(t, err)
		undone, err := quiz.Edit(done.Text, done.Inverse)
		require.NoError(t, err)
		require.JSONEq(t, string(before), string(undone.Text))
		redone, err := quiz.Edit(undone.Text, undone.Inverse)
		require.NoError(t, err)
		require.JSONEq(t, string(done.Text), string(redone.Text))
	}
}

func TestEditsAreRefusedWithTheirPlace(t *testing.T) {
	deep := strings.Repeat(`{"not":`, 70) + "{}" + strings.Repeat("}", 70)
	for patch, place := range map[string]string{
		`[{"op":"add","path":"/questions/0/choices/0/points","value":{"fit":1,"fit":2}}]`:      "/questions/0/choices/0/points/fit",
		`[{"op":"add","path":"/scales/0/start","value":1` + strings.Repeat("0", 50) + `}]`:     "/scales/0/start",
		`[{"op":"add","path":"/questions/0/visible_if","value":` + deep + `}]`:                 quiz.Shorten("/questions/0/visible_if"+strings.Repeat("/not", 62), 200),
		`[{"op":"replace","path":"/nothing","value":1}]`:                                       "/nothing",
		`[{"op":"add","path":"/questions/9","value":{"id":"x","kind":"date"}}]`:                "/questions/9",
		`[{"op":"add","path":"/questions/0/colour","value":"red"}]`:                            "/questions/0/colour",
		`[{"op":"add","path":"/questions/0/choices/0/points/fit","value":0.12345}]`:            "/questions/0/choices/0/points/fit",
		`[{"op":"test","path":"/name","value":"Large"}]`:                                       "/name",
		`[{"op":"move","from":"/questions/0","path":"/questions/0/choices/0"}]`:                "/questions/0/choices/0",
		`[{"op":"add","path":"/name","value":"x"},{"op":"remove","path":"/questions/0/help"}]`: "/questions/0/help",
	} {
		p, err := quiz.ReadPatch([]byte(patch))
		require.NoError(t, err)
		_, err = quiz.Edit([]byte(small), p)
		var ps quiz.Problems
		require.ErrorAs(t, err, &ps, patch)
		require.Equal(t, place, ps[0].Where, "%s: %v", patch, err)
	}
	_, err := quiz.ReadPatch([]byte(`[{"op":"erase","path":""}]`))
	require.ErrorContains(t, err, "erase")
}

func TestSentences(t *testing.T) {
	d, err := quiz.Read([]byte(strings.NewReplacer(`"id":"area",`, `"id":"area","text":"How large?",`, `"id":"s",`, `"id":"s","label":"Small",`).Replace(small)))
	require.NoError(t, err)
	require.Equal(t, "“How large?” is Small", d.Sentence(&d.Questions[0].Branches[0].When))
	require.Equal(t, "Fit: from 3 yes", strings.Replace(d.VerdictSentence(&d.Verdicts[0]), "fit", "Fit", 1))
	require.Equal(t, "The leading keyword of fern; ties go to the first keyword listed", d.VerdictSentence(&d.Verdicts[1]))
}

// The computation knows nothing of the web, the database or the room that asks it.
func TestCoreStandsAlone(t *testing.T) {
	out, err := exec.Command("go", "list", "-deps", "omphalos/core/...").Output()
	require.NoError(t, err)
	for dep := range strings.SplitSeq(string(out), "\n") {
		for _, barred := range []string{"net/http", "database/sql", "omphalos/app", "gorm.io", "github.com/gin-gonic", "html/template"} {
			require.False(t, strings.HasPrefix(dep, barred), dep)
		}
	}
	files, err := exec.Command("git", "grep", "-lE", `time\.(Now|Since|Sleep|After)`, "--", "../../core", ":(top,exclude)*_test.go").Output()
	require.Empty(t, string(bytes.TrimSpace(files)), "core reads the clock: %v", err)
}

func FuzzRead(f *testing.F) {
	corpus.Add(f)
	f.Add([]byte(small))
	f.Add([]byte(`{"format":`))
	f.Fuzz(func(t *testing.T, data []byte) {
		d, err := quiz.Read(data)
		if err != nil {
			return
		}
		again, err := json.Marshal(d)
		require.NoError(t, err)
		_, err = quiz.Read(again)
		require.NoError(t, err, "a document that was read is read again: %s", again)
	})
}

// What is wrong is told in the same order every time.
func TestProblemsHaveAnOrder(t *testing.T) {
	text := []byte(`{"zeta":1,"name":2,"alpha":3,"questions":7,"mid":4,"outcomes":"x","omega":[]}`)
	_, first := quiz.ReadDraft(text)
	require.Error(t, first)
	for range 20 {
		_, err := quiz.ReadDraft(text)
		require.Equal(t, first, err)
	}
}
