package app

import (
	"encoding/json"
	"flag"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"unicode"

	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"omphalos/app/words"
	"omphalos/core/say"
)

// A passage is one piece of text that a person may read: a text of a page, a string of a program.
type passage struct {
	place string // file, and the line where it is known
	text  string
	label bool // stands alone on a control or over a part of a page
}

// TestTheVoice reads the texts of pages, programs and documents, and compares them with docs/glossary.md: no word that
// the glossary rules out, labels with a capital, and no sentence on a page of more than 25 words.
func TestTheVoice(t *testing.T) {
	rules := glossary(t)
	require.Greater(t, len(rules), 90, "rows of docs/glossary.md")
	pages, programs, documents := pagesTexts(t), programTexts(t), documentTexts(t)
	require.Greater(t, len(pages), 1000, "texts of pages")
	require.Greater(t, len(programs), 2000, "strings of programs")
	require.Greater(t, len(documents), 150, "paragraphs of documents")

	var faults []string
	for _, p := range append(append(pages, programs...), documents...) {
		for _, r := range rules {
			if r.screens && strings.HasSuffix(p.place, ".md") {
				continue
			}
			if found := r.out.FindString(names.ReplaceAllString(p.text, "\u00a4")); found != "" {
				faults = append(faults, fmt.Sprintf("%s: “%s” is %s here: %s", p.place, found, r.use, p.text))
			}
		}
	}
	for _, p := range pages {
		if first := firstLetter(p.text); p.label && unicode.IsLower(first) {
			faults = append(faults, fmt.Sprintf("%s: a label begins with a capital: %s", p.place, p.text))
		}
		for _, s := range sentences(p.text) {
			if n := len(strings.Fields(s)); n > 25 {
				faults = append(faults, fmt.Sprintf("%s: %d words in one sentence: %s", p.place, n, s))
			}
		}
	}
	require.Empty(t, strings.Join(faults, "\n"))
}

// names are addresses, routes, files and selectors: they are not read as words.
var names = regexp.MustCompile(`\S*[/_]\S*|[\w-]+\.[\w-]+|\[[^\]]*\]|\w+ [A-Z]+\.json`)

var update = flag.Bool("update", false, "write what is generated")

// The sentences of all packages stand in one file, from which a translator begins. Each can be said with as many
// arguments as it has slots.
func TestTheSentencesAreListed(t *testing.T) {
	const file = "words/bench/en.json"
	want, err := json.MarshalIndent(say.English(), "", " ")
	require.NoError(t, err)
	want = append(want, '\n')
	if *update {
		require.NoError(t, os.WriteFile(file, want, 0o600))
	}
	got, err := os.ReadFile(file)
	require.NoError(t, err)
	require.Equal(t, string(want), string(got), "go test ./app -run TestTheSentencesAreListed -update")
	require.Greater(t, len(say.English()), 250)
	require.Equal(t, "Fix these first.", words.Bench("en-GB")["quiz.fix_these_first"])
}

var slots = regexp.MustCompile(`%(\[\d+\])?[a-z]`)

// Each sentence is said with as many arguments as it has slots.
func TestSentencesAreFilled(t *testing.T) {
	forms := map[string]string{} // by folder and variable
	type call struct {
		place, name string
		args        int
	}
	var calls []call
	files(t, ".go", func(path string, text []byte) {
		if strings.HasSuffix(path, "_test.go") {
			return
		}
		set := token.NewFileSet()
		file, err := parser.ParseFile(set, path, text, parser.SkipObjectResolution)
		require.NoError(t, err)
		ast.Inspect(file, func(n ast.Node) bool {
			if v, ok := n.(*ast.ValueSpec); ok && filepath.Base(path) == "sentences.go" {
				code := v.Values[0].(*ast.CallExpr).Args[0].(*ast.BasicLit).Value
				forms[filepath.Dir(path)+" "+v.Names[0].Name] = say.English()[strings.Trim(code, `"`)]
			}
			if c, ok := n.(*ast.CallExpr); ok && !c.Ellipsis.IsValid() {
				f, ok := c.Fun.(*ast.SelectorExpr)
				if !ok || f.Sel.Name != "With" && f.Sel.Name != "Error" {
					return true
				}
				if x, ok := f.X.(*ast.Ident); ok {
					calls = append(calls, call{set.Position(c.Pos()).String(), filepath.Dir(path) + " " + x.Name, len(c.Args)})
				}
			}
			return true
		})
	})
	require.Greater(t, len(forms), 250)
	filled := map[string]bool{}
	for _, c := range calls {
		if form := forms[c.name]; form != "" {
			filled[c.name] = true
			require.Len(t, slots.FindAllString(strings.ReplaceAll(form, "%%", ""), -1), c.args, "%s: %s", c.place, form)
		}
	}
	require.Greater(t, len(filled), 240)
}

// A ruling of the glossary: the word to use, and what it takes the place of.
type ruling struct {
	use     string
	out     *regexp.Regexp
	screens bool // documents may use it
}

// glossary reads the table of docs/glossary.md. A row has the word, its meaning, the words that are ruled out
// everywhere, and those that are ruled out on screens. A word in italics has a second meaning and is skipped.
func glossary(t *testing.T) (rules []ruling) {
	text, err := os.ReadFile("../docs/glossary.md")
	require.NoError(t, err)
	for _, line := range strings.Split(string(text), "\n") {
		cells := strings.Split(strings.TrimSuffix(strings.TrimPrefix(line, "|"), "|"), "|")
		if len(cells) != 4 || !strings.HasPrefix(line, "|") || strings.HasPrefix(line, "|--") {
			continue
		}
		for i, column := range cells[2:] {
			for _, word := range strings.Split(column, ",") {
				if word = strings.TrimSpace(word); word == "" || strings.HasPrefix(word, "*") || strings.HasPrefix(word, "Not") {
					continue
				}
				out := regexp.MustCompile(`(?i)\b` + regexp.QuoteMeta(word) + `\b`)
				rules = append(rules, ruling{strings.TrimSpace(cells[0]), out, i == 1})
			}
		}
	}
	return rules
}

var action = regexp.MustCompile(`\{\{(?:[^}"` + "`" + `]|"(?:[^"\\]|\\.)*"|` + "`[^`]*`" + `)*\}\}`)

// quoted are the words that an action of a template brings in itself, such as the forms of plural.
var quoted = regexp.MustCompile(`"((?:[^"\\]|\\.)*)"`)

// filled stands a word where an action of a template stands, so that a page reads as it will be seen; what only steers
// (if, range, end …) leaves nothing.
func filled(template string) string {
	return action.ReplaceAllStringFunc(template, func(a string) string {
		inside := strings.TrimLeft(strings.Trim(a, "{}"), "- ")
		word, _, _ := strings.Cut(inside, " ")
		switch strings.TrimRight(word, " -") {
		case "else":
			return " "
		case "if", "end", "range", "with", "define", "block", "template", "break", "continue", "icon", "/*":
			return ""
		case "plural":
			if forms := quoted.FindAllStringSubmatch(inside, -1); len(forms) > 0 {
				return "2 " + forms[len(forms)-1][1]
			}
		}
		return "\u00a4" // a value
	})
}

// seen are the attributes that people see or hear.
var seen = map[string]bool{"aria-label": true, "title": true, "placeholder": true, "alt": true}

// inline elements stand within a line of text.
var inline = map[atom.Atom]bool{
	atom.A: true, atom.Abbr: true, atom.B: true, atom.Bdi: true, atom.Code: true, atom.Em: true, atom.I: true, atom.Kbd: true,
	atom.Mark: true, atom.Output: true, atom.Q: true, atom.Small: true, atom.Span: true, atom.Strong: true, atom.Sub: true,
	atom.Sup: true, atom.Time: true,
}

// fields stand in the middle of a label's text.
var fields = map[atom.Atom]bool{atom.Input: true, atom.Img: true, atom.Br: true}

// labels are the elements whose text names something.
var labels = map[atom.Atom]bool{
	atom.Button: true, atom.H1: true, atom.H2: true, atom.H3: true, atom.H4: true, atom.Th: true, atom.Legend: true,
	atom.Summary: true, atom.Label: true, atom.Option: true, atom.Dt: true,
}

func pagesTexts(t *testing.T) (list []passage) {
	files(t, ".html", func(path string, text []byte) {
		root, err := html.Parse(strings.NewReader(filled(string(text))))
		require.NoError(t, err, path)
		add := func(text string, label bool) {
			if text = strings.Join(strings.Fields(text), " "); strings.ContainsFunc(text, unicode.IsLetter) {
				list = append(list, passage{path, text, label})
			}
		}
		var run strings.Builder
		var read func(n *html.Node, label, free bool)
		read = func(n *html.Node, label, free bool) {
			switch {
			case n.Type == html.TextNode:
				run.WriteString(n.Data)
				return
			case n.DataAtom == atom.Script || n.DataAtom == atom.Style || n.DataAtom == atom.Svg || n.DataAtom == atom.Pre:
				return
			}
			free = free || has(n, "phrase") || attribute(n, "translate") == "no"
			for _, a := range n.Attr {
				if seen[a.Key] {
					add(a.Val, a.Key != "placeholder" && !free)
				}
			}
			if fields[n.DataAtom] {
				run.WriteString("\u00a4")
			} else if !inline[n.DataAtom] {
				add(run.String(), label && !free)
				run.Reset()
				label = labels[n.DataAtom]
			}
			for c := n.FirstChild; c != nil; c = c.NextSibling {
				read(c, label, free)
			}
			if !inline[n.DataAtom] && !fields[n.DataAtom] {
				add(run.String(), label && !free)
				run.Reset()
			}
		}
		read(root, false, false)
	})
	return list
}

func attribute(n *html.Node, key string) string {
	for _, a := range n.Attr {
		if a.Key == key {
			return a.Val
		}
	}
	return ""
}

func has(n *html.Node, class string) bool {
	for _, c := range strings.Fields(attribute(n, "class")) {
		if c == class {
			return true
		}
	}
	return false
}

var spelled = regexp.MustCompile("\"(?:[^\"\\\\\n]|\\\\.)*\"|`(?:[^`\\\\]|\\\\.)*`")

// programTexts are the strings of Go and of the browser's scripts that read like words, without the marks of code.
func programTexts(t *testing.T) (list []passage) {
	files(t, ".go", func(path string, text []byte) {
		if strings.HasSuffix(path, "_test.go") || path == "store/responses/reword.go" { // that one lists earlier words
			return
		}
		set := token.NewFileSet()
		file, err := parser.ParseFile(set, path, text, parser.SkipObjectResolution)
		require.NoError(t, err)
		ast.Inspect(file, func(n ast.Node) bool {
			if f, ok := n.(*ast.Field); ok && f.Tag != nil {
				f.Tag = nil
			}
			if s, ok := n.(*ast.BasicLit); ok && s.Kind == token.STRING {
				if words, err := strconv.Unquote(s.Value); err == nil && readable(words) {
					list = append(list, passage{set.Position(s.Pos()).String(), words, false})
				}
			}
			return true
		})
	})
	files(t, ".js", func(path string, text []byte) {
		for _, at := range spelled.FindAllIndex(text, -1) {
			if words := string(text[at[0]+1 : at[1]-1]); readable(words) {
				list = append(list, passage{fmt.Sprintf("%s:%d", path, 1+strings.Count(string(text[:at[0]]), "\n")), words, false})
			}
		}
	})
	return list
}

// label is a single word as it stands on a control.
var label = regexp.MustCompile(`^[A-Z][a-z]+(-[a-z]+)*$`)

func readable(s string) bool {
	if strings.ContainsAny(s, "<>=;^") || strings.Contains(s, " AS ") || !strings.ContainsFunc(s, unicode.IsLetter) {
		return false
	}
	return len(strings.Fields(s)) > 1 || label.MatchString(s)
}

// documentTexts are the paragraphs of the documents, without what is code in them.
func documentTexts(t *testing.T) (list []passage) {
	code := regexp.MustCompile("(?s)```.*?```|`[^`\n]*`")
	for _, pattern := range []string{"../README.md", "../CONTRIBUTING.md", "../docs/*.md", "../docs/*/*.md"} {
		paths, err := filepath.Glob(pattern)
		require.NoError(t, err)
		for _, path := range paths {
			if filepath.Base(path) == "glossary.md" {
				continue
			}
			text, err := os.ReadFile(path)
			require.NoError(t, err)
			for _, p := range strings.Split(code.ReplaceAllString(string(text), "\u00a4"), "\n\n") {
				list = append(list, passage{path, strings.Join(strings.Fields(p), " "), false})
			}
		}
	}
	return list
}

func files(t *testing.T, suffix string, do func(path string, text []byte)) {
	for _, root := range []string{".", "../core", "../cmd", "../demo", "../standins"} {
		require.NoError(t, filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() && slices.Contains([]string{"dist", "node_modules", "vendor", "words"}, d.Name()) {
				return fs.SkipDir
			}
			if !strings.HasSuffix(path, suffix) {
				return nil
			}
			text, err := os.ReadFile(path)
			do(path, text)
			return err
		}))
	}
}

func firstLetter(s string) rune {
	for _, r := range s {
		switch {
		case unicode.IsLetter(r):
			return r
		case unicode.IsDigit(r), r == '\u00a4', r == '/', r == '+':
			return 0 // a number or a value begins it
		}
	}
	return 0
}

var stop = regexp.MustCompile(`[.!?:;](?:\s|$)|·`)

func sentences(text string) []string { return stop.Split(text, -1) }
