package quiz

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

const referred = `{"format":"omphalos-quiz/1","name":"n","scales":[{"id":"fit","name":"Fit"}],
"questions":[
 {"id":"area","kind":"single","text":"A","choices":[{"id":"small","label":"S"},{"id":"large","label":"L"}],
  "branches":[{"when":{"fact":"answer.area","op":"is","value":"small"},"go":"finish"},
              {"when":{"fact":"answer.area","op":"is","value":"large"},"go":"finish"}]},
 {"id":"light","kind":"multiple","text":"B","choices":[{"id":"a1","label":"x"}]}],
"outcomes":[{"id":"o1","name":"One"}],
"verdicts":[{"when":{"all":[]},"outcome":"o1"},{"when":{"all":[]},"outcome":"o1"}],
"params":["x","y"],"otherwise":"o1"}`

// Every place of a document has a reference without a position, and it leads back to the place.
func TestReferencesLeadBack(t *testing.T) {
	d, err := ReadDraft([]byte(referred))
	require.NoError(t, err)
	for _, c := range []struct{ pointer, ref string }{
		{"/name", "/name"},
		{"/questions/1/text", "/questions/@light/text"},
		{"/questions/0/choices/1/points/fit", "/questions/@area/choices/@large/points/fit"},
		{"/questions/0/branches/1/go", ""},
		{"/verdicts/0", ""},
		{"/verdicts/1/when", ""},
		{"/params/1", ""},
		{"", ""},
	} {
		ref := d.Ref(c.pointer)
		if c.ref != "" {
			require.Equal(t, c.ref, ref)
		}
		back, ok := d.Find(ref)
		require.True(t, ok, ref)
		require.Equal(t, c.pointer, back)
		require.Equal(t, ref, d.Ref(ref), "a reference stays what it is")
	}
	require.Equal(t, d.Ref("/verdicts/0")+".1", d.Ref("/verdicts/1"), "equal lines are told apart")
	require.Equal(t, d.Ref("/questions/0/branches/1"), d.Below(d.Ref("/questions/0"), "branches", 1))
	require.Equal(t, "/questions/9/text", d.Ref("/questions/9/text"), "what is not there keeps its position")
	for _, nowhere := range []string{"/questions/@gone/text", "/questions/9/text", "/questions/x", "questions/0"} {
		_, ok := d.Find(nowhere)
		require.False(t, ok, nowhere)
	}

	inMemory := &Document{Questions: []Question{{ID: "q", Kind: Date}}}
	require.Equal(t, "/questions/@q", inMemory.At("questions", 0), "a document that was never text")
}

// Anyone who adds something knows how it will be called.
func TestTheNextElementIsNamedBeforeItIsThere(t *testing.T) {
	d, err := ReadDraft([]byte(referred))
	require.NoError(t, err)
	cut := Verdict{Bands: &Bands{On: "scale.fit", Cuts: []Cut{{Outcome: "o1"}}}}
	for _, c := range []struct {
		list  string
		value any
		below []any
		want  string
	}{
		{"/questions", Question{ID: "q9", Kind: Date}, []any{"text"}, "/questions/2/text"},
		{"/verdicts", cut, []any{"bands", "cuts", 0, "from"}, "/verdicts/2/bands/cuts/0/from"},
		{"/verdicts", d.Verdicts[0], nil, "/verdicts/2"},
		{"/computed", Computed{ID: "v1", Formula: "0"}, []any{"formula"}, "/computed/0/formula"},
	} {
		ref := d.Next(c.list, c.value, c.below...)
		edited, err := Edit([]byte(referred), Patch{Add(c.list+"/-", c.value)})
		require.NoError(t, err)
		at, ok := edited.Document.Find(ref)
		require.True(t, ok, ref)
		require.Equal(t, c.want, at)
	}
}

func TestEditsByReference(t *testing.T) {
	d, err := ReadDraft([]byte(referred))
	require.NoError(t, err)
	line := d.Ref("/verdicts/0")
	for _, c := range []struct {
		name  string
		patch Patch
		want  string // operations as they were applied
	}{
		{"text", Patch{Add("/questions/@light/text", "C")}, `add /questions/1/text`},
		{"after", Patch{Add("/questions/@area/choices/>@small", Choice{ID: "mid"})}, `add /questions/0/choices/1`},
		{"before", Patch{Add("/questions/<@area", Question{ID: "q0", Kind: Date})}, `add /questions/0`},
		{"after what is gone: at the end", Patch{Add("/questions/>@gone", Question{ID: "q0", Kind: Date})}, `add /questions/-`},
		{"move down", Patch{Move("/questions/@area", "/questions/>@light")}, `move /questions/1`},
		{"move up", Patch{Move("/questions/@light", "/questions/<@area")}, `move /questions/0`},
		{
			"what the patch itself makes",
			Patch{Add("/questions/<@area", Question{ID: "q0", Kind: Date}), Add("/questions/@q0/text", "T"), Add("/questions/@light/text", "U")},
			`add /questions/0, add /questions/0/text, add /questions/2/text`,
		},
		{"two lines without ids", Patch{Remove(line), Remove(line + ".1")}, `remove /verdicts/0, remove /verdicts/0`},
	} {
		t.Run(c.name, func(t *testing.T) {
			edited, err := Edit([]byte(referred), c.patch)
			require.NoError(t, err)
			var done []string
			for _, op := range edited.Patch {
				done = append(done, op.Op+" "+op.Path)
			}
			require.Equal(t, c.want, strings.Join(done, ", "))
		})
	}
	for _, path := range []string{"/questions/@gone/text", "/verdicts/=nothing/outcome", "/sections/@s/heading"} {
		_, err := Edit([]byte(referred), Patch{Add(path, "x")})
		var ps Problems
		require.ErrorAs(t, err, &ps, path)
		require.Equal(t, CodeGone, ps[0].Code)
	}
}

// What was typed into a line before its creation was confirmed arrives on the revision that did not have it.
func TestReferencesToWhatTheWindowItselfMade(t *testing.T) {
	text := []byte(referred)
	steps := logged(t, text, true, Patch{Add("/questions/@area/choices/-", Choice{ID: "new"})})
	now := after(t, text, steps[0].Patch)
	patch, ok := Rebase(now, Patch{Add("/questions/@area/choices/@new/label", "typed")}, steps)
	require.True(t, ok)
	edited, err := Edit(now, patch)
	require.NoError(t, err)
	require.Equal(t, "typed", edited.Document.Questions[0].Choices[2].Label)
}

// Property: whatever lines others add, delete and move meanwhile, an edit by reference changes the element that it
// names, and no other; where that no longer exists, nothing.
func TestReferencesNeverMeetAnotherElement(t *testing.T) {
	for seed := range uint64(400) {
		r := rand.New(rand.NewPCG(seed, 26))
		var lines []string
		for i := range 2 + r.IntN(5) {
			lines = append(lines, fmt.Sprintf(`{"when":{"all":[]},"outcome":"o%d"}`, i%3))
		}
		text := []byte(`{"format":"omphalos-quiz/1","name":"n","questions":[],"outcomes":[{"id":"o0"},{"id":"o1"},{"id":"o2"}],"verdicts":[` +
			strings.Join(lines, ",") + `],"otherwise":"o0"}`)
		d, err := ReadDraft(text)
		require.NoError(t, err)
		target := r.IntN(len(d.Verdicts))
		ref := d.Ref(Pointer("verdicts", target))

		order := make([]int, len(d.Verdicts)) // the lines by their first position; −1 is new
		for i := range order {
			order[i] = i
		}
		var patches []Patch
		for range r.IntN(6) {
			switch n := len(order); {
			case n == 0 || r.IntN(3) == 0:
				k := r.IntN(n + 1)
				order = slices.Insert(order, k, -1)
				patches = append(patches, Patch{Add(Pointer("verdicts", k), json.RawMessage(`{"when":{"any":[]},"outcome":"o1"}`))})
			case r.IntN(2) == 0:
				k := r.IntN(n)
				order = slices.Delete(order, k, k+1)
				patches = append(patches, Patch{Remove(Pointer("verdicts", k))})
			default:
				from, to := r.IntN(n), r.IntN(n)
				line := order[from]
				order = slices.Insert(slices.Delete(order, from, from+1), to, line)
				patches = append(patches, Patch{Move(Pointer("verdicts", from), Pointer("verdicts", to))})
			}
		}
		now := after(t, text, patches...)
		patch, ok := Rebase(now, Patch{Add(ref+"/off", true)}, logged(t, text, false, patches...))
		where := slices.Index(order, target)
		require.Equal(t, where >= 0, ok, "seed %d", seed)
		if !ok {
			continue
		}
		edited, err := Edit(now, patch)
		require.NoError(t, err, "seed %d", seed)
		for i := range edited.Document.Verdicts {
			require.Equal(t, i == where, edited.Document.Verdicts[i].Off, "seed %d, line %d", seed, i)
		}
	}
}

// Property: a patch with its places named does what it does with positions.
func TestNamedPatchesDoTheSame(t *testing.T) {
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(seed, 7))
		d := listed(3 + r.IntN(4))
		text := textOf(t, d)
		patch := randomPatch(r, d, 1+r.IntN(4))
		want, err := Edit(text, patch)
		if err != nil {
			continue
		}
		got, err := Edit(text, d.Refer(patch))
		require.NoError(t, err, "seed %d", seed)
		require.JSONEq(t, string(want.Text), string(got.Text), "seed %d: %v", seed, d.Refer(patch))
	}
}
