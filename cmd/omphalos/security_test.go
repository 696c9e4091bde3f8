package main

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// docs/security.md names files and tests that are there.
func TestTheSecurityPageIsTrue(t *testing.T) {
	const root = "../.."
	text, err := os.ReadFile(filepath.Join(root, "docs/security.md"))
	require.NoError(t, err)
	tests := map[string]bool{}
	declared := regexp.MustCompile(`(?m)^func (Test\w+)\(`)
	for _, part := range []string{"app", "core", "cmd", "e2e", "demo"} {
		err := filepath.WalkDir(filepath.Join(root, part), func(path string, d fs.DirEntry, err error) error {
			if err != nil || !strings.HasSuffix(path, "_test.go") {
				return err
			}
			code, err := os.ReadFile(path)
			for _, m := range declared.FindAllStringSubmatch(string(code), -1) {
				tests[m[1]] = true
			}
			return err
		})
		require.NoError(t, err)
	}
	rows := 0
	for line := range strings.Lines(string(text)) {
		if !strings.HasPrefix(line, "| V") {
			continue
		}
		rows++
		cells := strings.Split(line, "|")
		require.Len(t, cells, 6, line)
		named := regexp.MustCompile("`([^`]+)`")
		for _, m := range named.FindAllStringSubmatch(cells[3], -1) {
			_, err := os.Stat(filepath.Join(root, m[1]))
			require.NoError(t, err, line)
		}
		list := named.FindAllStringSubmatch(cells[4], -1)
		require.NotEmpty(t, list, line)
		for _, m := range list {
			require.True(t, tests[m[1]], "%s is no test: %s", m[1], line)
		}
	}
	require.Greater(t, rows, 30)
}
