package app

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"html"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/kinds"
	"omphalos/app/store/responses"
	"omphalos/core/chart"
	"omphalos/core/check"
	"omphalos/core/fact"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
	"omphalos/core/score"
	"omphalos/core/sheet"
	"omphalos/core/verdict"
	"omphalos/core/walk"
)

// What is registered goes through everything: the form of documents, checks, edits, walks, counts, tables, plain text,
// scoring, kept rehearsals, respondents' pages, the rooms, exports and back. What one of them does not know fails here.

// questionOf is a question of a kind, as it begins in the Script, that gives points where its kind can.
func questionOf(t *testing.T, name kind.Name) quiz.Question {
	t.Helper()
	forms := kind.Of(&quiz.Question{Kind: name}).Fresh()
	require.NotEmpty(t, forms, "the kind cannot be added in Script")
	q := forms[0].Make()
	require.Equal(t, name, q.Kind)
	q.ID, q.Text = "asked", "What is asked?"
	for i := range q.Choices {
		q.Choices[i].Label = "Answer " + q.Choices[i].ID
		q.Choices[i].Points = map[string]rule.Number{"s": rule.Int(int64(i + 1))}
	}
	for i := range q.Rows {
		q.Rows[i].Label = "Row " + q.Rows[i].ID
	}
	if kind.Of(&q).About().Range {
		q.Linear = map[string]quiz.LinearPoint{"s": {Factor: rule.Int(1)}}
	}
	return q
}

// asking is a quiz of one question that leads to an outcome if its scale has points; if it was answered, where it gives
// none; or if the link says so, where it cannot be answered.
func asking(q quiz.Question) *quiz.Document {
	when := &rule.Condition{Fact: "answer." + q.ID, Op: rule.OpAnswered}
	switch about := kind.Of(&q).About(); {
	case about.Silent:
		when = &rule.Condition{Fact: "param.src", Op: rule.OpIs, Value: rule.One(rule.Scalar{Text: "news"})}
	case about.Scores():
		one := rule.Scalar{Num: rule.Int(1), IsNum: true}
		when = &rule.Condition{Fact: "scale.s", Op: rule.OpGe, Value: rule.One(one)}
	}
	q.Required = false
	return &quiz.Document{
		Format: quiz.Format, Name: "Registry", Language: "en", Scales: []quiz.Scale{{ID: "s", Name: "Size"}},
		Questions: []quiz.Question{q}, Otherwise: "low",
		Outcomes: []quiz.Outcome{{ID: "high", Name: "High", Heading: "High"}, {ID: "low", Name: "Low", Heading: "Low"}},
		Verdicts: []quiz.Verdict{{Outcome: "high", When: when}}, Params: []string{"src"},
	}
}

// readAgain is a document that was read again from its text.
func readAgain(t *testing.T, d *quiz.Document) *quiz.Document {
	t.Helper()
	text, err := json.Marshal(d)
	require.NoError(t, err)
	again, err := quiz.Read(text)
	require.NoError(t, err)
	back, err := json.Marshal(again)
	require.NoError(t, err)
	require.JSONEq(t, string(text), string(back))
	return again
}

// countedWhole is the count of a document, which must be exact, with each example leading where it says.
func countedWhole(t *testing.T, d *quiz.Document) *reach.Report {
	t.Helper()
	r, err := reach.Check(t.Context(), d, reach.Options{Moved: true})
	require.NoError(t, err)
	require.True(t, r.Exact)
	c, err := walk.New(d)
	require.NoError(t, err)
	for _, o := range r.Outcomes {
		if o.Reachable {
			require.Equal(t, o.ID, c.Walk(reach.InputOf(d, o.Witness)).Outcome)
		}
	}
	return r
}

// answered is an answer to a question: the first one that is not blank.
func answered(q quiz.Question) walk.Answer {
	q.Required = true
	about := kind.Of(&q).About()
	if a := kind.Of(&q).First(&q); !a.Blank() || about.Silent {
		return a
	}
	return walk.Answer{Text: about.Example}
}

func TestEveryKindGoesThroughEverything(t *testing.T) {
	for _, name := range kind.Names {
		t.Run(string(name), func(t *testing.T) {
			q := questionOf(t, name)
			d := readAgain(t, asking(q))
			about := kind.Of(&q).About()
			require.NotEmpty(t, about.Words)
			countedWhole(t, d)
			a := answered(q)
			require.NoError(t, kind.Check(&q, a))
			throughCore(t, d, &q, a)
			throughPages(t, d, &q, a)
		})
	}
}

// throughCore takes an answer through the table of scores, a kept rehearsal and the sheet of questions.
func throughCore(t *testing.T, d *quiz.Document, q *quiz.Question, a walk.Answer) {
	t.Helper()
	c, err := walk.New(d)
	require.NoError(t, err)
	in := walk.Input{Answers: map[string]walk.Answer{q.ID: a}}
	want := c.Walk(in)

	fields := append(kind.FieldNames(q), "note")
	record := make([]string, len(fields))
	for i, f := range fields {
		record[i] = strings.Join(a.Fields(q)[f], "|")
	}
	record[len(fields)-1] = "none"
	var table, out bytes.Buffer
	w := csv.NewWriter(&table)
	require.NoError(t, w.WriteAll([][]string{fields, record}))
	bad, err := score.Table(c, &table, &out, "2026-03-31")
	require.NoError(t, err)
	require.Empty(t, bad)
	rows, err := csv.NewReader(&out).ReadAll()
	require.NoError(t, err)
	require.Equal(t, want.Outcome, rows[1][slices.Index(rows[0], "outcome")])

	keep := check.Keep(d, in, want)
	require.Equal(t, in.Answers[q.ID], check.Input(d, &keep).Answers[q.ID], "a kept rehearsal answers the same")
	if g, given := kind.Write(q, a); given {
		again, err := kind.Of(q).Take(q, g)
		require.NoError(t, err)
		require.Equal(t, a, again)
		require.NotEqual(t, "blank", a.Words(q))
		if len(a.Rows) == 0 { // those are written one by one
			require.NotEmpty(t, a.JSON(q))
		}
	}

	back, faults := sheet.Read(d, sheet.Write(d))
	require.Empty(t, faults)
	before, _ := json.Marshal(d.Questions)
	after, _ := json.Marshal(back.Questions)
	require.JSONEq(t, string(before), string(after), "the sheet of questions leads back")
	for _, hint := range kind.Of(q).About().Hints {
		typed, faults := sheet.ParseText("# Typed\n\n1. What is asked? ("+hint+")\n- One\n- Two\n", "")
		if kind.Of(q).About().Picks {
			require.Empty(t, faults, hint)
		}
		require.Equal(t, q.Kind, typed.Questions[0].Kind, hint)
	}
}

// throughPages asks the question on a respondent's page, ends there, and looks for the answer in the rooms and exports.
func throughPages(t *testing.T, d *quiz.Document, q *quiz.Question, a walk.Answer) {
	t.Helper()
	desk := newDesk(t, false)
	id := desk.newQuiz(d).ID
	about := kind.Of(q).About()
	script := desk.get("/quizzes/" + id + "/script").Body.String()
	require.Contains(t, script, kind.Of(q).Fresh()[0].Words)
	opened := desk.get("/quizzes/" + id + "/script?open=" + q.ID).Body.String()
	require.Contains(t, opened, "What is asked?")
	if text, err := kinds.Set.ReadFile(string(q.Kind) + "/set.html"); err == nil {
		for _, at := range regexp.MustCompile(`data-at="\{\{\.Path\}\}(/\w+)"`).FindAllStringSubmatch(string(text), -1) {
			require.Contains(t, opened, `questions/@asked`+at[1]+`"`, "what can be set of it is drawn")
		}
	}

	require.Empty(t, desk.saved("/quizzes/"+id+"/launch", "base=0&slug=registry"))
	page := desk.get("/q/registry").Body.String()
	require.Contains(t, page, "What is asked?")
	for _, field := range kind.FieldNames(q) {
		require.Equal(t, !about.Silent, strings.Contains(page, `name="`+field+`"`), "the page asks for %s", field)
	}
	form := url.Values(a.Fields(q))
	token := regexp.MustCompile(`name="w" value="([^"]*)"`).FindStringSubmatch(page)
	require.NotNil(t, token)
	form.Set("w", html.UnescapeString(token[1]))
	next := desk.form("/q/registry", form)
	require.Equal(t, http.StatusSeeOther, next.Code, next.Body.String())
	c, err := walk.New(d)
	require.NoError(t, err)
	want := c.Walk(walk.Input{Answers: map[string]walk.Answer{q.ID: a}})
	require.Contains(t, desk.get(next.Header().Get("Location")).Body.String(), d.Outcome(want.Outcome).Heading)

	rows, err := csv.NewReader(desk.get("/quizzes/" + id + "/leads.csv?as=ids").Body).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, 2)
	if !about.Silent {
		require.Contains(
			t,
			strings.Join(rows[1], "\n"),
			strings.Split(strings.Join(a.Fields(q)[kind.FieldNames(q)[0]], ", "), ", ")[0],
		)
	}
	comesBack(desk, id, q, a)
	for _, room := range []string{"verdicts", "paths", "rehearse", "launch", "leads?view=questions", "endings", "messages"} {
		require.Equal(t, http.StatusOK, desk.get("/quizzes/"+id+"/"+room).Code, room)
	}
}

// comesBack brings the export in words in again, as of somebody else: the answer is the same.
func comesBack(d *desk, id string, q *quiz.Question, a walk.Answer) {
	d.Helper()
	text := d.get("/quizzes/" + id + "/leads.csv").Body.String()
	rows, err := csv.NewReader(strings.NewReader(strings.TrimPrefix(text, "\ufeff"))).ReadAll()
	require.NoError(d, err)
	ids, err := csv.NewReader(d.get("/quizzes/" + id + "/leads.csv?as=ids").Body).ReadAll()
	require.NoError(d, err)
	rows[1][0] = "another"
	rows[1][slices.Index(ids[0], "kept_aside")] = ""
	var table bytes.Buffer
	w := csv.NewWriter(&table)
	require.NoError(d, w.WriteAll(rows))
	taken := d.form("/quizzes/"+id+"/leads/bring-in/take", url.Values{"table": {table.String()}, "name": {"past.csv"}})
	require.Equal(d, http.StatusSeeOther, taken.Code, taken.Body.String())
	found := 0
	for r, err := range d.Store.Responses.Reader(id, responses.All).All() {
		require.NoError(d, err)
		again, err := r.Answered()
		require.NoError(d, err)
		require.Equal(d, a.Fields(q), again.Answers[q.ID].Fields(q))
		found++
	}
	require.Equal(d, 2, found, "the export comes in again")
}

// Every kind that is asked of respondents has its template.
func TestEveryKindHasItsFolder(t *testing.T) {
	for _, name := range kind.Names {
		text, err := kinds.Ask.ReadFile(string(name) + "/ask.html")
		require.NoError(t, err)
		require.Contains(t, string(text), `{{define "ask-`+string(name)+`"}}`)
	}
}

func TestEveryFactGoesThroughEverything(t *testing.T) {
	values := map[rule.Type]string{
		rule.WeekdayType: "6", rule.HourType: "20", rule.CountryType: "IE", rule.LanguageType: "de", rule.DeviceType: "phone",
		rule.DateType: "2026-12-05", rule.TextType: "news",
	}
	for _, k := range append(fact.All(), fact.Find("param.src")) {
		t.Run(k.Name, func(t *testing.T) {
			value := rule.Scalar{Text: values[k.Type]}
			require.NotEmpty(t, value.Text, "a value of the type of this fact")
			if n, err := rule.ParseNumber(value.Text); err == nil && k.Type.Number() {
				value = rule.Scalar{Num: n, IsNum: true}
			}
			d := asking(questionOf(t, kind.Statement))
			d.Verdicts[0].When = &rule.Condition{Fact: k.Name, Op: rule.OpIs, Value: rule.One(value)}
			d = readAgain(t, d)
			r := countedWhole(t, d)
			require.True(t, r.Outcomes[0].Reachable && r.Outcomes[0].Share > 0, "it is counted")
			require.Contains(t, d.VerdictSentence(&d.Verdicts[0]), d.FactName(k.Name))
			require.NotEqual(t, k.Name, d.FactName(k.Name), "it has words")
			require.NotEmpty(t, k.Type.Ops())

			c, err := walk.New(d)
			require.NoError(t, err)
			var out strings.Builder
			bad, err := score.Table(c, strings.NewReader(k.Name+"\n"+values[k.Type]+"\n"), &out, "")
			require.NoError(t, err)
			require.Empty(t, bad)
			require.Contains(t, out.String(), "high", "it is a column")

			var visit fact.Visit
			require.NoError(t, k.Set(&visit, values[k.Type]))
			in := walk.Input{Answers: map[string]walk.Answer{}}
			in.From(visit)
			keep := check.Keep(d, in, c.Walk(in))
			d.Checks = []quiz.Check{keep}
			d = readAgain(t, d)
			require.True(t, check.Holds(d, d.Checks[0], nil), "a kept rehearsal has it")
			require.Equal(t, "high", keep.Expect.Outcome)

			desk := newDesk(t, false)
			id := desk.newQuiz(d).ID
			require.Contains(
				t,
				desk.get("/quizzes/"+id+"/verdicts").Body.String(),
				`value="`+k.Name+`"`,
				"conditions offer it",
			)
			if k.Group != "Link" {
				require.Contains(
					t,
					desk.get("/quizzes/"+id+"/rehearse").Body.String(),
					`name="`+k.ID()+`"`,
					"it can be pretended",
				)
			}
		})
	}
}

// lines is a verdict line of each kind.
var lines = map[string]quiz.Verdict{
	"table": {Table: &quiz.Table{Facts: []string{"answer.asked"}, Rows: []quiz.TableRow{
		{Cells: []quiz.Cell{{{Text: "a1"}}}, Outcome: "high"},
	}}},
	"bands":  {Bands: &quiz.Bands{On: "scale.s", Cuts: []quiz.Cut{{From: rule.Int(2), Outcome: "high"}}}},
	"leader": {Leader: &quiz.Leader{Outcomes: map[string]string{"k": "high"}}},
	"matrix": {Matrix: &quiz.Matrix{
		Across:   quiz.Edge{On: "scale.s", Cuts: []rule.Number{rule.Int(2)}},
		Down:     quiz.Edge{On: "percent.s", Cuts: []rule.Number{rule.Int(0)}},
		Outcomes: [][]quiz.CellOutcome{{"high"}},
	}},
	"closest": {Closest: &quiz.Closest{On: []string{"scale.s"}, Profiles: map[string][]rule.Number{
		"high": {rule.Int(2)}, "low": {rule.Int(1)},
	}}},
	verdict.RuleName: {Outcome: "high", When: &rule.Condition{
		Fact: "scale.s", Op: rule.OpGe, Value: rule.One(rule.Scalar{Num: rule.Int(2), IsNum: true}),
	}},
}

func TestEveryLineGoesThroughEverything(t *testing.T) {
	for _, name := range verdict.Kinds() {
		t.Run(name, func(t *testing.T) {
			line, there := lines[name]
			require.True(t, there, "a line of this kind")
			require.Equal(t, name, line.Line().Name())
			d := asking(questionOf(t, kind.Single))
			d.Keywords = []quiz.Keyword{{ID: "k", Name: "Keen"}}
			d.Questions[0].Required = true
			d.Questions[0].Choices[0].Votes = map[string]rule.Number{"k": rule.Int(1)}
			d.Verdicts = []quiz.Verdict{line}
			d = readAgain(t, d)
			r := countedWhole(t, d)
			require.InDelta(t, 0.5, r.Outcomes[0].Share, 1e-12, "one of two answers")
			require.Len(t, r.Takes, map[bool]int{true: 2, false: 1}[name == "closest"])
			require.Contains(t, line.Leads(), "high")
			moved := line.Leading(func(o string) string { return o + "x" })
			require.Contains(t, moved.Leads(), "highx")
			require.Contains(t, line.Leads(), "high", "the line itself is as it was")
			require.NotEmpty(t, d.VerdictSentence(&d.Verdicts[0]))
			require.NotEmpty(t, d.Named("/verdicts/0/"+name))
			c, err := walk.New(d)
			require.NoError(t, err)
			for _, o := range r.Outcomes {
				res := c.Walk(reach.InputOf(d, o.Witness))
				require.Contains(t, res.Say(d), o.ID[1:])
				tried, _ := c.Trace(reach.InputOf(d, o.Witness))
				require.NotEmpty(t, tried)
			}
			desk := newDesk(t, false)
			id := desk.newQuiz(d).ID
			body := desk.get("/quizzes/" + id + "/verdicts").Body.String()
			require.Contains(t, body, html.EscapeString(d.VerdictSentence(&d.Verdicts[0]))[:8])
			part := regexp.MustCompile(`<div class="linebody">\s*(.{40})`).FindString(body)
			require.NotEmpty(t, part, "the room draws what can be edited of it")
			require.Contains(t, desk.get("/quizzes/"+id+"/reach?room=verdicts").Body.String(), "50%")
		})
	}
}

func TestEveryChartIsDrawn(t *testing.T) {
	for _, name := range quiz.ChartKinds {
		d := asking(questionOf(t, kind.Single))
		d.Scales = append(d.Scales, quiz.Scale{ID: "t"}, quiz.Scale{ID: "u"})
		d.Outcomes[0].Ending = &quiz.Ending{Kind: quiz.EndPage, Charts: []quiz.Chart{
			{Kind: name, Of: quiz.ChartOf{"scale.s", "percent.t", "scale.u"}},
		}}
		d = readAgain(t, d)
		c, err := walk.New(d)
		require.NoError(t, err)
		in := walk.Input{Answers: map[string]walk.Answer{"asked": answered(d.Questions[0])}}
		drawn := chart.Of(d, &d.Outcomes[0].Ending.Charts[0], c.Walk(in))
		require.Len(t, drawn.Axes, 3, name)
		require.Contains(t, drawn.SVG("others"), "<svg", name)
	}
}
