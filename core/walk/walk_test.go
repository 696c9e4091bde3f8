package walk_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

func num(s string) *rule.Number { n := rule.MustNumber(s); return &n }

func read(t *testing.T, rest string) (*quiz.Document, *walk.Compiled) {
	t.Helper()
	d, err := quiz.Read([]byte(`{"format":"omphalos-quiz/1","name":"Walk",` + rest + `}`))
	require.NoError(t, err)
	c, err := walk.New(d)
	require.NoError(t, err)
	return d, c
}

func TestAnswersAreReadAndRefused(t *testing.T) {
	choices := []quiz.Choice{{ID: "a", Label: "Apple"}, {ID: "b", Label: "Both | ends"}, {ID: "c", Label: "apple "}, {ID: "none", Label: "None", Exclusive: true}, {ID: "o", Label: "Other", Other: true}}
	grid := quiz.Question{ID: "g", Kind: quiz.Grid, Choices: choices, Rows: []quiz.Row{{ID: "r"}, {ID: "s"}}}
	for _, c := range []struct {
		q      quiz.Question
		fields string // name=value pairs
		want   string // the fields that come back, or the message after "!"
	}{
		{quiz.Question{ID: "q", Kind: quiz.Single, Choices: choices}, "q=a", "q=a"},
		{quiz.Question{ID: "q", Kind: quiz.Single, Choices: choices}, "q= Both | ends ", "q=b"},
		{quiz.Question{ID: "q", Kind: quiz.Single, Choices: choices}, "q=APPLE", "!More than one answer is called “APPLE”. Use the answer’s ID."},
		{quiz.Question{ID: "q", Kind: quiz.Single, Choices: choices}, "q=zz", "!not one of the answers"},
		{quiz.Question{ID: "q", Kind: quiz.Single, Choices: choices}, "q=a&q=b", "!Please choose only one answer (you chose 2)."},
		{quiz.Question{ID: "q", Kind: quiz.Single, Choices: choices}, "q=", ""},
		{quiz.Question{ID: "q", Kind: quiz.Single, Choices: choices}, "q=o&q.other=A pear", "q=o&q.other=A pear"},
		{quiz.Question{ID: "q", Kind: quiz.Single, Choices: choices}, "q=a&q.other=A pear", "q=a"},
		{quiz.Question{ID: "q", Kind: quiz.Multiple, Choices: choices}, "q=b&q=a&q=a", "q=a&q=b"},
		{quiz.Question{ID: "q", Kind: quiz.Multiple, Choices: choices, Most: 1}, "q=a&q=b", "!Choose no more than 1 (you chose 2)."},
		{quiz.Question{ID: "q", Kind: quiz.Multiple, Choices: choices, Least: 2}, "q=a", "!at least 2"},
		{quiz.Question{ID: "q", Kind: quiz.Multiple, Choices: choices}, "q=a&q=none", "!You can’t combine “None” with other answers. Deselect it, or deselect the others."},
		{quiz.Question{ID: "q", Kind: quiz.Multiple, Choices: choices}, "q=none", "q=none"},
		{quiz.Question{ID: "q", Kind: quiz.Rating, From: num("1"), To: num("5")}, "q=5", "q=5"},
		{quiz.Question{ID: "q", Kind: quiz.Rating, From: num("1"), To: num("5")}, "q=6", "!from 1 to 5"},
		{quiz.Question{ID: "q", Kind: quiz.NumberQ, From: num("1")}, "q=0", "!Enter a number of 1 or more."},
		{quiz.Question{ID: "q", Kind: quiz.NumberQ, To: num("9"), Unit: "m"}, "q=10", "!Enter a number of 9 m or less."},
		{quiz.Question{ID: "q", Kind: quiz.NumberQ}, "q=1.5", "!whole number"},
		{quiz.Question{ID: "q", Kind: quiz.NumberQ, From: num("0.5"), Step: num("0.25")}, "q=1.25", "q=1.25"},
		{quiz.Question{ID: "q", Kind: quiz.NumberQ, From: num("0.5"), Step: num("0.25")}, "q=1.3", "!in steps of 0.25"},
		{quiz.Question{ID: "q", Kind: quiz.NumberQ}, "q=−3", "q=-3"},
		{quiz.Question{ID: "q", Kind: quiz.NumberQ}, "q=three", "!Enter a number, such as 12."},
		{quiz.Question{ID: "q", Kind: quiz.ShortText}, "q= a word ", "q=a word"},
		{quiz.Question{ID: "q", Kind: quiz.ShortText}, "q=" + strings.Repeat("x", 501), "!Use no more than 500 characters."},
		{quiz.Question{ID: "q", Kind: quiz.LongText}, "q=" + strings.Repeat("x", 501), "q=" + strings.Repeat("x", 501)},
		{quiz.Question{ID: "q", Kind: quiz.Email}, "q=a@b.example", "q=a@b.example"},
		{quiz.Question{ID: "q", Kind: quiz.Email}, "q=a@b@c", "!Enter an email address, such as name@example.org."},
		{quiz.Question{ID: "q", Kind: quiz.Date}, "q=2028-02-29", "q=2028-02-29"},
		{quiz.Question{ID: "q", Kind: quiz.Date}, "q=2026-02-29", "!YYYY-MM-DD"},
		{quiz.Question{ID: "q", Kind: quiz.Date}, "q=2026-04-31", "!YYYY-MM-DD"},
		{quiz.Question{ID: "q", Kind: quiz.Date}, "q=2026-13-01", "!YYYY-MM-DD"},
		{quiz.Question{ID: "q", Kind: quiz.Consent}, "q=on", "q=yes"},
		{quiz.Question{ID: "q", Kind: quiz.Consent}, "q=maybe", "!Tick the box"},
		{quiz.Question{ID: "q", Kind: quiz.Statement}, "q=anything", ""},
		{grid, "g.r=a&g.s=Both | ends", "g.r=a&g.s=b"},
		{grid, "g.s=a", "g.s=a"},
		{grid, "g.r=zz", "!not one of the answers"},
	} {
		given := map[string][]string{}
		for pair := range strings.SplitSeq(c.fields, "&") {
			name, value, _ := strings.Cut(pair, "=")
			given[name] = append(given[name], value)
		}
		a, err := kind.Read(&c.q, func(field string) []string { return given[field] })
		if message, refused := strings.CutPrefix(c.want, "!"); refused {
			require.ErrorContains(t, err, message, "%s %s", c.q.Kind, c.fields)
			var field *walk.FieldError
			require.ErrorAs(t, err, &field)
			require.True(t, strings.HasPrefix(field.Field, c.q.ID))
			continue
		}
		require.NoError(t, err, "%s %s", c.q.Kind, c.fields)
		var back []string
		fields := a.Fields(&c.q)
		for _, name := range append(kind.FieldNames(&c.q), c.q.ID+".other") {
			for _, v := range fields[name] {
				back = append(back, name+"="+v)
			}
		}
		require.Equal(t, c.want, strings.Join(back, "&"))
		require.Equal(t, c.want == "", a.Blank())
	}
}

func TestRequiredQuestionsNeedAnAnswer(t *testing.T) {
	for name, says := range map[kind.Name]string{quiz.Single: "Choose an answer", quiz.Multiple: "at least one", quiz.Rating: "Choose", quiz.NumberQ: "a number",
		quiz.ShortText: "Enter an answer", quiz.Consent: "Tick the box"} {
		q := quiz.Question{ID: "q", Kind: name, Required: true}
		require.ErrorContains(t, kind.Check(&q, walk.Answer{}), says, name)
		q.Required = false
		require.NoError(t, kind.Check(&q, walk.Answer{}))
	}
	grid := quiz.Question{ID: "g", Kind: quiz.Grid, Required: true, Rows: []quiz.Row{{ID: "r"}, {ID: "s"}}}
	var field *walk.FieldError
	require.ErrorAs(t, kind.Check(&grid, walk.Answer{Rows: map[string]string{"r": "a"}}), &field)
	require.Equal(t, "g.s", field.Field)
	require.NoError(t, kind.Check(&quiz.Question{ID: "q", Kind: quiz.Statement, Required: true}, walk.Answer{}))
}

const base = `"scales":[{"id":"s","start":1}],"keywords":[{"id":"k"},{"id":"l"}],"outcomes":[{"id":"x","name":"Visit"},{"id":"y","name":"Later"}],"otherwise":"y",`

func pick(id string) walk.Answer { return walk.Answer{Picks: []string{id}} }

// Branches lead on, hidden questions are passed over, and what the walk does not reach counts for nothing.
func TestTheWalk(t *testing.T) {
	_, c := read(t, base+`"questions":[
	{"id":"a","kind":"single","choices":[{"id":"p","points":{"s":2}},{"id":"q"},{"id":"end"}],"branches":[
	  {"when":{"fact":"answer.a","op":"is","value":"q"},"go":"question:c"},{"when":{"fact":"answer.a","op":"is","value":"end"},"go":"outcome:x"}]},
	{"id":"b","kind":"single","choices":[{"id":"p","points":{"s":10}},{"id":"q"}],"branches":[{"when":{"fact":"scale.s","op":"ge","value":13},"go":"finish"}]},
	{"id":"c","kind":"single","choices":[{"id":"p","points":{"s":100}},{"id":"q"}],"visible_if":{"fact":"answer.b","op":"is_not","value":"q"}},
	{"id":"d","kind":"short_text"}],
	"verdicts":[{"when":{"fact":"scale.s","op":"ge","value":100},"outcome":"x"}]`)
	for answers, want := range map[string]string{
		"a=p b=p c=p": "a|b 13 y 0",      // finished by a branch on the running score
		"a=p b=q c=p": "a|b|d 3 y 0",     // c is hidden: its answer counts for nothing
		"a=q b=p c=p": "a|d 1 y 0",       // b is jumped over, so its answer is blank, and a blank is not "is_not"
		"a=end c=p":   "a 1 x branch",    // straight to an outcome
		"b=p c=p":     "a|b|c|d 111 x 1", // a blank
		"":            "a|b|d 1 y 0",     // all blank: c asks for an answer to b
	} {
		in := walk.Input{Answers: map[string]walk.Answer{}}
		for _, pair := range strings.Fields(answers) {
			id, choice, _ := strings.Cut(pair, "=")
			in.Answers[id] = pick(choice)
		}
		r := c.Walk(in)
		require.Equal(t, want, fmt.Sprint(strings.Join(r.Path, "|"), " ", r.Scales[0], " ", r.Outcome, " ", r.LineName()), answers)
	}
}

func TestAdvanceWaitsForTheNextAnswer(t *testing.T) {
	d, c := read(t, base+`"questions":[{"id":"a","kind":"single","required":true,"choices":[{"id":"p","points":{"s":2}}]},
	{"id":"b","kind":"short_text","visible_if":{"fact":"answer.a","op":"blank"}},{"id":"c","kind":"short_text"}]`)
	in := walk.Input{Answers: map[string]walk.Answer{}}
	r := c.Advance(in)
	require.Equal(t, 0, r.Pending)
	in.Answers["a"] = pick("p")
	r = c.Advance(in)
	require.Equal(t, "c", d.Questions[r.Pending].ID)
	require.Equal(t, "3", r.Scales[0].String())
	require.Empty(t, r.Outcome)
	in.Answers["c"] = walk.Answer{}
	r = c.Advance(in)
	require.Equal(t, -1, r.Pending)
	require.Equal(t, "y", r.Outcome)
	require.Equal(t, "question:c", r.Exit(0))
	require.Equal(t, "finish", r.Exit(1))
}

func TestPercentsLeaveTheStartOutAndNeverGoBelowZero(t *testing.T) {
	_, c := read(t, base+`"questions":[
	{"id":"a","kind":"single","required":true,"weight":0.5,"choices":[{"id":"p","points":{"s":3}},{"id":"q","points":{"s":-3}},{"id":"r","points":{"s":1}}]},
	{"id":"n","kind":"number","from":0,"to":10,"linear":{"s":{"factor":-0.1,"offset":1}},"steps":[{"from":5,"points":{"s":2}}]}]`)
	for answers, want := range map[string]string{"p 0": "2.5 of 4 = 62.5", "p 5": "4 of 4 = 100", "q 10": "0.5 of 4 = 12.5", "q ": "-1.5 of 4 = 0", "r 10": "2.5 of 4 = 62.5"} {
		choice, value, _ := strings.Cut(answers, " ")
		in := walk.Input{Answers: map[string]walk.Answer{"a": pick(choice)}}
		if value != "" {
			in.Answers["n"] = walk.Answer{Number: num(value)}
		}
		p := c.Walk(in).Percents[0]
		require.Equal(t, want, fmt.Sprintf("%s of %s = %s", p.Earned, p.Most, p.Number()), answers)
	}
}

func TestReasonsInWords(t *testing.T) {
	d, c := read(t, base+`"questions":[{"id":"a","kind":"single","text":"How large?","choices":[{"id":"p","label":"Small","points":{"s":4},"votes":{"k":1,"l":1}},{"id":"q","label":"Large","points":{"s":6},"votes":{"l":1}},{"id":"r","label":"Huge"},{"id":"z","label":"None"}],
	"branches":[{"when":{"fact":"answer.a","op":"is","value":"r"},"go":"outcome:x"}]}],
	"verdicts":[{"bands":{"on":"scale.s","cuts":[{"from":7,"outcome":"x"}]}},{"leader":{"outcomes":{"k":"x","l":"y"}}},{"table":{"facts":["answer.a"],"rows":[{"cells":[["z"]],"outcome":"y"}]}}]`)
	for choice, want := range map[string]string{
		"p": "k wins a tie between 2 keywords → Visit",
		"q": "s 7 equals the cut point 7 → Visit",
		"r": "After question 1 a branch leads to Visit: “How large?” is Huge",
		"z": "Row 1 of the table in line 3 → Later",
		"":  "No verdict line matched: everyone else → Later",
	} {
		in := walk.Input{Answers: map[string]walk.Answer{}}
		if choice != "" {
			in.Answers["a"] = pick(choice)
		}
		require.Equal(t, want, c.Walk(in).Say(d))
	}
}

func TestDraftsThatAreNotValidAreNotWalked(t *testing.T) {
	_, err := walk.New(&quiz.Document{Otherwise: "nobody"})
	require.ErrorContains(t, err, "outcome \"nobody\" doesn’t exist. Choose an existing outcome")
}
