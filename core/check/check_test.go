package check

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/reach"
	"omphalos/core/score"
	"omphalos/core/walk"
)

// wall is a quiz in which every kind of expectation can come: %s are its checks.
const wall = `{"format": "omphalos-quiz/1", "name": "Wall", "scales": [{"id": "fit"}], "params": ["from"],
	"questions": [
		{"id": "size", "kind": "single", "text": "How large?", "required": true, "choices": [
			{"id": "s", "label": "Small & low", "points": {"fit": 1}}, {"id": "l", "label": "Large", "points": {"fit": 5.5}}],
			"branches": [{"when": {"fact": "answer.size", "op": "is", "value": "s"}, "go": "outcome:pots"}]},
		{"id": "extras", "kind": "multiple", "most": 2, "choices": [{"id": "a", "points": {"fit": 1}}, {"id": "b", "points": {"fit": 2}},
			{"id": "c"}, {"id": "none", "exclusive": true}]},
		{"id": "staff", "kind": "number", "from": 0, "to": 100, "step": 0.5},
		{"id": "care", "kind": "grid", "rows": [{"id": "water"}, {"id": "light"}], "choices": [{"id": "y", "points": {"fit": 1}}, {"id": "n"}]},
		{"id": "when", "kind": "date"}, {"id": "word", "kind": "short_text"}, {"id": "mail", "kind": "email"},
		{"id": "yes", "kind": "consent"}, {"id": "hint", "kind": "statement"}],
	"outcomes": [
		{"id": "visit", "name": "Visit", "ending": {"kind": "redirect", "url": "https://w.example/{?size,fit:3,scale.fit}"}},
		{"id": "pots", "name": "Pots", "ending": {"kind": "products", "products": ["p1", "p2"]}},
		{"id": "far", "name": "Far", "ending": {"kind": "redirect", "lookup": {"table": "plan", "key": "answer.size", "column": "url", "fallback": "https://w.example/else"}}},
		{"id": "no", "name": "No"}],
	"recommendations": {"mode": "all", "lines": [{"when": {"fact": "param.from", "op": "is", "value": "fair"}, "product": "p9"}, {"product": "p1"}]},
	"verdicts": [{"when": {"fact": "visitor.country", "op": "is", "value": "NZ"}, "outcome": "far"},
		{"when": {"fact": "today", "op": "ge", "value": "2027-01-01"}, "outcome": "no"},
		{"bands": {"on": "scale.fit", "cuts": [{"from": 5.5, "outcome": "visit"}]}}],
	"otherwise": "no", "checks": [%s]}`

func read(t *testing.T, checks string) *quiz.Document {
	t.Helper()
	d, err := quiz.Read(fmt.Appendf(nil, wall, checks))
	require.NoError(t, err)
	return d
}

// oneTable is a table next to a quiz with one row.
type oneTable struct{ key, url string }

func (o oneTable) Find(table string, keys ...string) func(string) string {
	if table != "plan" || len(keys) == 0 || keys[0] != o.key {
		return nil
	}
	return func(string) string { return o.url }
}

func TestWhatIsExpectedIsCompared(t *testing.T) {
	for name, c := range map[string]struct {
		check string // without its id
		want  string // what differs; "" for a check that holds
	}{
		"outcome":                     {`"answers": {"size": "l"}, "expect": {"outcome": "visit"}`, ""},
		"another outcome":             {`"answers": {"size": "l"}, "expect": {"outcome": "pots"}`, "outcome pots visit"},
		"by a branch":                 {`"answers": {"size": "s", "extras": ["a"]}, "expect": {"outcome": "pots", "scales": {"fit": 1}, "path": ["size"]}`, ""},
		"scales are exact":            {`"answers": {"size": "l", "extras": ["a", "b"], "care": {"water": "y"}}, "expect": {"scales": {"fit": 9.5}}`, ""},
		"a scale is off":              {`"answers": {"size": "l"}, "expect": {"scales": {"fit": 5.4999}}`, "scale.fit 5.4999 5.5"},
		"blank where required":        {`"expect": {"outcome": "no", "scales": {"fit": 0}}`, ""},
		"an empty list is blank":      {`"answers": {"extras": []}, "expect": {"scales": {"fit": 0}}`, ""},
		"address":                     {`"answers": {"size": "l"}, "expect": {"address": "https://w.example/?size=Large&scale.fit=5.5"}`, ""},
		"address of a page":           {`"expect": {"address": "https://w.example/"}`, "address https://w.example/ "},
		"no address":                  {`"expect": {"address": ""}`, ""},
		"address by table":            {`"answers": {"size": "l"}, "visitor": {"country": "NZ"}, "expect": {"address": "https://p.example/l"}`, ""},
		"address for unknown keys":    {`"visitor": {"country": "NZ"}, "expect": {"address": "https://w.example/else"}`, ""},
		"products":                    {`"answers": {"size": "s"}, "expect": {"products": ["p1", "p2"]}`, ""},
		"products by a parameter":     {`"answers": {"size": "s"}, "params": {"from": "fair"}, "expect": {"products": ["p1", "p2", "p9"]}`, ""},
		"products in another order":   {`"answers": {"size": "s"}, "expect": {"products": ["p2", "p1"]}`, "products p2, p1 p1, p2"},
		"no products":                 {`"answers": {"size": "l"}, "expect": {"products": []}`, ""},
		"path":                        {`"answers": {"size": "s"}, "expect": {"path": ["size", "extras"]}`, "path size, extras size"},
		"today":                       {`"answers": {"size": "l"}, "today": "2027-01-01", "expect": {"outcome": "no"}`, ""},
		"the first thing is told":     {`"answers": {"size": "l"}, "expect": {"outcome": "no", "scales": {"fit": 1}}`, "outcome no visit"},
		"no one thing makes it empty": {`"answers": {"size": "s"}, "expect": {"outcome": "pots", "products": ["p1", "p2"], "address": ""}`, ""},
	} {
		d := read(t, `{"id": "c", `+c.check+`}`)
		require.Empty(t, Problems(d), name)
		r, err := New(d, oneTable{"l", "https://p.example/l"})
		require.NoError(t, err)
		got := r.Run()[0]
		require.Equal(t, c.want == "", got.Holds, "%s: %+v", name, got.Differs)
		if c.want != "" {
			f := got.Differs[0]
			require.Equal(t, c.want, f.What+" "+f.Expected+" "+f.Got, name)
			found := Findings(d, []Result{got})
			require.Equal(t, "/checks/0", found[0].Where)
			require.Equal(t, "failed_check", found[0].Code)
		}
	}
}

func TestChecksThatAreSwitchedOffAreLeftOut(t *testing.T) {
	d := read(t, `{"id": "a", "off": true, "expect": {"outcome": "visit"}}, {"id": "b", "expect": {"outcome": "no"}}`)
	r, err := New(d, nil)
	require.NoError(t, err)
	got := r.Run()
	require.Len(t, got, 1)
	require.Equal(t, "b", got[0].ID)
	require.True(t, got[0].Holds)
	text, err := json.Marshal(got)
	require.NoError(t, err)
	require.JSONEq(t, `[{"id": "b", "holds": true, "outcome": "no", "line": 0}]`, string(text))
}

func TestWhatACheckCannotSay(t *testing.T) {
	for check, want := range map[string]string{
		`"expect": {}`:                                                     "/checks/0/expect",
		`"expect": {"scales": {}}`:                                         "/checks/0/expect",
		`"expect": {"outcome": "gone"}`:                                    "/checks/0/expect/outcome",
		`"expect": {"scales": {"fat": 1}}`:                                 "/checks/0/expect/scales/fat",
		`"expect": {"products": ["p1", "p3"]}`:                             "/checks/0/expect/products/1",
		`"expect": {"path": ["size", "gone"]}`:                             "/checks/0/expect/path/1",
		`"answers": {"gone": "s"}, "expect": {"path": []}`:                 "/checks/0/answers/gone",
		`"answers": {"size": "x"}, "expect": {"path": []}`:                 "/checks/0/answers/size",
		`"answers": {"size": "Large"}, "expect": {"path": []}`:             "/checks/0/answers/size",
		`"answers": {"size": 1}, "expect": {"path": []}`:                   "/checks/0/answers/size",
		`"answers": {"extras": ["a", "b", "c"]}, "expect": {"path": []}`:   "/checks/0/answers/extras",
		`"answers": {"extras": ["a", "none"]}, "expect": {"path": []}`:     "/checks/0/answers/extras",
		`"answers": {"staff": 0.25}, "expect": {"path": []}`:               "/checks/0/answers/staff",
		`"answers": {"staff": 101}, "expect": {"path": []}`:                "/checks/0/answers/staff",
		`"answers": {"staff": "12"}, "expect": {"path": []}`:               "/checks/0/answers/staff",
		`"answers": {"care": {"air": "y"}}, "expect": {"path": []}`:        "/checks/0/answers/care",
		`"answers": {"care": {"water": "maybe"}}, "expect": {"path": []}`:  "/checks/0/answers/care",
		`"answers": {"care": "y"}, "expect": {"path": []}`:                 "/checks/0/answers/care",
		`"answers": {"when": "2027-02-29"}, "expect": {"path": []}`:        "/checks/0/answers/when",
		`"answers": {"word": ["a"]}, "expect": {"path": []}`:               "/checks/0/answers/word",
		`"answers": {"mail": "somebody"}, "expect": {"path": []}`:          "/checks/0/answers/mail",
		`"answers": {"yes": "no"}, "expect": {"path": []}`:                 "/checks/0/answers/yes",
		`"answers": {"hint": "x"}, "expect": {"path": []}`:                 "/checks/0/answers/hint",
		`"today": "2027-02-29", "expect": {"path": []}`:                    "/checks/0/today",
		`"off": true, "expect": {"outcome": "gone"}`:                       "/checks/0/expect/outcome",
		`"answers": {"yes": "yes", "hint": ""}, "expect": {"address": ""}`: "",
	} {
		d := read(t, `{"id": "c", `+check+`}`)
		ps := Problems(d)
		if want == "" {
			require.Empty(t, ps, check)
			continue
		}
		require.NotEmpty(t, ps, check)
		require.Equal(t, want, ps[0].Where, check)
		_, err := Read(fmt.Appendf(nil, wall, `{"id": "c", `+check+`}`))
		require.Error(t, err, check)
		r, err := New(d, nil)
		require.NoError(t, err)
		require.Empty(t, r.Run(), "what cannot be said is not run")
	}
	_, err := quiz.Read(fmt.Appendf(nil, wall, `{"id": "c", "answers": {"size": true}, "expect": {"path": []}}`))
	require.ErrorContains(t, err, "/checks/0/answers/size")
	_, err = quiz.Read(fmt.Appendf(nil, wall, `{"id": "c", "expect": {"path": []}}, {"id": "c", "expect": {"path": []}}`))
	require.ErrorContains(t, err, "/checks/1/id")
}

// The respondents of checks come to what the table of scores says of the same answers, which is itself held against a
// second reading of the document's meaning (core/score).
func TestChecksOfRandomQuizzesEqualTheTableOfScores(t *testing.T) {
	r := rand.New(rand.NewPCG(12, 1))
	for range 300 {
		d := quiztest.Random(r, quiztest.Size{Questions: 6, Choices: 4, Visitor: true})
		for i := range 8 {
			d.Checks = append(d.Checks, randomCheck(r, d, i))
		}
		text, err := json.Marshal(d)
		require.NoError(t, err)
		d, err = Read(text)
		require.NoError(t, err, "%s", text)
		c, err := walk.New(d)
		require.NoError(t, err)
		results := Of(c, nil).Run()
		table := scored(t, c, d.Checks)
		for i, got := range results {
			require.Equal(t, table[i]["outcome"], got.Outcome, "%s", text)
			require.Equal(t, table[i]["verdict"], got.Result.LineName())
			require.Equal(t, d.Checks[i].Expect.Outcome == got.Outcome, got.Holds)
			// what came, expected word for word, holds; and nothing else does
			came := Of(c, nil).Come(Input(d, &d.Checks[i]))
			require.Equal(t, table[i]["path"], strings.Join(came.Path, "|"))
			d.Checks[i].Expect = quiz.Expect{Outcome: came.Outcome, Scales: came.Scales, Path: came.Path, Address: &came.Address}
			for id, n := range came.Scales {
				require.Equal(t, table[i]["scale."+id], n.String())
			}
		}
		for _, got := range Of(c, nil).Run() {
			require.True(t, got.Holds, "%+v", got.Differs)
		}
	}
}

// randomCheck is someone with random answers, some blank, who is expected at a random outcome.
func randomCheck(r *rand.Rand, d *quiz.Document, i int) quiz.Check {
	c := quiz.Check{ID: fmt.Sprint("c", i), Answers: map[string]quiz.Given{}}
	for j := range d.Questions {
		q := &d.Questions[j]
		answers := quiztest.Answers(q)
		if g, ok := kind.Write(q, answers[r.IntN(len(answers))]); ok {
			c.Answers[q.ID] = g
		}
	}
	c.Visitor.Country = []string{"", "IE", "GB", "NZ"}[r.IntN(4)]
	c.Expect.Outcome = d.Outcomes[r.IntN(len(d.Outcomes))].ID
	return c
}

// scored are the same respondents as the table of scores sees them. Required questions that were left blank are
// refused there, so that they are made optional first.
func scored(t *testing.T, c *walk.Compiled, checks []quiz.Check) []map[string]string {
	t.Helper()
	d := c.Doc
	head := []string{"visitor.country"}
	for i := range d.Questions {
		head = append(head, kind.FieldNames(&d.Questions[i])...)
	}
	rows := [][]string{head}
	for i := range checks {
		in := Input(d, &checks[i])
		row := []string{in.Visitor.Country}
		for j := range d.Questions {
			q := &d.Questions[j]
			fields := in.Answers[q.ID].Fields(q)
			for _, name := range kind.FieldNames(q) {
				row = append(row, strings.Join(fields[name], "|"))
			}
		}
		rows = append(rows, row)
	}
	var in, out bytes.Buffer
	require.NoError(t, csv.NewWriter(&in).WriteAll(rows))
	bad, err := score.Table(c, &in, &out, "")
	require.NoError(t, err)
	require.Empty(t, bad)
	records, err := csv.NewReader(&out).ReadAll()
	require.NoError(t, err)
	var table []map[string]string
	for _, record := range records[1:] {
		row := map[string]string{}
		for k, cell := range record {
			row[records[0][k]] = cell
		}
		table = append(table, row)
	}
	return table
}

// 200 checks next to the count of the same quiz of 30 questions, in one run: "share" is what the checks take of it.
func BenchmarkChecks(b *testing.B) {
	r := rand.New(rand.NewPCG(30, 1))
	d := quiztest.Branching()
	for i := range 200 {
		d.Checks = append(d.Checks, randomCheck(r, d, i))
	}
	var checks, counts time.Duration
	for b.Loop() {
		begin := time.Now()
		if _, err := reach.Check(b.Context(), d, reach.Options{}); err != nil {
			b.Fatal(err)
		}
		counts += time.Since(begin)
		begin = time.Now()
		run, err := New(d, nil)
		if err != nil {
			b.Fatal(err)
		}
		run.Run()
		checks += time.Since(begin)
	}
	b.ReportMetric(float64(checks)/float64(counts), "share")
	b.ReportMetric(float64(checks.Milliseconds())/float64(b.N), "checks-ms")
}
