package walk_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/walk"
)

func picks(pairs ...string) walk.Input {
	in := walk.Input{Answers: map[string]walk.Answer{}}
	for i := 0; i+1 < len(pairs); i += 2 {
		in.Answers[pairs[i]] = walk.Answer{Picks: []string{pairs[i+1]}}
	}
	return in
}

// Each cell of a matrix, worked out by hand: bands own everything from their cut point up.
func TestCellsOfAMatrix(t *testing.T) {
	_, c := read(t, `"scales":[{"id":"fit"},{"id":"hurry"}],
		"questions":[{"id":"a","kind":"single","choices":[{"id":"0"},{"id":"1","points":{"fit":8}},{"id":"2","points":{"fit":7.9999}},{"id":"less","points":{"fit":-1}}]},
			{"id":"b","kind":"single","choices":[{"id":"0"},{"id":"1","points":{"hurry":2}}]}],
		"outcomes":[{"id":"w"},{"id":"x"},{"id":"y"},{"id":"z"}],"otherwise":"z",
		"verdicts":[{"matrix":{"across":{"on":"scale.fit","cuts":[0,8]},"down":{"on":"percent.hurry","cuts":[0,50]},"outcomes":[["w",null],["x","y"]]}},{"when":{"fact":"scale.fit","op":"ge","value":8},"outcome":"w"}]`)
	for _, one := range []struct {
		in      walk.Input
		outcome string
		line    int
	}{
		{picks("a", "0", "b", "0"), "w", 1},
		{picks("a", "2", "b", "1"), "x", 1},    // just below the cut point
		{picks("a", "1", "b", "1"), "y", 1},    // just on it
		{picks("a", "1", "b", "0"), "w", 2},    // no outcome there: the next line decides
		{picks("a", "less", "b", "1"), "z", 0}, // below the lowest cut point
	} {
		r := c.Walk(one.in)
		require.Equal(t, one.outcome, r.Outcome, "%v", one.in.Answers)
		require.Equal(t, one.line, r.Reason.Line, "%v", one.in.Answers)
	}
	r := c.Walk(picks("a", "1", "b", "1"))
	require.Equal(t, [2]int{1, 1}, [2]int{r.Reason.Row, r.Reason.Cut})
}

// A start counts only with a vote of one's own, in ties and in thresholds too.
func TestStartsOfKeywords(t *testing.T) {
	_, c := read(t, `"keywords":[{"id":"k","start":5},{"id":"l"},{"id":"m","start":-3}],
		"questions":[{"id":"a","kind":"single","choices":[{"id":"k","votes":{"k":1}},{"id":"l","votes":{"l":2}},{"id":"m","votes":{"m":1}}]},
			{"id":"b","kind":"single","choices":[{"id":"l","votes":{"l":4}},{"id":"k","votes":{"k":1}}]}],
		"outcomes":[{"id":"k"},{"id":"l"},{"id":"m"},{"id":"none"}],"otherwise":"none",
		"verdicts":[{"leader":{"outcomes":{"k":"k","l":"l","m":"m"},"ties":"latest"}}]`)
	for _, one := range []struct {
		in      walk.Input
		outcome string
	}{
		{picks(), "none"},                // no one has a vote: no start leads by itself
		{picks("a", "l"), "l"},           // 2 against a start of 5 without a vote
		{picks("a", "k"), "k"},           // 5 + 1
		{picks("a", "m"), "m"},           // −3 + 1, the only one with a vote
		{picks("a", "l", "b", "l"), "l"}, // 6
		{picks("a", "k", "b", "l"), "k"}, // 6 against 4
		{picks("a", "l", "b", "k"), "k"}, // 2 against 6
	} {
		require.Equal(t, one.outcome, c.Walk(one.in).Outcome, "%v", one.in.Answers)
	}
	r := c.Walk(picks("a", "k"))
	require.Equal(t, "6", r.Keywords[0].String())
	require.Equal(t, "1", r.Votes[0].String())
}

// A standing is 100 × (the share below + half the share equal), and blank without a norm.
func TestStandings(t *testing.T) {
	_, c := read(t, `"scales":[{"id":"s","norm":[[0,0.2],[5,0.5],[9,0.3]]},{"id":"u"}],
		"questions":[{"id":"a","kind":"single","choices":[{"id":"0"},{"id":"4","points":{"s":4}},{"id":"5","points":{"s":5}},{"id":"9","points":{"s":9}},{"id":"20","points":{"s":20}},{"id":"less","points":{"s":-1}}]}],
		"outcomes":[{"id":"low"},{"id":"high"}],"otherwise":"low","verdicts":[{"bands":{"on":"percentile.s","cuts":[{"from":45,"outcome":"high"}]}}]`)
	for pick, want := range map[string][2]string{
		"less": {"0", "low"}, "0": {"10", "low"}, "4": {"20", "low"}, "5": {"45", "high"}, "9": {"85", "high"}, "20": {"100", "high"},
	} {
		in := picks("a", pick)
		require.Equal(t, want[0], c.Facts(in)("percentile.s").Num.String(), pick)
		require.Equal(t, want[1], c.Walk(in).Outcome, pick)
	}
	require.Empty(t, c.Facts(picks())("percentile.u").String(), "no norm")
}

// Without a question's points everyone walks the way that they do.
func TestWithoutAQuestion(t *testing.T) {
	_, c := read(t, `"scales":[{"id":"s"}],
		"questions":[{"id":"a","kind":"single","choices":[{"id":"x","points":{"s":4}},{"id":"y"}],"branches":[{"when":{"fact":"scale.s","op":"ge","value":4},"go":"question:c"}]},
			{"id":"b","kind":"single","choices":[{"id":"x","points":{"s":9}}]},{"id":"c","kind":"single","choices":[{"id":"x","points":{"s":1}}]}],
		"outcomes":[{"id":"low"},{"id":"high"}],"otherwise":"low","verdicts":[{"when":{"fact":"scale.s","op":"ge","value":5},"outcome":"high"},{"when":{"fact":"percent.s","op":"ge","value":100},"outcome":"high"}]`)
	in := picks("a", "x", "b", "x", "c", "x")
	require.Equal(t, []string{"a", "c"}, c.Walk(in).Path)
	require.Equal(t, "high", c.Walk(in).Outcome)
	without := c.Without(in, "a")
	require.Equal(t, []string{"a", "c"}, without.Path, "the way stays, though a gives nothing for the branch to look at")
	require.Equal(t, "1", without.Scales[0].String())
	require.Equal(t, "high", without.Outcome, "1 of 1 is all that could be earned: a is not in it")
	require.Equal(t, "4", c.Without(in, "c").Scales[0].String())
}
