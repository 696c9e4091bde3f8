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
		"a whole part":              {Patch{Add("/questions/1/choices", []Choice{})}, Patch{Add("/questions/1/choices/0/label", "y")}, ""},
	} {
		got, ok := Rebase(text, c.mine, []Patch{c.theirs})
		require.Equal(t, c.want != "", ok, name)
		if ok {
			require.Equal(t, c.want, got[0].Path, name)
		}
	}
}

// Whatever another window adds, removes and moves, an edit of a question's wording lands at that question or is refused.
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
		patch, ok := Rebase(text, Patch{Add(Pointer("questions", mine, "text"), "mine")}, since)
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

// Many fields at once come to the same as one after another, and are taken back as one.
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
