package larkmoor

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// The page takes the kit's own line, wherever it stands in what was pasted, and nothing else.
func TestALineThatIsPasted(t *testing.T) {
	const quiz = "https://quiz.example"
	for text, want := range map[string]kitLine{
		`<script src="https://quiz.example/kit.js" data-quiz="wall" async></script>`: {Quiz: "wall"},
		`<p>Hello</p>
<SCRIPT async data-words='Light &amp; water' data-edge="top" data-quiz="wall" src="https://quiz.example/kit.js"></SCRIPT>`: {
			Quiz: "wall", Edge: "top", Words: "Light & water",
		},
		`<script src="https://quiz.example/kit.js" data-quiz="w" data-over="25" data-read="60" data-phones="yes" data-again="7" data-source="x" />`: {
			Quiz: "w", Over: "25", Read: "60", Phones: "yes", Again: "7", Source: "x",
		},
	} {
		want.Base = quiz
		line, why := readKitLine(quiz, text)
		require.Empty(t, why, text)
		require.Equal(t, &want, line, text)
	}
	for text, want := range map[string]string{
		"":                          "no script tag",
		"<b>bold</b>":               "no script tag",
		"<script>alert(1)</script>": "alone",
		`<script src="https://evil.example/kit.js" data-quiz="wall"></script>`: "not https://evil.example/kit.js",
	} {
		line, why := readKitLine(quiz, text)
		require.Nil(t, line, text)
		require.Contains(t, why, want, text)
	}
}
