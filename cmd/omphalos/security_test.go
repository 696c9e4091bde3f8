package main

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/limits"
)

// testsOf are the names of all tests of the project.
func testsOf(t *testing.T, root string) map[string]bool {
	t.Helper()
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
	return tests
}

// docs/limits.md shows the table of bounds as it is, and each names files and tests that are there.
func TestTheTableOfBoundsIsTrue(t *testing.T) {
	const root = "../.."
	text, err := os.ReadFile(filepath.Join(root, "docs", "limits.md"))
	require.NoError(t, err)
	tests := testsOf(t, root)
	var want strings.Builder
	code := func(list string) string { return "`" + strings.ReplaceAll(list, ",", "`, `") + "`" }
	for _, b := range limits.Table {
		for _, file := range strings.Split(b.Where, ",") {
			_, err := os.Stat(filepath.Join(root, file))
			require.NoError(t, err, b.What)
		}
		for _, name := range strings.Split(b.Tests, ",") {
			require.True(t, tests[name], "%s is no test", name)
		}
		require.NotEmpty(t, b.Why, b.What)
		want.WriteString("| " + b.What + " | " + b.Most + " | " + b.Why + " | " + code(b.Where) + " | " + code(b.Tests) + " |\n")
	}
	_, after, found := strings.Cut(string(text), "| what | bound | why | where | test |\n|---|---|---|---|---|\n")
	require.True(t, found)
	got, _, _ := strings.Cut(after, "\n\n")
	if *update {
		whole := strings.Replace(string(text), got, strings.TrimSuffix(want.String(), "\n"), 1)
		require.NoError(t, os.WriteFile(filepath.Join(root, "docs", "limits.md"), []byte(whole), 0o644))
		return
	}
	require.Equal(t, want.String(), got+"\n", "run go test ./cmd/omphalos -update")
}

// docs/security.md names files and tests that are there.
func TestTheSecurityPageIsTrue(t *testing.T) {
	const root = "../.."
	text, err := os.ReadFile(filepath.Join(root, "docs/security.md"))
	require.NoError(t, err)
	tests := testsOf(t, root)
	rows := 0
	named := regexp.MustCompile("`([^`]+)`")
	areTests := func(line, cell string) {
		list := named.FindAllStringSubmatch(cell, -1)
		require.NotEmpty(t, list, line)
		for _, m := range list {
			require.True(t, tests[m[1]], "%s is no test: %s", m[1], line)
		}
	}
	for line := range strings.Lines(string(text)) {
		if strings.HasPrefix(line, "| L ") {
			cells := strings.Split(line, "|")
			require.Len(t, cells, 7, line)
			areTests(line, cells[5])
			rows++
		}
		if !strings.HasPrefix(line, "| V") {
			continue
		}
		rows++
		cells := strings.Split(line, "|")
		require.Len(t, cells, 6, line)
		for _, m := range named.FindAllStringSubmatch(cells[3], -1) {
			_, err := os.Stat(filepath.Join(root, m[1]))
			require.NoError(t, err, line)
		}
		areTests(line, cells[4])
	}
	require.Greater(t, rows, 50)
}
