package page

import (
	"fmt"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

func TestFigures(t *testing.T) {
	for share, want := range map[float64]string{0: "0%", 1: "100%", 1 - 1e-12: "100%", 0.5: "50%", 0.1984: "19.8%", 0.0001: "<0.1%", 0.99999: ">99.9%", 0.0006: "0.1%"} {
		require.Equal(t, want, Percent(share))
	}
	for n, want := range map[int]string{0: "0", 999: "999", 1000: "1,000", 1234567: "1,234,567", -4321: "−4,321"} {
		require.Equal(t, want, Thousands(n))
	}
	require.Equal(t, "1 edit", Plural(1, "edit", "edits"))
	require.Equal(t, "1,200 edits", Plural(1200, "edit", "edits"))
}

func TestMarksAreDistinct(t *testing.T) {
	d := &quiz.Document{}
	for i, name := range []string{"Site visit", "Planning pack", "Not this year", "Sales", "Sales visit", "SV", "", "Ärzte", "!!", "Site visit"} {
		d.Outcomes = append(d.Outcomes, quiz.Outcome{ID: fmt.Sprint("o", i), Name: name})
	}
	marks := Marks(d)
	require.Equal(t, "SV", marks[0].Letters)
	require.Equal(t, "PP", marks[1].Letters)
	require.Equal(t, "NY", marks[2].Letters)
	seen := map[string]bool{}
	for _, m := range marks {
		require.Len(t, []rune(m.Letters), 2, m.Name)
		require.False(t, seen[m.Letters], m.Letters)
		seen[m.Letters] = true
	}
	require.Equal(t, "gone", MarkOf(marks, "gone").Name)
	alike := &quiz.Document{}
	for _, name := range []string{"Outcome fern", "Outcome palm", "Outcome fig", "Outcome 10", "Outcome 1"} {
		alike.Outcomes = append(alike.Outcomes, quiz.Outcome{Name: name})
	}
	var letters []string
	for _, m := range Marks(alike) {
		letters = append(letters, m.Letters)
	}
	require.Equal(t, []string{"OF", "OP", "FI", "O1"}, letters[:4], "from the word that tells them apart")
}

// Nothing that an author writes, or that is filled into it, can run.
func TestMarkdownIsSafe(t *testing.T) {
	for _, src := range []string{"<script>alert(1)</script>", "[x](javascript:alert(1))", "<img src=x onerror=alert(1)>", "![x](data:text/html,<script>)", "<a href='jav&#x09;ascript:alert(1)'>x</a>", "<style>*{}</style>", "<iframe src=//evil.example>"} {
		got := strings.ToLower(string(Markdown(src)))
		for _, bad := range []string{"<script", "javascript:", "onerror", "<style", "<iframe", "data:text"} {
			require.NotContains(t, got, bad, src)
		}
	}
	require.Equal(t, "<p><strong>bold</strong> and <a href=\"https://example.org\" rel=\"nofollow\">a link</a></p>\n", string(Markdown("**bold** and [a link](https://example.org)")))
}

func TestAssetsAreKeptByTheirContents(t *testing.T) {
	gin.SetMode(gin.ReleaseMode)
	g := gin.New()
	g.GET("/assets/*name", ServeAssets)
	ask := func(path, etag string) *httptest.ResponseRecorder {
		w := httptest.NewRecorder()
		r := httptest.NewRequest("GET", path, nil)
		r.Header.Set("If-None-Match", etag)
		g.ServeHTTP(w, r)
		return w
	}
	w := ask(AssetPath("dist/app.css"), "")
	require.Equal(t, 200, w.Code)
	require.Contains(t, w.Header().Get("Cache-Control"), "immutable")
	require.Contains(t, w.Header().Get("Content-Type"), "text/css")
	require.Equal(t, 304, ask("/assets/dist/app.css", w.Header().Get("ETag")).Code)
	require.Equal(t, "no-cache", ask("/assets/parts.js", "").Header().Get("Cache-Control"))
	require.Equal(t, "font/woff2", ask("/assets/fonts/gfs-didot-latin-400-normal.woff2", "").Header().Get("Content-Type"))
	require.Equal(t, 404, ask("/assets/../page.go", "").Code)

	part := httptest.NewRequest("GET", "/assets/parts.js", nil)
	part.Header.Set("Range", "bytes=0-1")
	w = httptest.NewRecorder()
	g.ServeHTTP(w, part)
	require.Equal(t, 206, w.Code)
	require.Equal(t, "//", w.Body.String())
}
