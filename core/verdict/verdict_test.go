package verdict

import (
	"encoding/json"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/rule"
	"omphalos/core/say"
)

// seen is a document that a line is checked against: it has the outcomes a and b, the scales s and t and the keyword k.
type seen struct{ places []string }

func (s *seen) Report(at string, _, _ say.Text) { s.places = append(s.places, at) }

func (s *seen) Outcome(at, id string) {
	if id != "a" && id != "b" {
		s.places = append(s.places, at)
	}
}

func (s *seen) Fact(at, name string) bool {
	known := slices.Contains([]string{"scale.s", "percent.s", "scale.t", "percent.t", "keyword.k"}, name)
	if !known {
		s.places = append(s.places, at)
	}
	return known
}

func (s *seen) Cut(at, on string) { s.Fact(at, on) }

func (s *seen) Constant(string, string, rule.Op, rule.Scalar) {}

func (s *seen) HasKeyword(id string) bool { return id == "k" }

func (s *seen) HasQuestion(id string) bool { return id == "q" }

func TestWhereLinesAreWrong(t *testing.T) {
	for name, c := range map[string]struct {
		line string
		want []string
	}{
		"nothing":                    {`{}`, []string{"/verdicts/0"}},
		"two at a time":              {`{"outcome":"a","bands":{"on":"scale.s","cuts":[{"from":1,"outcome":"a"}]}}`, []string{"/verdicts/0"}},
		"a rule without a condition": {`{"outcome":"a"}`, []string{"/verdicts/0"}},
		"profiles":                   {`{"closest":{"on":["percent.s","scale.t"],"profiles":{"a":[80,1.5],"b":[40,0]},"ties":"order"}}`, nil},
		"one number":                 {`{"closest":{"on":["keyword.k"],"profiles":{"a":[1]}}}`, nil},
		"no number":                  {`{"closest":{"on":[],"profiles":{"a":[]}}}`, []string{"/verdicts/0/closest/on"}},
		"five numbers":               {`{"closest":{"on":["scale.s","scale.s","scale.s","scale.s","scale.s"],"profiles":{"a":[1,1,1,1,1]}}}`, []string{"/verdicts/0/closest/on"}},
		"no profile":                 {`{"closest":{"on":["scale.s"],"profiles":{}}}`, []string{"/verdicts/0/closest/profiles"}},
		"a percentile":               {`{"closest":{"on":["scale.s","percentile.s"],"profiles":{"a":[1,2]}}}`, []string{"/verdicts/0/closest/on/1"}},
		"an unknown scale":           {`{"closest":{"on":["scale.x"],"profiles":{"a":[1]}}}`, []string{"/verdicts/0/closest/on/0"}},
		"an unknown outcome":         {`{"closest":{"on":["scale.s"],"profiles":{"a/b":[1]}}}`, []string{"/verdicts/0/closest/profiles/a~1b"}},
		"a number short":             {`{"closest":{"on":["scale.s","scale.t"],"profiles":{"b":[1]}}}`, []string{"/verdicts/0/closest/profiles/b"}},
		"other ties":                 {`{"closest":{"on":["scale.s"],"profiles":{"a":[1]},"ties":"latest"}}`, []string{"/verdicts/0/closest/ties"}},
		"cuts that fall":             {`{"bands":{"on":"scale.s","cuts":[{"from":2,"outcome":"a"},{"from":2,"outcome":"b"}]}}`, []string{"/verdicts/0/bands/cuts/1/from"}},
	} {
		t.Run(name, func(t *testing.T) {
			var v Verdict
			require.NoError(t, json.Unmarshal([]byte(c.line), &v))
			var s seen
			v.Validate(&s, "/verdicts/0")
			require.Equal(t, c.want, s.places)
		})
	}
}

// Squared differences are compared exactly, and the first of equally near profiles decides.
func TestTheNearestProfile(t *testing.T) {
	n := rule.MustNumber
	third := rule.Ratio(rule.Int(100), rule.Int(3))
	for name, c := range map[string]struct {
		profiles [][]rule.Number
		values   []rule.Number
		want     int
	}{
		"none":                 {nil, nil, -1},
		"the nearer":           {[][]rule.Number{{n("10")}, {n("20")}}, []rule.Number{n("16")}, 1},
		"half way":             {[][]rule.Number{{n("10")}, {n("20")}}, []rule.Number{n("15")}, 0},
		"two numbers":          {[][]rule.Number{{n("80"), n("60")}, {n("40"), n("20")}}, []rule.Number{n("70"), n("10")}, 1},
		"less than a decimal":  {[][]rule.Number{{n("33.3333")}, {n("33.3334")}}, []rule.Number{third}, 0},
		"equal but for thirds": {[][]rule.Number{{n("33.3332")}, {n("33.3334")}}, []rule.Number{third}, 1},
	} {
		t.Run(name, func(t *testing.T) { require.Equal(t, c.want, Nearest(c.profiles, c.values)) })
	}
	c := &Closest{Profiles: map[string][]rule.Number{"a": nil, "c": nil}}
	require.Equal(t, []string{"c", "a"}, c.Order([]string{"c", "b", "a"}))
}
