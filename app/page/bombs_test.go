package page

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Small texts that would become large, or take long, are shown as they were typed; what people write stays as it was.
func TestMarkdownThatWouldBecomeTooMuch(t *testing.T) {
	for name, src := range map[string]string{
		"references to a long address": "[a]: /" + strings.Repeat("u", 20_000) + "\n\n" + strings.Repeat("[a] ", 1_900),
		"quotes":                       strings.Repeat(">", 20_000) + " deep",
		"quotes apart":                 strings.Repeat("> ", 20_000) + "deep",
		"lists on a line":              strings.Repeat("- ", 20_000) + "deep",
		"numbers on a line":            strings.Repeat("1. ", 20_000) + "deep",
		"quotes and lists":             strings.Repeat("> - ", 10_000) + "deep",
		"lists below each other":       deepList(300),
		"brackets":                     strings.Repeat("[a](", 12_000),
		"emphasis":                     strings.Repeat("*a_ ", 12_000),
	} {
		out := string(Markdown(src))
		require.Less(t, len(out), 6*len(src)+100, name)
		require.True(t, strings.HasPrefix(out, "<p>"), name)
		require.NotContains(t, out, "<blockquote><blockquote>", name)
		require.LessOrEqual(t, len(MarkdownText(src)), mostHTML+len(src), name)
	}
	for _, c := range [][2]string{
		{deepList(5), "<li>x5</li>"},
		{strings.Repeat("> ", 20) + "said", strings.Repeat("<blockquote>\n", 20)},
		{strings.Repeat("[site](https://www.larkmoor.example/) *and* ", 200), `<a href="https://www.larkmoor.example/"`},
		{strings.Repeat(" ", 200) + "indented as code", "<pre><code>"},
		{strings.Repeat("**bold** and _lean_ words, ", 400), "<strong>bold</strong>"},
	} {
		require.Contains(t, string(Markdown(c[0])), c[1])
	}
}

// deepList is a list in a list, so many times.
func deepList(n int) string {
	var b strings.Builder
	for i := range n {
		b.WriteString(strings.Repeat("  ", i) + "- " + strings.Repeat("x", i%3) + string(rune('0'+(i+1)%10)) + "\n")
	}
	return b.String()
}
