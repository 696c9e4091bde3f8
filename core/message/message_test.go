package message

import (
	"context"
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/reach"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// asked are conditions of a random quiz, with others about its outcome.
func asked(r *rand.Rand, d *quiz.Document) rule.Condition {
	var own []rule.Condition
	d.EachCondition(func(_ string, c *rule.Condition) { own = append(own, *c) })
	var make func(depth int) rule.Condition
	make = func(depth int) rule.Condition {
		switch n := r.IntN(6); {
		case n == 0 && len(own) > 0:
			return own[r.IntN(len(own))]
		case n <= 2 || depth == 0:
			ids := &rule.Operand{IsList: true}
			for range 1 + r.IntN(2) {
				ids.List = append(ids.List, rule.Scalar{Text: d.Outcomes[r.IntN(len(d.Outcomes))].ID})
			}
			op := []rule.Op{rule.OpIn, rule.OpNotIn, rule.OpAnswered, rule.OpBlank}[r.IntN(4)]
			if op == rule.OpAnswered || op == rule.OpBlank {
				ids = nil
			}
			return rule.Condition{Fact: quiz.FactOutcome, Op: op, Value: ids}
		}
		list := []rule.Condition{make(depth - 1), make(depth - 1)}
		switch r.IntN(4) {
		case 0:
			return rule.Condition{All: list}
		case 1:
			return rule.Condition{Any: list}
		case 2:
			return rule.Condition{None: list}
		}
		return rule.Condition{AtLeast: 1 + r.IntN(2), Of: list}
	}
	return make(2)
}

// The share of a message is that of the walks that its condition holds for, whatever line or branch ended them, and its
// witness is one of those.
func TestSharesEqualWalkingEveryWalk(t *testing.T) {
	counted, none := 0, 0
	for seed := range uint64(1500) {
		r := rand.New(rand.NewPCG(seed, 14))
		d := quiztest.Random(r, quiztest.Size{Questions: 4, Choices: 3})
		if r.IntN(3) == 0 {
			no := false
			d.Outcomes[r.IntN(len(d.Outcomes))].Keep = &no
		}
		when := asked(r, d)
		d.Messages = []quiz.Message{{ID: "m", When: &when, To: quiz.ToTeam, Addresses: []string{"a@example.org"}, Subject: "s"}}
		c, err := walk.New(d)
		require.NoError(t, err, "seed %d", seed)
		want, walks := 0.0, 0
		quiztest.Each(c, func(in walk.Input, res *walk.Result, p float64) bool {
			if len(Due(c, Respondent{Input: in, Result: res}, fill.NoTables{})) > 0 {
				want += p
			}
			walks++
			return walks < 20_000
		})
		if walks >= 20_000 {
			continue
		}
		whole, err := reach.Check(context.Background(), d, reach.Options{})
		require.NoError(t, err)
		var counters Counters
		shares, err := counters.Shares(context.Background(), d, whole, reach.Options{})
		require.NoError(t, err)
		s := shares[0]
		if !s.Known {
			continue
		}
		require.True(t, s.Exact)
		require.InDelta(t, want, s.Share, 1e-9, "seed %d: %s", seed, d.Sentence(&when))
		require.Equal(t, want > 0, s.Reachable, "seed %d", seed)
		require.Equal(t, !s.Reachable, len(Findings(d, shares)) == 1)
		if counted++; !s.Reachable {
			none++
			continue
		}
		in := reach.InputOf(d, s.Witness)
		require.Len(t, Due(c, Respondent{Input: in, Result: c.Walk(in)}, fill.NoTables{}), 1, "seed %d", seed)
	}
	require.Greater(t, counted, 1000)
	require.Greater(t, none, 50)
	require.Greater(t, counted-none, 500)
}

// regions is a table next to the quiz.
type regions map[string]string

func (r regions) Find(table string, keys ...string) func(string) string {
	for _, k := range keys {
		if to, has := r[k]; has && table == "regions" {
			return func(string) string { return to }
		}
	}
	return nil
}

func TestWhoGetsWhat(t *testing.T) {
	d, err := quiz.Read([]byte(`{"format":"omphalos-quiz/1","name":"M","questions":[
		{"id":"where","kind":"single","text":"Where?","choices":[{"id":"n","label":"North"},{"id":"s","label":"South"}]}],
		"outcomes":[{"id":"yes"},{"id":"no","keep":false}],
		"verdicts":[{"when":{"fact":"answer.where","op":"is","value":"n"},"outcome":"yes"}],"otherwise":"no",
		"messages":[
			{"id":"own","to":"respondent","subject":"Hello","text":"","when":{"fact":"outcome","op":"is","value":"yes"}},
			{"id":"agreed","to":"respondent","agreed":true,"subject":"News","text":""},
			{"id":"team","to":"team","addresses":["a@x.example","b@x.example","a@x.example"],"subject":"Lead","text":""},
			{"id":"planner","to":"lookup","lookup":{"table":"regions","key":"where","column":"mail","fallback":"all@x.example"},"subject":"Lead","text":""},
			{"id":"off","off":true,"to":"team","addresses":["a@x.example"],"subject":"Lead","text":""}]}`))
	require.NoError(t, err)
	c, err := walk.New(d)
	require.NoError(t, err)
	due := func(choice, email string, agreed bool, tables fill.Tables) map[string][]string {
		in := walk.Input{Answers: map[string]walk.Answer{"where": {Picks: []string{choice}}}}
		out := map[string][]string{}
		for _, s := range Due(c, Respondent{Input: in, Result: c.Walk(in), Email: email, Agreed: agreed}, tables) {
			out[s.Message.ID] = s.To
		}
		return out
	}
	team := []string{"a@x.example", "b@x.example"}
	require.Equal(t, map[string][]string{"own": {"j@x.example"}, "agreed": {"j@x.example"}, "team": team, "planner": {"north@x.example"}},
		due("n", "j@x.example", true, regions{"n": "north@x.example"}))
	require.Equal(t, map[string][]string{"own": {"j@x.example"}, "team": team, "planner": {"all@x.example"}},
		due("n", "j@x.example", false, regions{"s": "south@x.example"}))
	require.Equal(t, map[string][]string{"team": team, "planner": {"all@x.example"}},
		due("n", "", true, regions{"n": "no address"}), "what the table has is no address: the one for all others")
	require.Empty(t, due("s", "j@x.example", true, regions{}), "nothing is kept, nothing is sent")
}

// What is wrong with a message has its place.
func TestProblemsOfMessages(t *testing.T) {
	read := func(message string) string {
		_, err := quiz.Read([]byte(`{"format":"omphalos-quiz/1","name":"M","questions":[{"id":"q","kind":"short_text","text":"?"}],
			"outcomes":[{"id":"yes"}],"otherwise":"yes","messages":[` + message + `]}`))
		return fmt.Sprint(err)
	}
	for _, c := range []struct{ message, want string }{
		{`{"id":"m","to":"respondent","subject":"S","text":""}`, "<nil>"},
		{`{"id":"m","to":"everyone","subject":"S","text":""}`, "/messages/0/to"},
		{`{"id":"m","to":"team","subject":"S","text":""}`, "/messages/0/addresses"},
		{`{"id":"m","to":"team","addresses":["a@x.example, b@x.example"],"subject":"S","text":""}`, "/messages/0/addresses/0"},
		{`{"id":"m","to":"lookup","subject":"S","text":""}`, "/messages/0/lookup"},
		{`{"id":"m","to":"respondent","subject":"a\r\nBcc: b@x.example","text":""}`, "/messages/0/subject"},
		{`{"id":"m","to":"respondent","subject":" ","text":""}`, "/messages/0/subject"},
		{`{"id":"m","to":"respondent","after":-1,"subject":"S","text":""}`, "/messages/0/after"},
		{`{"id":"m","to":"respondent","subject":"S","text":"","when":{"fact":"answer.x","op":"answered"}}`, "/messages/0/when/fact"},
		{`{"id":"m","to":"respondent","subject":"S","text":"","when":{"fact":"outcome","op":"is","value":"z"}}`, `outcome "z" doesn’t exist. Choose an existing outcome`},
		{`{"id":"m","to":"respondent","subject":"S","text":"","surprise":1}`, "surprise"},
		{`{"id":"m","to":"respondent","subject":"S","text":""},{"id":"m","to":"respondent","subject":"S","text":""}`, "/messages/1/id"},
	} {
		require.Contains(t, read(c.message), c.want, c.message)
	}
	_, err := quiz.Read([]byte(`{"format":"omphalos-quiz/1","name":"M","questions":[{"id":"q","kind":"short_text","text":"?",
		"visible_if":{"fact":"outcome","op":"answered"}}],"outcomes":[{"id":"yes"}],"otherwise":"yes"}`))
	require.ErrorContains(t, err, "/questions/0/visible_if", "nobody has an outcome on the way")
}

func TestMessagesOfAnOutcome(t *testing.T) {
	d, err := quiz.Read([]byte(`{"format":"omphalos-quiz/1","name":"M","questions":[
		{"id":"where","kind":"single","text":"Where?","choices":[{"id":"n","label":"North"},{"id":"s","label":"South"}]}],
		"outcomes":[{"id":"yes"},{"id":"no"},{"id":"gone","keep":false}],"otherwise":"no","messages":[
			{"id":"all","to":"team","addresses":["a@x.example"],"text":"","subject":"Lead"},
			{"id":"yes","to":"respondent","text":"","subject":"Yes","when":{"fact":"outcome","op":"is","value":"yes"}},
			{"id":"north","to":"respondent","text":"","subject":"North","when":{"all":[{"fact":"outcome","op":"is_not","value":"yes"},{"fact":"answer.where","op":"is","value":"n"}]}},
			{"id":"off","off":true,"to":"team","addresses":["a@x.example"],"text":"","subject":"Lead"}]}`))
	require.NoError(t, err)
	for outcome, want := range map[string][]string{"yes": {"all", "yes"}, "no": {"all", "north"}, "gone": nil} {
		var got []string
		for _, m := range May(d, outcome) {
			got = append(got, m.ID)
		}
		require.Equal(t, want, got, outcome)
	}
}
