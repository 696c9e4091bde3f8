package engine

import (
	"regexp"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/colour"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

func TestALookIsReadFromTheTheme(t *testing.T) {
	d := quiz.New("Look")
	d.Theme = quiz.Theme{Colour: "#ffee00", Background: "#808080", Fonts: "plain", Logo: "/media/x", Picture: "/samples/soft-hills.svg", Words: map[string]string{"next": "Weiter"}}
	l := newLook(d)
	require.Equal(t, "Weiter", l.say("next"))
	require.Equal(t, "Back", l.say("back"))
	require.Equal(t, "/media/x", l.Logo)
	found := map[string]colour.Colour{}
	for _, m := range regexp.MustCompile(`--([a-z-]+):(#[0-9a-f]{6})`).FindAllStringSubmatch(l.Style, -1) {
		c, err := colour.Parse(m[2])
		require.NoError(t, err)
		found[m[1]] = c
	}
	for _, pair := range [][2]string{{"strong-text", "ground"}, {"on-strong", "strong"}, {"ink", "ground"}, {"quiet", "ground"}, {"bad", "ground"}} {
		require.GreaterOrEqual(t, colour.Contrast(found[pair[0]], found[pair[1]]), colour.Readable, "%v", pair)
	}
	for _, bad := range []string{"https://example.org/x.png", "javascript:alert(1)", "/media/x\");}body{", "/samples/a b", "//evil.example/x"} {
		d.Theme = quiz.Theme{Picture: bad, Logo: bad}
		require.Empty(t, newLook(d).Style, bad)
		require.Empty(t, newLook(d).Logo)
	}
	d.Theme, d.Language = quiz.Theme{}, "he-IL"
	require.Equal(t, "rtl", newLook(d).Direction)
}

// Every message about an answer can be said in another language, with what it names in its place.
func TestMessagesInAnotherLanguage(t *testing.T) {
	d := quiz.New("Worte")
	d.Theme = quiz.Theme{Words: map[string]string{"number_range": "Eine Zahl von {1} bis {2}, bitte.", "choose_most": "{2} sind zu viele: höchstens {1}.", "choose": "Wählen Sie."}}
	l := newLook(d)
	for _, c := range []struct {
		code string
		args []string
		want string
	}{
		{"number_range", []string{"0.5", "9.5 metres"}, "Eine Zahl von 0.5 bis 9.5 metres, bitte."},
		{"choose_most", []string{"2", "3"}, "3 sind zu viele: höchstens 2."},
		{"choose", nil, "Wählen Sie."},
		{"number_whole", nil, "Enter a whole number."},
		{"choose_least", []string{"2", "1"}, "Choose at least 2 (you chose 1)."},
		{"not_a_choice", []string{"x"}, "“x” is not one of the answers."},
	} {
		require.Equal(t, c.want, l.sentence(&walk.FieldError{Field: "q", Code: c.code, Args: c.args}))
	}
}
