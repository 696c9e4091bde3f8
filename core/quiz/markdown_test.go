package quiz

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Texts that are too much are refused where they stand; those just below stay.
func TestTextsThatAreTooMuch(t *testing.T) {
	problems := func(text string) []string {
		d := New("Texts")
		d.Intro = &Intro{Text: text}
		var out []string
		for _, p := range d.Validate() {
			if p.Where == "/intro/text" {
				out = append(out, p.Message)
			}
		}
		return out
	}
	for text, want := range map[string]string{
		strings.Repeat("ä", LongestText+1):                                                           "50,000 characters",
		strings.Repeat("{score} ", MostFillIns+1):                                                    "200 fields",
		strings.Repeat("> ", DeepestBlocks+1) + "deep":                                               "20 deep",
		strings.Repeat("[", MostBrackets+1):                                                          "2,000 brackets",
		"[a]: /" + strings.Repeat("u", 20_000) + "\n\n" + strings.Repeat("[a] ", 60):                 "a long address",
		"[a]:\n/u\n'" + strings.Repeat("long title\n", 2_000) + "'\n\n" + strings.Repeat("[a] ", 60): "a long address",
		strings.Repeat("*a ", MostMarks+1):                                                           "marks of emphasis",
	} {
		got := problems(text)
		require.Len(t, got, 1, want)
		require.Contains(t, got[0], want)
	}
	for _, text := range []string{
		strings.Repeat("ä", LongestText), strings.Repeat("{score} ", MostFillIns), strings.Repeat("{{ ", 3*MostFillIns),
		"[a]: https://larkmoor.example/" + strings.Repeat("u", 400) + "\n\n" + strings.Repeat("[a] ", 1_000),
		strings.Repeat("> ", DeepestBlocks) + "deep", strings.Repeat("[", MostBrackets),
		strings.Repeat(`\[`, 2*MostBrackets), strings.Repeat(`\_`, 2*MostMarks), // as answers are filled in
	} {
		require.Empty(t, problems(text))
	}
	for text, want := range map[string]int{
		"": 0, "words": 0, "> a": 1, ">>a": 2, "- a": 1, "- - a": 2, "10. a": 1, "1234567890. a": 0, "-a": 0, "*a*": 0, "> - 1) x": 3,
		"a\n> b\n\n- c": 1, "    > a": 2, "-": 1,
	} {
		require.Equal(t, want, BlockDepth(text), "%q", text)
	}
}
