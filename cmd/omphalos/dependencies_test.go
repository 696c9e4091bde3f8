package main

import (
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

var update = flag.Bool("update", false, "write docs/dependencies.md anew: versions, and new lines to be filled in")

const dependencies = "../../docs/dependencies.md"

// required is a module of go.mod.
type required struct {
	Path, Version string
	Indirect      bool
}

func modules(t *testing.T) []required {
	t.Helper()
	out, err := exec.Command("go", "mod", "edit", "-json").Output()
	require.NoError(t, err)
	var mod struct{ Require []required }
	require.NoError(t, json.Unmarshal(out, &mod))
	require.NotEmpty(t, mod.Require)
	return mod.Require
}

// scripts are the packages that styles and scripts are built and tested with.
func scripts(t *testing.T) []required {
	t.Helper()
	text, err := os.ReadFile("../../assets/package.json")
	require.NoError(t, err)
	var p struct {
		DevDependencies map[string]string `json:"devDependencies"`
	}
	require.NoError(t, json.Unmarshal(text, &p))
	var list []required
	for path, version := range p.DevDependencies {
		list = append(list, required{Path: path, Version: version})
	}
	slices.SortFunc(list, func(a, b required) int { return strings.Compare(a.Path, b.Path) })
	return list
}

var dependencyLine = regexp.MustCompile("(?m)^\\| `([^`]+)` \\| ([^ |]+) \\| (.*) \\|$")

// docs/dependencies.md names every module with its version, and why it is there.
func TestDependenciesAreSaidWithTheirReasons(t *testing.T) {
	text, err := os.ReadFile(dependencies)
	require.NoError(t, err)
	reasons := map[string][2]string{} // by path: version and reason
	for _, m := range dependencyLine.FindAllStringSubmatch(string(text), -1) {
		reasons[m[1]] = [2]string{m[2], m[3]}
	}
	if *update {
		writeDependencies(t, string(text), reasons)
		return
	}
	all := append(modules(t), scripts(t)...)
	for _, m := range all {
		said, known := reasons[m.Path]
		require.True(t, known, "%s is not in docs/dependencies.md: go test ./cmd/omphalos -run Dependencies -update, and say why it is there", m.Path)
		require.Equal(t, m.Version, said[0], "the version of %s: go test ./cmd/omphalos -run Dependencies -update", m.Path)
		require.Greater(t, len(said[1]), 10, "why %s is there", m.Path)
	}
	require.Len(t, reasons, len(all), "docs/dependencies.md names what is not there any more: -update")
}

// writeDependencies keeps what is said, and brings versions and lines up to date.
func writeDependencies(t *testing.T, text string, reasons map[string][2]string) {
	t.Helper()
	intro, _, _ := strings.Cut(text, "\n## ")
	var b strings.Builder
	b.WriteString(strings.TrimRight(intro, "\n") + "\n")
	table := func(title string, list []required) {
		fmt.Fprintf(&b, "\n## %s\n\n| module | version | why |\n|---|---|---|\n", title)
		for _, m := range list {
			why := reasons[m.Path][1]
			if why == "" {
				why = "?"
			}
			fmt.Fprintf(&b, "| `%s` | %s | %s |\n", m.Path, m.Version, why)
		}
	}
	var direct, others []required
	for _, m := range modules(t) {
		if m.Indirect {
			others = append(others, m)
		} else {
			direct = append(direct, m)
		}
	}
	table("Imported", direct)
	table("## Indirect dependencies", others)
	table("## Styles and scripts", scripts(t))
	require.NoError(t, os.WriteFile(dependencies, []byte(b.String()), 0o644))
}
