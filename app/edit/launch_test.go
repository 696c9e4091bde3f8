package edit

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

func TestLinksFromNames(t *testing.T) {
	for name, want := range map[string]string{
		"Is your office ready for a living wall?": "is-your-office-ready-for-a-living-wall", "Über uns": "uber-uns", "": "quiz", "???": "quiz", "  a  b_c - d ": "a-b-c-d",
		"日本": "ri-ben", "Ψάρι και φυτά": "psari-kai-phuta", "Растения": "rasteniia", strings.Repeat("word ", 20): "word-word-word-word-word-word-word-word",
	} {
		got := LinkName(name)
		require.Equal(t, want, got, name)
		require.Regexp(t, linkName, got)
	}
	for _, bad := range []string{"", "-a", "a-", "A", "a b", "a/b", "ä", strings.Repeat("a", 61)} {
		require.NotRegexp(t, linkName, bad)
	}
}

// What no one can have meant keeps a draft from being launched, whichever entrance asks; anyone who says so launches it
// all the same.
func TestFaultsHoldALaunchBack(t *testing.T) {
	e, q := editorOf(t, `{"format": "omphalos-quiz/1", "name": "Pots", "questions": [{"id": "size", "kind": "single", "text": "How large?",
		"choices": [{"id": "s", "label": "Small"}, {"id": "l", "label": "Large"}]}],
		"outcomes": [{"id": "a", "name": "Small pots"}, {"id": "b", "name": "Large pots"}], "verdicts": [], "otherwise": "a"}`)
	_, err := e.Launch(t.Context(), ada, Launch{Quiz: q.ID, Link: "pots"})
	require.Equal(t, Refused, KindOf(err))
	require.ErrorContains(t, err, "Large pots")
	v, err := e.Launch(t.Context(), ada, Launch{Quiz: q.ID, Link: "pots", Anyway: true})
	require.NoError(t, err)
	require.Equal(t, 1, v.Number)
}

func TestConsentThatIsRequiredIsNamed(t *testing.T) {
	const consent = `"consent":{"text":"Write to me.","required":true}`
	for contact, want := range map[string]string{
		`{"place":"before_outcome",` + consent + `}`:                        "can’t see their result",
		`{"place":"after_outcome",` + consent + `}`:                         "can’t leave their contact details",
		`{"place":"before_outcome","optional":true,` + consent + `}`:        "can only skip the contact step",
		`{"place":"none",` + consent + `}`:                                  "",
		`{"place":"before_outcome","consent":{"text":"Write to me."}}`:      "",
		`{"place":"before_outcome","fields":[{"id":"name","kind":"name"}]}`: "",
	} {
		d, err := quiz.Read([]byte(`{"format":"omphalos-quiz/1","name":"C","questions":[],"outcomes":[{"id":"o"}],"otherwise":"o","contact":` + contact + `}`))
		require.NoError(t, err)
		list := Warnings(d, nil)
		if want == "" {
			require.Empty(t, list, contact)
			continue
		}
		require.Len(t, list, 1, contact)
		require.Equal(t, "/contact/consent/required", list[0].Where)
		require.Contains(t, list[0].Message, want)
	}
}
