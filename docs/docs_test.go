package docs

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

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
