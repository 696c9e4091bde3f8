package docs

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"omphalos/core/kind"
	"omphalos/core/verdict"

	"github.com/stretchr/testify/require"
)

// TestDocumentsNameFilesThatAreThere looks for each file of the program that a document names in backticks: by its
// path, by its path below app or core, or by its name alone where the words before it have said the folder.
func TestDocumentsNameFilesThatAreThere(t *testing.T) {
	paths, names := map[string]bool{}, map[string]bool{}
	require.NoError(t, filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() && (d.Name() == "node_modules" || d.Name() == ".git") {
			return fs.SkipDir
		}
		rel, _ := filepath.Rel("..", path)
		paths[rel], names[d.Name()] = true, true
		return nil
	}))
	file := regexp.MustCompile("`([\\w./-]+\\.(?:go|js|html|css|mjs|json|png))`")
	found := 0
	for _, pattern := range []string{"*.md", "*/*.md", "../*.md"} {
		documents, err := filepath.Glob(pattern)
		require.NoError(t, err)
		for _, document := range documents {
			text, err := os.ReadFile(document)
			require.NoError(t, err)
			for _, m := range file.FindAllStringSubmatch(string(text), -1) {
				name := strings.TrimPrefix(m[1], "../")
				if strings.HasPrefix(name, "/") || strings.Contains(name, "quiz.json") || !strings.Contains(name, "/") && !strings.HasSuffix(name, ".go") {
					continue // an address of the program, a file of the reader
				}
				found++
				there := paths[name] || paths["app/"+name] || paths["core/"+name] || !strings.Contains(name, "/") && names[name]
				require.True(t, there, "%s names %s, which is not there", document, m[1])
			}
		}
	}
	require.Greater(t, found, 200)
}

// What the table of places to change names as "`Shut` in `file.go`" is declared in that file.
func TestTheArchitectureNamesWhatIsDeclared(t *testing.T) {
	text, err := os.ReadFile("architecture.md")
	require.NoError(t, err)
	named := regexp.MustCompile("`(\\w+)` in `([\\w/]+\\.go)`").FindAllStringSubmatch(string(text), -1)
	require.Greater(t, len(named), 2)
	for _, m := range named {
		source := ""
		for _, root := range []string{"../", "../app/", "../core/"} {
			if b, err := os.ReadFile(root + m[2]); err == nil {
				source = string(b)
			}
		}
		declares := regexp.MustCompile(`(?m)^(func (\([^)]*\) )?|type |var |const |\t)` + m[1] + `\b`)
		require.Regexp(t, declares, source, "%s is not in %s", m[1], m[2])
	}
}

// Each registered kind of question and of verdict line has the files that the table tells a newcomer to write.
func TestRegisteredThingsHaveTheFilesOfTheTable(t *testing.T) {
	text, err := os.ReadFile("architecture.md")
	require.NoError(t, err)
	for _, row := range []string{"| a new kind of question | `core/kind`", "| a new kind of verdict line | `core/verdict`"} {
		require.Contains(t, string(text), row)
	}
	for _, name := range kind.Names {
		require.FileExists(t, filepath.Join("../app/kinds", string(name), "ask.html"))
	}
	for _, name := range verdict.Kinds() {
		file := map[string]string{"rule": "lines"}[name] // a rule alone is a condition
		if file == "" {
			file = "line_" + name
			require.FileExists(t, filepath.Join("../core/verdict", name+".go"))
		}
		require.FileExists(t, filepath.Join("../core/reach", file+".go"))
	}
}
