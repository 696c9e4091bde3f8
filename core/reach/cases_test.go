package reach

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"math/big"
	"math/rand/v2"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/corpus"
	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

func read(t *testing.T, text string) *quiz.Document {
	t.Helper()
	d, err := quiz.Read([]byte(text))
	require.NoError(t, err)
	return d
}

func doc(t *testing.T, rest string) *quiz.Document {
	t.Helper()
	return read(t, `{"format":"omphalos-quiz/1","name":"Case",`+rest+`}`)
}

func counted4(t *testing.T, d *quiz.Document, a *Assumption) *Report {
	t.Helper()
	r, err := Check(context.Background(), d, Options{Assume: a})
	require.NoError(t, err)
	require.True(t, r.Exact)
	return r
}

func shares(r *Report) map[string]float64 {
	out := map[string]float64{}
	for _, o := range r.Outcomes {
		out[o.ID] = o.Share
	}
	return out
}

func shareIs(t *testing.T, r *Report, want map[string]float64) {
	t.Helper()
	got := shares(r)
	for id, w := range want {
		require.InDelta(t, w, got[id], 1e-12, id)
	}
}

func distribution(s Scale) map[string]float64 {
	out := map[string]float64{}
	for _, p := range s.Shares {
		out[p.Value.String()] = p.Share
	}
	return out
}

// The four cases below were worked by hand.
func TestMostAlongWalksThatExist(t *testing.T) {
	d := doc(t, `"scales":[{"id":"s"}],"outcomes":[{"id":"o"}],"otherwise":"o","questions":[
	 {"id":"q1","kind":"single","required":true,"choices":[{"id":"a","points":{"s":5}},{"id":"b"}],"branches":[{"when":{"fact":"answer.q1","op":"is","value":"a"},"go":"finish"}]},
	 {"id":"q2","kind":"single","required":true,"choices":[{"id":"a"},{"id":"b","points":{"s":4}}]}]`)
	r := counted4(t, d, nil)
	require.Equal(t, "5", r.Scales[0].Most.String())
	require.InDeltaMapValues(t, map[string]float64{"0": 0.25, "4": 0.25, "5": 0.5}, distribution(r.Scales[0]), 1e-12)
	require.Equal(t, "3", r.Combinations)
}

func TestTieRules(t *testing.T) {
	assume := &Assumption{Answers: map[string]map[string]float64{"q1": {"a": 0.6, "b": 0.4}, "q2": {"a": 0.5, "b": 0.5}}}
	for ties, want := range map[string]float64{"order": 0.8, "latest": 0.5, "question:q1": 0.6} {
		d := doc(t, fmt.Sprintf(`"keywords":[{"id":"a"},{"id":"b"}],"outcomes":[{"id":"oa"},{"id":"ob"}],"otherwise":"ob",
		"verdicts":[{"leader":{"outcomes":{"a":"oa","b":"ob"},"ties":%q}}],"questions":[
		{"id":"q1","kind":"single","required":true,"choices":[{"id":"a","votes":{"a":1}},{"id":"b","votes":{"b":1}}]},
		{"id":"q2","kind":"single","required":true,"choices":[{"id":"a","votes":{"a":1}},{"id":"b","votes":{"b":1}}]}]`, ties))
		r := counted4(t, d, assume)
		require.InDelta(t, 0.5, r.Ties, 1e-12)
		shareIs(t, r, map[string]float64{"oa": want, "ob": 1 - want})
	}
}

func TestPercentOfWhatWasAsked(t *testing.T) {
	d := doc(t, `"scales":[{"id":"s"}],"outcomes":[{"id":"low"},{"id":"mid"},{"id":"high"}],"otherwise":"low",
	"verdicts":[{"bands":{"on":"percent.s","cuts":[{"from":50,"outcome":"mid"},{"from":80,"outcome":"high"}]}}],"questions":[
	{"id":"q1","kind":"single","required":true,"choices":[{"id":"a","points":{"s":2}},{"id":"b"}],"branches":[{"when":{"fact":"answer.q1","op":"is","value":"a"},"go":"question:q3"}]},
	{"id":"q2","kind":"single","required":true,"choices":[{"id":"a"},{"id":"b","points":{"s":4}}]},
	{"id":"q3","kind":"single","required":true,"choices":[{"id":"a"},{"id":"b","points":{"s":2}}]}]`)
	shareIs(t, counted4(t, d, nil), map[string]float64{"low": 0.25, "mid": 0.5, "high": 0.25})
}

func TestChooseTwoToThree(t *testing.T) {
	d := doc(t, `"scales":[{"id":"s"}],"outcomes":[{"id":"o"}],"otherwise":"o","questions":[
	{"id":"q","kind":"multiple","required":true,"least":2,"most":3,"choices":[{"id":"a","points":{"s":4}},{"id":"b","points":{"s":-3}},{"id":"c","points":{"s":-3}},{"id":"d","points":{"s":-3}}]}]`)
	r := counted4(t, d, nil)
	require.Equal(t, "10", r.Combinations)
	require.Equal(t, "1", r.Scales[0].Most.String())
	require.InDeltaMapValues(t, map[string]float64{"1": 0.3, "-2": 0.3, "-6": 0.3, "-9": 0.1}, distribution(r.Scales[0]), 1e-12)
}

func testdata(t *testing.T, name string, into any) {
	t.Helper()
	b, err := os.ReadFile("testdata/" + name)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(b, into))
}

// Source: testdata/score_distributions.json, counted for the published instruments PHQ-9 and GAD-7.
func TestPublishedScoreDistributions(t *testing.T) {
	var all map[string]struct {
		Options      [][]int          `json:"options_per_item"`
		Combinations int64            `json:"combinations"`
		Counts       map[string]int64 `json:"counts_by_score"`
		BandShare    map[string]float64
		Bands        map[string]int64 `json:"bands"`
	}
	testdata(t, "score_distributions.json", &all)
	require.Len(t, all, 2)
	for name, in := range all {
		d := quiz.New(name)
		d.Scales, d.Outcomes = []quiz.Scale{{ID: "s"}}, nil
		for i, options := range in.Options {
			q := quiz.Question{ID: fmt.Sprint("q", i), Kind: quiz.Single, Required: true}
			for j, p := range options {
				q.Choices = append(q.Choices, quiz.Choice{ID: fmt.Sprint("c", j), Points: map[string]rule.Number{"s": rule.Int(int64(p))}})
			}
			d.Questions = append(d.Questions, q)
		}
		bands := &quiz.Bands{On: "scale.s"}
		for lo := 0; lo <= 27; lo++ {
			for band := range in.Bands {
				if strings.HasPrefix(band, fmt.Sprint(lo, "..")) {
					id := strings.ReplaceAll(band, "..", "to")
					d.Outcomes = append(d.Outcomes, quiz.Outcome{ID: id})
					bands.Cuts = append(bands.Cuts, quiz.Cut{From: rule.Int(int64(lo)), Outcome: id})
				}
			}
		}
		d.Otherwise = d.Outcomes[0].ID
		d.Verdicts = []quiz.Verdict{{Bands: bands}}
		r := counted4(t, d, nil)
		require.Equal(t, big.NewInt(in.Combinations).String(), r.Combinations)
		got := distribution(r.Scales[0])
		require.Len(t, got, len(in.Counts))
		for score, count := range in.Counts {
			require.InDelta(t, float64(count)/float64(in.Combinations), got[score], 1e-12)
		}
		for band, count := range in.Bands {
			require.InDelta(t, float64(count)/float64(in.Combinations), shares(r)[strings.ReplaceAll(band, "..", "to")], 1e-12)
		}
	}
}

// Source: testdata/statistics.json: Wilson intervals published to four places; Quinlan 1986, Machine Learning
// 1:81-106, table 1 (from memory, recomputed); Shannon 1948, section 9.
func TestStatisticsFromOutside(t *testing.T) {
	var file struct {
		Wilson []struct {
			X, N      int
			Low, High float64
		} `json:"wilson95"`
		Gain struct {
			Rows    [][]string
			Columns []string
			H       float64
			Gain    map[string]float64
		} `json:"info_gain_saturday_mornings"`
		Shannon struct {
			P []float64
			H float64
		} `json:"entropy_shannon_1948"`
		Weighted struct {
			Items []map[string]float64
			Dist  map[string]float64
		} `json:"weighted_answers_convolution"`
	}
	testdata(t, "statistics.json", &file)
	require.Len(t, file.Wilson, 2)
	for _, w := range file.Wilson {
		got := Wilson(w.X, w.N)
		require.InDelta(t, w.Low, got[0], 1e-12)
		require.InDelta(t, w.High, got[1], 1e-12)
	}
	last := len(file.Gain.Columns) - 1
	for col, name := range file.Gain.Columns[:last] {
		values := map[string]int{}
		var joint []float64
		for _, row := range file.Gain.Rows {
			if _, ok := values[row[col]]; !ok {
				values[row[col]] = len(values)
				joint = append(joint, 0, 0)
			}
			class := 0
			if row[last] == "P" {
				class = 1
			}
			joint[values[row[col]]*2+class]++
		}
		gain, h := information(joint, len(values), 2, float64(len(file.Gain.Rows)))
		require.InDelta(t, file.Gain.Gain[name], gain, 1e-12, name)
		require.InDelta(t, file.Gain.H, h, 1e-12)
	}
	_, h := information(file.Shannon.P, 1, len(file.Shannon.P), 1)
	require.InDelta(t, file.Shannon.H, h, 1e-12)

	d := quiz.New("Weighted")
	d.Scales = []quiz.Scale{{ID: "s"}}
	assume := &Assumption{Answers: map[string]map[string]float64{}}
	for i, item := range file.Weighted.Items {
		q := quiz.Question{ID: fmt.Sprint("q", i), Kind: quiz.Single, Required: true}
		assume.Answers[q.ID] = map[string]float64{}
		for points, p := range item {
			id := strings.Replace("c"+points, "-", "m", 1)
			q.Choices = append(q.Choices, quiz.Choice{ID: id, Points: map[string]rule.Number{"s": rule.MustNumber(points)}})
			assume.Answers[q.ID][id] = p
		}
		d.Questions = append(d.Questions, q)
	}
	require.InDeltaMapValues(t, file.Weighted.Dist, distribution(counted4(t, d, assume).Scales[0]), 1e-12)
}

// The influence of a question is the mutual information of its answer and the outcome over all walks.
func TestInfluenceEqualsItsDefinition(t *testing.T) {
	d := doc(t, `"scales":[{"id":"s"}],"outcomes":[{"id":"x"},{"id":"y"}],"otherwise":"y",
	"verdicts":[{"bands":{"on":"scale.s","cuts":[{"from":3,"outcome":"x"}]}}],"questions":[
	{"id":"a","kind":"single","required":true,"choices":[{"id":"p","points":{"s":2}},{"id":"q"},{"id":"r","points":{"s":1}}]},
	{"id":"b","kind":"single","required":true,"choices":[{"id":"p","points":{"s":2}},{"id":"q"}],"visible_if":{"fact":"answer.a","op":"is_not","value":"q"}},
	{"id":"idle","kind":"single","required":true,"choices":[{"id":"p"},{"id":"q"}]}]`)
	r := counted4(t, d, nil)
	h := func(p float64) float64 {
		if p <= 0 || p >= 1 {
			return 0
		}
		return -p*math.Log2(p) - (1-p)*math.Log2(1-p)
	}
	// a: p → x half of the time, q never, r half; overall 1/3. b, asked of 2/3: p → x always, q → never.
	require.InDelta(t, h(1./3)-(2./3)*h(.5), r.Questions[0].Influence, 1e-12)
	require.InDelta(t, 1, r.Questions[1].Influence, 1e-12)
	require.InDelta(t, 1, r.Questions[1].Settles, 1e-12)
	require.False(t, r.Questions[2].Matters)
	require.Equal(t, []string{"no_influence /questions/2", "uncovered_value /verdicts/0/bands"}, codes(r))
}

func codes(r *Report) []string {
	var out []string
	for _, f := range r.Findings {
		out = append(out, f.Code+" "+f.Where)
	}
	for i := range out {
		for j := i + 1; j < len(out); j++ {
			if out[j] < out[i] {
				out[i], out[j] = out[j], out[i]
			}
		}
	}
	return out
}

const two = `"scales":[{"id":"s"}],"keywords":[{"id":"k"},{"id":"l"}],"outcomes":[{"id":"x"},{"id":"y"}],"otherwise":"y",`
const ab = `{"id":"a","kind":"single","required":true,"choices":[{"id":"p","points":{"s":4}},{"id":"q"}]},
{"id":"b","kind":"single","required":true,"choices":[{"id":"p","points":{"s":5}},{"id":"q"}]}`

func TestFindings(t *testing.T) {
	is := func(q, v string) string { return fmt.Sprintf(`{"fact":"answer.%s","op":"is","value":%q}`, q, v) }
	for name, c := range map[string]struct {
		rest string
		want []string
	}{
		"nothing": {two + `"questions":[` + ab + `],"verdicts":[{"when":{"all":[` + is("a", "p") + `,` + is("b", "p") + `]},"outcome":"x"}]`, nil},
		"an empty band between values 0, 4, 5, 9": {two + `"questions":[` + ab + `],"verdicts":[{"bands":{"on":"scale.s","cuts":[{"from":0,"outcome":"y"},{"from":1,"outcome":"x"},{"from":4,"outcome":"x"}]}}]`,
			[]string{"empty_band /verdicts/0/bands/cuts/1"}},
		"the usual slip": {two + `"questions":[` + ab + `],"verdicts":[{"when":{"all":[` + is("a", "p") + `,` + is("a", "q") + `]},"outcome":"x"}]`,
			[]string{"dead_verdict /verdicts/0", "impossible_condition /verdicts/0/when", "unreachable_outcome /outcomes/0"}},
		"a slip within": {two + `"questions":[` + ab + `],"verdicts":[{"when":{"any":[{"all":[` + is("a", "p") + `,` + is("a", "q") + `]},` + is("b", "p") + `]},"outcome":"x"}]`,
			[]string{"impossible_condition /verdicts/0/when/any/0", "no_influence /questions/0"}},
		"a score that nobody has": {two + `"questions":[` + ab + `],"verdicts":[{"when":{"fact":"scale.s","op":"is","value":6},"outcome":"y"},{"when":` + is("a", "p") + `,"outcome":"x"}]`,
			[]string{"dead_verdict /verdicts/0", "impossible_condition /verdicts/0/when", "no_influence /questions/1"}},
		"a line behind its like": {two + `"questions":[` + ab + `],"verdicts":[{"when":` + is("a", "p") + `,"outcome":"x"},{"when":` + is("a", "p") + `,"outcome":"y"}]`,
			[]string{"dead_verdict /verdicts/1", "no_influence /questions/1"}},
		"a question nobody sees": {two + `"questions":[{"id":"a","kind":"single","required":true,"choices":[{"id":"p"},{"id":"q"}],"branches":[{"when":{"all":[]},"go":"question:c"}]},{"id":"b","kind":"date"},{"id":"c","kind":"date"}],"verdicts":[{"when":` + is("a", "p") + `,"outcome":"x"}]`,
			[]string{"unreachable_question /questions/1"}},
		"hidden for ever": {two + `"questions":[` + ab + `,{"id":"c","kind":"date","visible_if":{"fact":"scale.s","op":"gt","value":9}}],"verdicts":[{"when":` + is("a", "p") + `,"outcome":"x"}]`,
			[]string{"impossible_condition /questions/2/visible_if", "no_influence /questions/1", "unreachable_question /questions/2"}},
		"a tie": {two + `"questions":[{"id":"a","kind":"single","required":true,"choices":[{"id":"p","votes":{"k":1,"l":1}},{"id":"q","votes":{"l":1}}]}],"verdicts":[{"leader":{"outcomes":{"k":"x","l":"y"}}}]`,
			[]string{"tie /verdicts/0/leader"}},
		"· Move with the arrow keys, type an outcome’s letters to set the cell, press Space to clear it": {two + `"questions":[` + ab + `],"verdicts":[{"table":{"facts":["answer.a","answer.b"],"rows":[{"cells":[["p"],null],"outcome":"x"}]}}]`,
			[]string{"no_influence /questions/1", "table_gap /verdicts/0/table"}},
		"no gap where the table is not for everybody": {two + `"questions":[` + ab + `],"verdicts":[{"when":{"fact":"answer.b","op":"is","value":"p"},"table":{"facts":["answer.a"],"rows":[{"cells":[["p"]],"outcome":"x"},{"cells":[["q"]],"outcome":"x"}]}}]`,
			[]string{"no_influence /questions/0"}},
		"an overlap": {two + `"questions":[` + ab + `],"verdicts":[{"table":{"facts":["answer.a","answer.b"],"rows":[{"cells":[["p"],null],"outcome":"x"},{"cells":[null,["p"]],"outcome":"y"},{"cells":[null,null],"outcome":"y"}]}}]`,
			[]string{"no_influence /questions/1", "table_overlap /verdicts/0/table/rows/1", "table_overlap /verdicts/0/table/rows/2", "table_overlap /verdicts/0/table/rows/2"}},
		"If both share an address, your ad platform can’t tell qualified leads from others. Omphalos warns you about this unless you tick this box": {`"outcomes":[{"id":"x","qualified":true,"ending":{"kind":"redirect","url":"https://example.org/go?a=1"}},{"id":"y","ending":{"kind":"redirect","url":"https://example.org/go{?a}"}}],"otherwise":"y","questions":[` + strings.ReplaceAll(strings.ReplaceAll(ab, `,"points":{"s":4}`, ""), `,"points":{"s":5}`, "") + `],"verdicts":[{"when":{"all":[` + is("a", "p") + `,` + is("b", "p") + `]},"outcome":"x"}]`,
			[]string{"shared_address /outcomes/1/ending/url"}},
		"one address by choice": {`"settings":{"same_address":true},"outcomes":[{"id":"x","qualified":true,"ending":{"kind":"redirect","url":"https://example.org/go"}},{"id":"y","ending":{"kind":"redirect","url":"https://example.org/go"}}],"otherwise":"y","questions":[` + strings.ReplaceAll(strings.ReplaceAll(ab, `,"points":{"s":4}`, ""), `,"points":{"s":5}`, "") + `],"verdicts":[{"when":{"all":[` + is("a", "p") + `,` + is("b", "p") + `]},"outcome":"x"}]`,
			nil},
		"a line switched off": {two + `"questions":[` + ab + `],"verdicts":[{"when":` + is("a", "p") + `,"outcome":"x"},{"off":true,"when":{"fact":"answer.gone","op":"is","value":"p"},"outcome":"nowhere"}]`,
			[]string{"no_influence /questions/1"}},
		"another language": {`"language":"en","outcomes":[{"id":"x","heading":"X"},{"id":"y"}],"otherwise":"y","questions":[{"id":"a","kind":"single","text":"A?","required":true,"choices":[{"id":"p"},{"id":"q","label":"Q"}]}],"verdicts":[{"when":` + is("a", "p") + `,"outcome":"x"}],
			"translations":{"de":{"name":{"text":"N"},"questions.a.text":{"text":"A auf Deutsch?","of":"An older A?"},"outcomes.x.heading":{"text":"{niemand}","of":"X"}}}`,
			[]string{"changed_text /translations/de/questions.a.text", "missing_text /translations/de/questions.a.choices.q.label", "unknown_name /translations/de/outcomes.x.heading"}},
		"names and addresses": {`"outcomes":[{"id":"x","text":"{nobody}","ending":{"kind":"redirect","url":"https://example.org/{?a,zz}"}},{"id":"y","ending":{"kind":"page","buttons":[{"label":"b","url":"/local"}]}}],"otherwise":"y","computed":[{"id":"c","formula":"scale.none * 2"}],"questions":[` + strings.ReplaceAll(strings.ReplaceAll(ab, `,"points":{"s":4}`, ""), `,"points":{"s":5}`, "") + `],"verdicts":[{"when":{"all":[` + is("a", "p") + `,` + is("b", "p") + `]},"outcome":"x"}]`,
			[]string{"unknown_name /computed/0/formula", "unknown_name /outcomes/0/ending/url", "unknown_name /outcomes/0/text", "unsafe_address /outcomes/1/ending/buttons/0/url"}},
	} {
		d := doc(t, c.rest)
		r := counted4(t, d, nil)
		require.Equal(t, c.want, codes(r), name)
		for _, f := range r.Findings {
			require.NotEmpty(t, f.Message)
			require.Contains(t, []string{Error, Warning, Note}, f.Severity)
		}
		again := counted4(t, d, nil)
		a, _ := json.Marshal(r)
		b, _ := json.Marshal(again)
		require.Equal(t, string(a), string(b), "the same document has the same report, byte for byte")
	}
}

// Computed values are counted through the state: a formula over a scale, a keyword and an answer, cut into bands.
func TestComputedValuesAreCountedExactly(t *testing.T) {
	d := doc(t, two+`"computed":[{"id":"c","formula":"round(scale.s * 1.5 + keyword.k + answer.n / 2, 1)"},{"id":"half","formula":"computed.c / 2"}],
	"questions":[`+ab+`,{"id":"n","kind":"rating","required":true,"from":0,"to":3},{"id":"v","kind":"single","choices":[{"id":"p","votes":{"k":2}},{"id":"q"}]}],
	"verdicts":[{"bands":{"on":"computed.half","cuts":[{"from":4.25,"outcome":"x"}]}},{"when":{"fact":"computed.c","op":"between","value":[1,2]},"outcome":"x"}]`)
	e, whole := enumerate(t, d, 1000)
	require.True(t, whole)
	compare(t, d, e, counted4(t, d, nil), false)
}

func TestAssumptionsAreChecked(t *testing.T) {
	d := doc(t, two+`"questions":[`+ab+`]`)
	for says, a := range map[string]*Assumption{
		"the assumed shares name question \"zz\", which doesn’t exist": {Answers: map[string]map[string]float64{"zz": {"p": 1}}},
		"it can’t be negative":  {Answers: map[string]map[string]float64{"a": {"p": -1}}},
		"the assumed shares of": {Answers: map[string]map[string]float64{"a": {"p": 0}}},
	} {
		_, err := Check(context.Background(), d, Options{Assume: a})
		require.ErrorContains(t, err, says)
	}
	country := doc(t, two+`"questions":[`+ab+`],"verdicts":[{"when":{"fact":"visitor.country","op":"is","value":"GB"},"outcome":"x"}]`)
	shareIs(t, counted4(t, country, &Assumption{Visitor: map[string]map[string]float64{"country": {"GB": 0.6, "*": 0.4}}}), map[string]float64{"x": 0.6})
	shareIs(t, counted4(t, country, nil), map[string]float64{"x": 0.5})
	// A share of nothing is not "unreachable".
	zero := doc(t, two+`"questions":[`+ab+`],"verdicts":[{"when":{"fact":"answer.a","op":"is","value":"p"},"outcome":"x"}]`)
	r := counted4(t, zero, &Assumption{Answers: map[string]map[string]float64{"a": {"q": 1}}})
	require.Zero(t, r.Outcomes[0].Share)
	require.True(t, r.Outcomes[0].Reachable)
}

// Past the budget a simulation takes over and says so; it is the same each time, and its intervals hold the exact
// shares.
func TestBeyondTheBudgetItIsSimulated(t *testing.T) {
	d := quiztest.Branching()
	exact := counted4(t, d, nil)
	r, err := Check(context.Background(), d, Options{Budget: 1000, Samples: 5000})
	require.NoError(t, err)
	require.False(t, r.Exact)
	require.Equal(t, 5000, r.Samples)
	for i, o := range r.Outcomes {
		require.NotNil(t, o.Interval)
		require.Equal(t, Reached, o.Settled)
		require.Less(t, o.Interval[0]-0.01, exact.Outcomes[i].Share)
		require.Greater(t, o.Interval[1]+0.01, exact.Outcomes[i].Share)
	}
	again, err := Check(context.Background(), d, Options{Budget: 1000, Samples: 5000})
	require.NoError(t, err)
	a, _ := json.Marshal(r)
	b, _ := json.Marshal(again)
	require.Equal(t, string(a), string(b))
	cancelled, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = Check(cancelled, d, Options{})
	require.ErrorIs(t, err, context.Canceled)
}

func FuzzConditions(f *testing.F) {
	corpus.Add(f)
	f.Add(`{"all":[{"fact":"answer.a","op":"is","value":"p"},{"fact":"scale.s","op":"ge","value":2.5}]}`, "scale.s * 2")
	f.Add(`{"none":[]}`, "round(answer.a, 1)")
	f.Fuzz(func(t *testing.T, condition, formula string) {
		name, err := json.Marshal(formula)
		if err != nil {
			return
		}
		d, err := quiz.Read([]byte(`{"format":"omphalos-quiz/1","name":"F",` + two + `"questions":[` + ab + `],"computed":[{"id":"c","formula":` + string(name) + `}],"verdicts":[{"when":` + condition + `,"outcome":"x"}]}`))
		if err != nil {
			return
		}
		r, err := Check(context.Background(), d, Options{Budget: 10000, Samples: 50})
		require.NoError(t, err)
		if c, err := walk.New(d); err == nil && r.Exact {
			for _, o := range r.Outcomes {
				if o.Witness != nil {
					require.Equal(t, o.ID, c.Walk(answersOf(t, d, o.Witness)).Outcome)
				}
			}
		}
	})
}

// The sampler draws every answer as often as the count weighs it.
func TestSamplesComeAsOftenAsTheyCount(t *testing.T) {
	for _, a := range []*Assumption{nil, {Answers: map[string]map[string]float64{"m": {"a": 0.5, "b": 0.2, "c": 0.3, "none": 0.1}, "n": {"1": 3, "3": 1}, "g.r": {"p": 0.9, "q": 0.1}}}} {
		d := doc(t, two+`"questions":[
		{"id":"m","kind":"multiple","most":2,"choices":[{"id":"a","points":{"s":1}},{"id":"b","points":{"s":10}},{"id":"c","points":{"s":100}},{"id":"none","exclusive":true,"points":{"s":5}}]},
		{"id":"n","kind":"number","required":true,"from":0,"to":4,"linear":{"s":{"factor":1000}}},
		{"id":"g","kind":"grid","required":true,"rows":[{"id":"r"}],"choices":[{"id":"p","points":{"s":10000}},{"id":"q"}]}]`)
		exact := distribution(counted4(t, d, a).Scales[0])
		m, err := newModel(context.Background(), d, a)
		require.NoError(t, err)
		sim, err := simulate(context.Background(), m, 20_000)
		require.NoError(t, err)
		for _, p := range sim.scales[0].points(sim.n) {
			require.InDelta(t, exact[p.Value.String()], p.Share, 0.015, "%s", p.Value)
		}
	}
}

// Too many different answers to one question, and numbers too large to count, are simulated and not got wrong.
func TestWhatCannotBeListedIsSimulated(t *testing.T) {
	d := doc(t, two+`"questions":[{"id":"n","kind":"number","required":true,"from":1,"to":900000,"linear":{"s":{"factor":1}}}],"verdicts":[{"bands":{"on":"scale.s","cuts":[{"from":450001,"outcome":"x"}]}}]`)
	r, err := Check(context.Background(), d, Options{Samples: 4000})
	require.NoError(t, err)
	require.False(t, r.Exact)
	require.InDelta(t, 0.5, r.Outcomes[0].Share, 0.04)
	require.True(t, r.Scales[0].Simulated)
	large := doc(t, two+`"questions":[{"id":"a","kind":"single","required":true,"choices":[{"id":"p","points":{"s":999999999999.0001}},{"id":"q"}]}],"verdicts":[{"when":{"fact":"scale.s","op":"gt","value":1},"outcome":"x"}]`)
	r, err = Check(context.Background(), large, Options{Samples: 2000})
	require.NoError(t, err)
	require.False(t, r.Exact)
	require.InDelta(t, 0.5, r.Outcomes[0].Share, 0.05)
	require.Equal(t, "2", r.Combinations, "the answers can be listed, though their points cannot be counted")
}

// What the cheap proof rules out is never reached, and it rules out most of what is not.
func TestTheCheapProofIsSound(t *testing.T) {
	r := rand.New(rand.NewPCG(77, 1))
	unreachable, proved := 0, 0
	for range 1500 {
		d := quiztest.Random(r, quiztest.Size{Questions: 4, Choices: 3})
		m, err := newModel(context.Background(), d, nil)
		require.NoError(t, err)
		possible := m.possible()
		for _, o := range counted4(t, d, nil).Outcomes {
			if o.Reachable {
				require.True(t, possible[o.ID], "%s is reached by %v", o.ID, o.Witness)
				continue
			}
			unreachable++
			if !possible[o.ID] {
				proved++
			}
		}
	}
	t.Logf("%d of %d unreachable outcomes proved", proved, unreachable)
	require.Greater(t, 2*proved, unreachable)
}

func TestAnEditOfWordingCountsNothingAnew(t *testing.T) {
	var c Counter
	d := quiztest.Branching()
	before, err := c.Check(context.Background(), d, Options{})
	require.NoError(t, err)
	ran := c.Passes
	d = quiztest.Branching()
	d.Questions[3].Text, d.Questions[3].Choices[0].Label, d.Outcomes[0].Heading = "New words", "And here", "And there {nobody}"
	d.Translations = quiz.Translations{"de": {"questions." + d.Questions[3].ID + ".text": {Text: "Neue Worte"}}}
	after, err := c.Check(context.Background(), d, Options{})
	require.NoError(t, err)
	require.Equal(t, ran, c.Passes)
	require.Equal(t, before.Outcomes, after.Outcomes)
	require.Contains(t, codes(after), "unknown_name /outcomes/0/heading", "what is said in words is said anew")
	d.Questions[3].Choices[0].Points["a"] = rule.Int(9)
	_, err = c.Check(context.Background(), d, Options{})
	require.NoError(t, err)
	require.Greater(t, c.Passes, ran)
}
