package quiz

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
)

func listed(n int) *Document {
	d := New("Rebase")
	for i := range n {
		d.Questions = append(d.Questions, Question{ID: fmt.Sprint("q", i), Kind: Single, Text: fmt.Sprint("Q", i),
			Choices: []Choice{{ID: "a", Label: "A"}, {ID: "b", Label: "B"}, {ID: "c", Label: "C"}}})
	}
	return d
}

func textOf(t *testing.T, d *Document) []byte {
	t.Helper()
	b, err := json.Marshal(d)
	require.NoError(t, err)
	return b
}

// logged is a log of patches, the first made on text.
func logged(t *testing.T, text []byte, own bool, patches ...Patch) []Logged {
	t.Helper()
	var out []Logged
	for i, p := range patches {
		e, err := Edit(text, p)
		require.NoError(t, err)
		out = append(out, Logged{Number: i + 1, Patch: e.Patch, Inverse: e.Inverse, Own: own})
		text = e.Text
	}
	return out
}

// after is the text after patches.
func after(t *testing.T, text []byte, patches ...Patch) []byte {
	t.Helper()
	for _, p := range patches {
		e, err := Edit(text, p)
		require.NoError(t, err)
		text = e.Text
	}
	return text
}

func TestRebaseFollowsWhatMoved(t *testing.T) {
	text := textOf(t, listed(3))
	for name, c := range map[string]struct {
		mine, theirs Patch
		want         string // the path after, "" for a conflict
	}{
		"other fields":              {Patch{Add("/questions/1/text", "x")}, Patch{Add("/questions/0/text", "y")}, "/questions/1/text"},
		"the same field":            {Patch{Add("/questions/1/text", "x")}, Patch{Add("/questions/1/text", "y")}, ""},
		"a line before":             {Patch{Add("/questions/1/text", "x")}, Patch{Add("/questions/0", Question{ID: "n", Kind: Statement})}, "/questions/2/text"},
		"a line at the place":       {Patch{Add("/questions/1/text", "x")}, Patch{Add("/questions/1", Question{ID: "n", Kind: Statement})}, "/questions/2/text"},
		"a line behind":             {Patch{Add("/questions/1/text", "x")}, Patch{Add("/questions/2", Question{ID: "n", Kind: Statement})}, "/questions/1/text"},
		"the end":                   {Patch{Add("/questions/1/text", "x")}, Patch{Add("/questions/-", Question{ID: "n", Kind: Statement})}, "/questions/1/text"},
		"the line is gone":          {Patch{Add("/questions/1/text", "x")}, Patch{Remove("/questions/1")}, ""},
		"a line before is gone":     {Patch{Add("/questions/1/text", "x")}, Patch{Remove("/questions/0")}, "/questions/0/text"},
		"the line moved up":         {Patch{Add("/questions/2/text", "x")}, Patch{Move("/questions/2", "/questions/0")}, "/questions/0/text"},
		"the line moved down":       {Patch{Add("/questions/0/choices/1/label", "x")}, Patch{Move("/questions/0", "/questions/2")}, "/questions/2/choices/1/label"},
		"another moved over it":     {Patch{Add("/questions/1/text", "x")}, Patch{Move("/questions/0", "/questions/2")}, "/questions/0/text"},
		"within a list in a list":   {Patch{Add("/questions/1/choices/2/label", "x")}, Patch{Remove("/questions/1/choices/0")}, "/questions/1/choices/1/label"},
		"mine goes, theirs writes":  {Patch{Remove("/questions/1")}, Patch{Add("/questions/1/text", "y")}, ""},
		"mine goes behind theirs":   {Patch{Remove("/questions/1")}, Patch{Remove("/questions/0")}, "/questions/0"},
		"both take the same":        {Patch{Remove("/questions/1")}, Patch{Remove("/questions/1")}, ""},
		"mine comes where one went": {Patch{Add("/questions/1", Question{ID: "m", Kind: Statement})}, Patch{Remove("/questions/1")}, "/questions/1"},
		"a line into a new list":    {Patch{Add("/questions/1/choices/0", Choice{ID: "n"})}, Patch{Add("/questions/1/choices", []Choice{})}, ""},
		"moved in a new list":       {Patch{Move("/questions/1/choices/0", "/questions/1/choices/2")}, Patch{Add("/questions/1/choices", []Choice{{ID: "x"}, {ID: "y"}, {ID: "z"}})}, ""},
		"a list with a new line":    {Patch{Add("/questions/1/choices", []Choice{})}, Patch{Add("/questions/1/choices/-", Choice{ID: "n"})}, ""},
		"gone with a new line":      {Patch{Remove("/questions/1")}, Patch{Add("/questions/1/choices/-", Choice{ID: "n"})}, ""},
		"a test moves along":        {Patch{{Op: "test", Path: "/questions/1/id", Value: []byte(`"q1"`)}}, Patch{Remove("/questions/0")}, "/questions/0/id"},
		"a whole part":              {Patch{Add("/questions/1/choices", []Choice{})}, Patch{Add("/questions/1/choices/0/label", "y")}, ""},
	} {
		got, ok := Rebase(after(t, text, c.theirs), c.mine, logged(t, text, false, c.theirs))
		require.Equal(t, c.want != "", ok, name)
		if ok {
			require.Equal(t, c.want, got[0].Path, name)
		}
	}
}

// Whatever another window adds, removes and moves, an edit of a question's wording lands at that question or is
// refused.
func TestRebaseNeverMeetsAnotherQuestion(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 11))
	landed, refused := 0, 0
	for range 600 {
		text := textOf(t, listed(2+r.IntN(5)))
		before, err := ReadDraft(text)
		require.NoError(t, err)
		mine := r.IntN(len(before.Questions))
		id := before.Questions[mine].ID
		at, since := text, []Patch{}
		for k := range 1 + r.IntN(4) {
			d, err := ReadDraft(at)
			require.NoError(t, err)
			n := len(d.Questions)
			var p Patch
			switch r.IntN(3) {
			case 0:
				p = Patch{Add(Pointer("questions", r.IntN(n+1)), Question{ID: fmt.Sprint("new", k), Kind: Statement})}
			case 1:
				if n > 1 {
					p = Patch{Remove(Pointer("questions", r.IntN(n)))}
				}
			default:
				p = Patch{Move(Pointer("questions", r.IntN(n)), Pointer("questions", r.IntN(n)))}
			}
			if p == nil {
				continue
			}
			edited, err := Edit(at, p)
			require.NoError(t, err)
			at, since = edited.Text, append(since, p)
		}
		patch, ok := Rebase(at, Patch{Add(Pointer("questions", mine, "text"), "mine")}, logged(t, text, false, since...))
		last, err := ReadDraft(at)
		require.NoError(t, err)
		if !ok {
			refused++
			require.Less(t, last.Question(id), 0, "refused although the question is there")
			continue
		}
		landed++
		edited, err := Edit(at, patch)
		require.NoError(t, err)
		require.Equal(t, "mine", edited.Document.Questions[last.Question(id)].Text)
	}
	require.Greater(t, landed, 200)
	require.Greater(t, refused, 50)
}

// Many fields at once come to the same as one after another, and are undone as one.
func TestManyFieldsAtOnce(t *testing.T) {
	text := textOf(t, listed(4))
	var patch Patch
	for i := range 4 {
		for j := range 3 {
			patch = append(patch, Add(Pointer("questions", i, "choices", j, "points"), map[string]int{"score": i*3 + j}))
		}
	}
	patch = append(patch, Add("/questions/0/choices/0/points/score", 40), Remove("/questions/1/choices/2/points"), Add("/questions/1/choices", []Choice{{ID: "only"}}))
	whole, err := Edit(text, patch)
	require.NoError(t, err)
	step := text
	for _, op := range patch {
		e, err := Edit(step, Patch{op})
		require.NoError(t, err)
		step = e.Text
	}
	require.JSONEq(t, string(step), string(whole.Text))
	back, err := Edit(whole.Text, whole.Inverse)
	require.NoError(t, err)
	require.JSONEq(t, string(text), string(back.Text))
}

// A window knows its own edits: it may write over them, and what it meant is counted again.
func TestOwnEditsAreKnown(t *testing.T) {
	text := textOf(t, listed(3))
	for name, c := range map[string]struct {
		mine, before Patch
		want         string
	}{
		"typed on":                          {Patch{Add("/questions/1/text", "xy")}, Patch{Add("/questions/1/text", "x")}, "/questions/1/text"},
		"two deletions":                     {Patch{Remove("/questions/1/choices/1")}, Patch{Remove("/questions/1/choices/0")}, "/questions/1/choices/0"},
		"The two new passwords don’t match": {Patch{Remove("/questions/1")}, Patch{Remove("/questions/1")}, ""},
		"typed, then deleted":               {Patch{Remove("/questions/1")}, Patch{Add("/questions/1/choices/1/label", "x")}, "/questions/1"},
		"two moves":                         {Patch{Move("/questions/1", "/questions/0")}, Patch{Move("/questions/2", "/questions/1")}, "/questions/0"},
		"into what it took away":            {Patch{Add("/questions/1/text", "x")}, Patch{Remove("/questions/1")}, ""},
		"into what it put there":            {Patch{Add("/questions/1/choices/0/label", "x")}, Patch{Add("/questions/1/choices", []Choice{{ID: "z"}})}, ""},
		"two boxes of one answer":           {Patch{Add("/questions/1/choices/-", Choice{ID: "y"})}, Patch{Add("/questions/1/choices/-", Choice{ID: "x"})}, "/questions/1/choices/-"},
	} {
		got, ok := Rebase(after(t, text, c.before), c.mine, logged(t, text, true, c.before))
		require.Equal(t, c.want != "", ok, name)
		if ok {
			require.Equal(t, c.want, got[0].Path, name)
		}
	}
}

// What was made and undone again is in no one's way, and lines are counted as if it had never been.
func TestWhatWasTakenBackIsInNobodysWay(t *testing.T) {
	text := textOf(t, listed(3))
	first := Patch{Remove("/questions/0")}
	others := Patch{Add("/questions/0/text", "theirs")} // question q1, as the first step left it
	log := logged(t, text, false, first, others)
	undo, ok := Rebase(after(t, text, first, others), log[0].Inverse, log[1:])
	require.True(t, ok)
	now := after(t, text, first, others, undo)
	all := logged(t, text, false, first, others, undo)
	all[2].Cancels = 1
	mine, ok := Rebase(now, Patch{Add("/questions/0/text", "mine")}, all)
	require.True(t, ok, "q0 is as it was")
	require.Equal(t, "/questions/0/text", mine[0].Path)
	_, ok = Rebase(now, Patch{Add("/questions/1/text", "mine")}, all)
	require.False(t, ok, "q1 was changed by somebody else meanwhile")
	steps := withoutCancelled(mustTree(t, text), all)
	require.Len(t, steps, 1)
	require.Equal(t, "/questions/1/text", steps[0].Patch[0].Path)
}

func mustTree(t *testing.T, text []byte) *tree {
	t.Helper()
	tr, err := readTree(text)
	require.NoError(t, err)
	return tr
}

// The tree applies and inverts every operation as the text does.
func TestTreesChangeAsTextsDo(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	text := textOf(t, listed(3))
	tr := mustTree(t, text)
	for k := range 300 {
		d, err := ReadDraft(text)
		require.NoError(t, err)
		p := randomPatch(r, d, k)
		e, err := Edit(text, p)
		if err != nil {
			continue
		}
		before, err := json.Marshal(tr.root)
		require.NoError(t, err)
		back, err := tr.inverse(p)
		require.NoError(t, err)
		got, err := json.Marshal(tr.root)
		require.NoError(t, err)
		require.JSONEq(t, string(e.Text), string(got))
		undone := tr.clone()
		require.NoError(t, undone.apply(back))
		got, err = json.Marshal(undone.root)
		require.NoError(t, err)
		require.JSONEq(t, string(before), string(got))
		text = e.Text
	}
}

func randomPatch(r *rand.Rand, d *Document, k int) Patch {
	n := len(d.Questions)
	at := r.IntN(max(1, n))
	switch r.IntN(7) {
	case 0:
		return Patch{Add(Pointer("questions", r.IntN(n+1)), Question{ID: fmt.Sprint("n", k), Kind: Single, Choices: []Choice{{ID: "a"}}})}
	case 1:
		return Patch{Remove(Pointer("questions", at))}
	case 2:
		return Patch{Move(Pointer("questions", at), Pointer("questions", r.IntN(max(1, n))))}
	case 3:
		return Patch{Add(Pointer("questions", at, "choices", "-"), Choice{ID: fmt.Sprint("c", k)}), Add(Pointer("questions", at, "text"), "x")}
	case 4:
		return Patch{{Op: "replace", Path: Pointer("questions", at, "choices", 0), Value: []byte(`{"id":"r` + fmt.Sprint(k) + `"}`)}}
	case 5:
		return Patch{Copy("/questions/0/kind", Pointer("questions", at, "help"))}
	}
	return Patch{Remove(Pointer("questions", at, "choices", 0))}
}

// BenchmarkRebase moves an edit over a hundred others of a quiz of about 60 kB.
func BenchmarkRebase(b *testing.B) {
	d := listed(220)
	text, err := json.Marshal(d)
	require.NoError(b, err)
	b.Logf("%d bytes", len(text))
	var steps []Logged
	for i := range 100 {
		p := Patch{Add(Pointer("questions", i%200, "text"), fmt.Sprint("text ", i))}
		switch i % 5 {
		case 3:
			p = Patch{Add("/questions/3", Question{ID: fmt.Sprint("new", i), Kind: Statement})}
		case 4:
			p = Patch{Remove("/questions/3")}
		}
		e, err := Edit(text, p)
		require.NoError(b, err)
		steps = append(steps, Logged{Number: i + 1, Patch: p, Inverse: e.Inverse})
		text = e.Text
	}
	b.ResetTimer()
	for b.Loop() {
		if _, ok := Rebase(text, Patch{Add("/questions/210/text", "mine")}, steps); !ok {
			b.Fatal("refused")
		}
	}
}
