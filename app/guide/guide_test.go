package guide

import (
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/docs"
)

func TestEveryPageIsListedAndEveryLinkLeads(t *testing.T) {
	files, err := docs.Files.ReadDir("guide")
	require.NoError(t, err)
	for _, f := range files {
		if key := strings.TrimSuffix(f.Name(), ".md"); key != "README" {
			require.NotNil(t, whole().byKey[key], "%s is not in the list of docs/guide/README.md", key)
		}
	}
	links := regexp.MustCompile(`(?:href|src)="(/guide/[^"]*)"`)
	for _, p := range whole().pages {
		require.NotEmpty(t, p.Title, p.Key)
		require.NotContains(t, string(p.HTML), ".md", p.Key)
		for _, m := range links.FindAllStringSubmatch(string(p.HTML), -1) {
			name := strings.TrimPrefix(m[1], "/guide/")
			if file, is := strings.CutPrefix(name, "pictures/"); is {
				_, err := picture(file)
				require.NoError(t, err, m[1])
				continue
			}
			key, _, _ := strings.Cut(name, "#")
			require.NotNil(t, whole().byKey[key], "%s links to %s", p.Key, m[1])
		}
	}
}

func TestFind(t *testing.T) {
	for _, c := range []struct{ query, first, heading string }{
		{"redirect", "redirect", ""},
		{"REDIR", "redirect", ""},
		{"redirect table", "redirect", "A different page for each region"},
		{"top fifth", "top-fifth-to-sales", ""},
		{"unsubscribe", "send-emails", "Good to know"},
		{"direct", "", ""}, // the middle of a word is no beginning
		{"", "", ""},
		{"walrus", "", ""},
	} {
		t.Run(c.query, func(t *testing.T) {
			list := Find(c.query)
			if c.first == "" {
				for _, f := range list {
					require.NotEqual(t, "redirect", f.Page.Key)
				}
				return
			}
			require.NotEmpty(t, list)
			require.Equal(t, c.first, list[0].Page.Key)
			require.Equal(t, c.heading, list[0].Heading)
			require.LessOrEqual(t, len(list), mostFound)
		})
	}
}

func TestPagesOfARoom(t *testing.T) {
	require.NotEmpty(t, Of("Verdicts"))
	for _, p := range Of("Verdicts") {
		require.Contains(t, p.Rooms, "Verdicts")
	}
	require.Empty(t, Of("Cellar"))
}
