package page

import (
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"
)

// The layout of a template file for its reader leaves no trace in the page.
func TestTheLayoutOfAFileIsNotInThePage(t *testing.T) {
	for _, c := range []struct{ name, file, page string }{
		{"a line break between tags goes", "<ul>\n  <li>a</li>\n\n\t<li>b</li>\n</ul>\n", "<ul><li>a</li><li>b</li></ul>"},
		{"within a tag it is one space", "<input class=\"field\"\n      name=\"n\">", `<input class="field" name="n">`},
		{"and within a value too", "<p title=\"a\n   b\">c</p>", `<p title="a b">c</p>`},
		{"a space at the end of a line is said", "one{{\" \"}}\n<b>two</b>", `one{{" "}}<b>two</b>`},
		{"spaces in a line stay", "<b>a</b> and <b>b</b>", "<b>a</b> and <b>b</b>"},
		{"text that goes on in the next line is joined", "<p>\n  words\n</p>", "<p>words</p>"},
		{"a > in a value does not end the tag", "<p title=\"a > b\"\n  id=\"i\">c</p>", `<p title="a > b" id="i">c</p>`},
		{"quotes within an action do not end a value", "<p class=\"{{if eq .A \"x\"}}y{{end}}\"\n  id=\"i\">c</p>", `<p class="{{if eq .A "x"}}y{{end}}" id="i">c</p>`},
		{"an apostrophe in a text opens nothing", "<p>it's\n  here</p>\n<p>there</p>", "<p>it's here</p><p>there</p>"},
		{"what an action writes is text", "<p>for\n  {{.Name}}\n  today</p>", "<p>for {{.Name}} today</p>"},
		{"a condition is none", "<p>\n{{if .A}}\n  one\n{{else}}\n  two\n{{end}}\n</p>", "<p>{{if .A}}one{{else}}two{{end}}</p>"},
		{"text goes on over a link", "see <a href=\"x\">this</a>\n  page\n  <b>now</b>", "see <a href=\"x\">this</a> page <b>now</b>"},
		{"a line break within an action stays", "{{if\n .A}}\n  x\n{{end}}", "{{if\n .A}}x{{end}}"},
		{"an action in a tag keeps its place", "<option{{if .A}} selected{{end}}\n  value=\"v\">", `<option{{if .A}} selected{{end}} value="v">`},
		{"an action that does not end is left for the parser", "<p>\n{{if", "<p>{{if"},
		{"nothing is nothing", "", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			require.Equal(t, c.page, joined(c.file))
			require.Equal(t, c.page, joined(joined(c.file)), "joining again changes nothing")
		})
	}
}

func TestParseReadsEveryFolder(t *testing.T) {
	shared := fstest.MapFS{"frame.html": {Data: []byte("{{define \"frame\"}}\n  <main>\n    {{template \"room\" .}}\n  </main>\n{{end}}")}}
	room := fstest.MapFS{
		"room.html": {Data: []byte("{{define \"room\"}}\n  <p\n      title=\"{{.}}\">\n    {{.}}\n  </p>\n{{end}}")},
		"room.js":   {Data: []byte("not a template {{")},
	}
	tree := Parse(nil, shared, room)
	require.Equal(t, `<main><p title="a &lt; &#34;b&#34;">a &lt; &#34;b&#34;</p></main>`, string(Execute(tree, "frame", `a < "b"`)))
}

// A fault names the line of the file, though what is parsed has no lines.
func TestParseSaysTheLineOfAFault(t *testing.T) {
	say := func(folder fstest.MapFS) (message string) {
		defer func() { message, _ = recover().(string) }()
		Parse(nil, folder).parsed()
		return ""
	}
	require.Contains(t, say(fstest.MapFS{"room.html": {Data: []byte("<p>\n  one\n  {{.Two .}}}\n{{end}}")}}), "room.html:4: unexpected {{end}}")
	require.Contains(t, say(fstest.MapFS{"room.html": {Data: []byte("<p>\n\n  {{nothing .}}</p>")}}), `room.html:3: function "nothing" not defined`)
	require.Contains(t, say(fstest.MapFS{"room.js": {Data: []byte("x")}}), "has none")
}

// No template of the program loses a space at the end of a line to an editor that trims it.
func TestTemplatesSayTheSpacesAtTheirLineEnds(t *testing.T) {
	names, err := Templates.ReadDir(".")
	require.NoError(t, err)
	require.NotEmpty(t, names)
	for _, n := range names {
		text, err := Templates.ReadFile(n.Name())
		require.NoError(t, err)
		for i, line := range strings.Split(string(text), "\n") {
			require.Equal(t, strings.TrimRight(line, " \t"), line, "%s:%d", n.Name(), i+1)
		}
	}
}

// What someone changes in the source shows in the next page; another folder is no source.
func TestPagesAreReadAgain(t *testing.T) {
	root := t.TempDir()
	require.ErrorContains(t, Reload(root), "build it again")
	require.NoError(t, os.MkdirAll(filepath.Join(root, "app", "page"), 0o755))
	require.NoError(t, os.CopyFS(filepath.Join(root, "app", "page"), Templates))
	room := filepath.Join(root, "app", "room")
	require.NoError(t, os.Mkdir(room, 0o755))
	write := func(text string) {
		require.NoError(t, os.WriteFile(filepath.Join(room, "room.html"), []byte(text), 0o644))
	}
	write("{{define \"main\"}}<p>Ferns</p>{{end}}")
	embedded := embeddedCopy{&fstest.MapFS{"room.html": {Data: []byte("{{define \"main\"}}<p>Ferns</p>{{end}}")}}}
	set := Parse(nil, embedded)
	require.NoError(t, Reload(root))
	t.Cleanup(func() { sources = nil })
	require.Equal(t, "<p>Ferns</p>", string(Execute(set, "main", nil)))
	write("{{define \"main\"}}<p>Moss</p>{{end}}")
	require.Equal(t, "<p>Moss</p>", string(Execute(set, "main", nil)))
}

// embeddedCopy is a folder that can be compared with others, as embedded ones can.
type embeddedCopy struct{ fs.FS }
