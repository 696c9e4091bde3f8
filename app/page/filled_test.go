package page

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/fill"
)

// What is filled in is text wherever it stands, and the text around it is the author's.
func TestAuthorsTextsAreFilledIn(t *testing.T) {
	look := func(name string) ([]string, bool) {
		values := map[string][]string{
			"name": {"Nell & <b>Co</b>"}, "list": {"one", "two"}, "blank": nil, "mark": {"**bold** [x](javascript:y)"},
			"lines": {"first\n\n# second"}, "url": {"fenhall.example/a?b=c&d"},
		}
		v, known := values[name]
		return v, known
	}
	for src, want := range map[string]string{
		"Hello **{name}**!":               "<p>Hello <strong>Nell &amp; &lt;b&gt;Co&lt;/b&gt;</strong>!</p>\n",
		"{list} and {list}":               "<p>one, two and one, two</p>\n",
		"Hello {blank|you}, {nobody}.":    "<p>Hello you, .</p>\n",
		"{mark}":                          "<p>**bold** [x](javascript:y)</p>\n",
		"# {lines}\n\nThen":               "<h1>first  # second</h1>\n<p>Then</p>\n",
		"One\n\n{blank}\n\ntwo":           "<p>One</p>\n\n<p>two</p>\n",
		"{blank|**nobody**}":              "<p><strong>nobody</strong></p>\n",
		"- {name}\n- `{list}`":            "<ul>\n<li>Nell &amp; &lt;b&gt;Co&lt;/b&gt;</li>\n<li><code>one, two</code></li>\n</ul>\n",
		"[there](https://{url})":          `<p><a href="https://fenhall.example/a?b=c&amp;d" rel="nofollow">there</a></p>` + "\n",
		"[to {list}](https://a.example/)": `<p><a href="https://a.example/" rel="nofollow">to one, two</a></p>` + "\n",
		"{{name}":                         "<p>{name}</p>\n",
		"\ue0007\ue001 {name}":            "<p>\ue0007\ue001 Nell &amp; &lt;b&gt;Co&lt;/b&gt;</p>\n",
	} {
		for range 2 { // rendered, and remembered
			require.Equal(t, want, string(FilledMarkdown(src, fill.NewBudget(fill.MostOnPage), look)), src)
		}
	}
}

// Texts with and without what is filled in, made of the signs that mean something in Markdown, are the same as when they
// are filled in first, as far as words go; and nothing that is filled in becomes a tag.
func TestFillingBeforeAndAfterIsTheSame(t *testing.T) {
	r := rand.New(rand.NewPCG(28, 5))
	parts := []string{"{a}", "{b|you}", "word ", "\n\n", "- ", "# ", "**", "_", "`", "[", "](https://x.example/)", "> ", "1. ", "{{", "<i>", "&amp;"}
	values := []string{"Nell", "<script>x</script>", "two words", "* [a](b)", "", "# 5"}
	for range 3000 {
		var b strings.Builder
		for range 1 + r.IntN(12) {
			b.WriteString(parts[r.IntN(len(parts))])
		}
		src := b.String()
		filled := map[string][]string{}
		for _, name := range []string{"a", "b"} {
			if v := values[r.IntN(len(values))]; v != "" {
				filled[name] = []string{v}
			}
		}
		look := func(name string) ([]string, bool) { v, known := filled[name]; return v, known }
		after := string(FilledMarkdown(src, fill.NewBudget(fill.MostOnPage), look))
		require.NotContains(t, after, "<script", src)
		require.NotContains(t, after, slotBegins, src)
		if len(filled) == 2 && !strings.ContainsAny(src, "*_[`<>#") {
			before := string(Markdown(fill.Text(src, look, fill.EscapeMarkdown)))
			require.Equal(t, strings.Fields(words(before)), strings.Fields(words(after)), src)
		}
	}
}

// BenchmarkMarkdown is a text of an author as respondents see it, rendered for each and rendered once.
func BenchmarkMarkdown(b *testing.B) {
	src := strings.Repeat("We visit **{name}** and look at the wall.\n\n- a list\n- of [links](https://larkmoor.example/)\n\n", 5)
	look := func(string) ([]string, bool) { return []string{"Nell"}, true }
	b.Run("each", func(b *testing.B) {
		for b.Loop() {
			Markdown(fill.Text(src, look, fill.EscapeMarkdown))
		}
	})
	b.Run("once", func(b *testing.B) {
		for b.Loop() {
			FilledMarkdown(src, fill.NewBudget(fill.MostOnPage), look)
		}
	})
}
