package app

import (
	"flag"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

var pagesInto = flag.String("pages", "", "a folder to write pages to, for a validator")

// Every kind of page answers; make check writes them with -pages and validates their HTML.
func TestPages(t *testing.T) {
	if *pagesInto == "" {
		t.Skip("make check asks for it")
	}
	d := newDesk(t, true)
	quiz := "/quizzes/" + d.wall()
	for _, path := range []string{
		"/", "/?show=archived", "/account", "/team", "/journal", "/people", "/guide", "/guide/first-quiz", "/guide/read-the-results", "/starters", "/import", "/pictures",
		quiz + "/script", quiz + "/script?open=area", quiz + "/script?view=ledger", quiz + "/script?view=languages",
		quiz + "/verdicts", quiz + "/paths", quiz + "/paths?station=area", quiz + "/endings", quiz + "/endings?outcome=pack",
		quiz + "/endings?table=regions", quiz + "/endings?table=catalogue", quiz + "/endings?part=files", quiz + "/endings/preview?outcome=pack",
		quiz + "/messages", quiz + "/messages?part=list", quiz + "/rehearse", quiz + "/rehearse/page", quiz + "/exchange",
		quiz + "/launch", quiz + "/launch?part=who", quiz + "/launch?part=hooks", quiz + "/launch?part=shared", quiz + "/launch?part=over",
		quiz + "/leads", quiz + "/leads?view=questions", quiz + "/leads?view=scores", quiz + "/leads?view=won", quiz + "/leads/bring-in",
		"/q/living-wall", "/q/nowhere", "/nowhere", "/sign-in", "/forgot", "/api/v1/",
	} {
		w := d.get(path)
		require.Contains(t, []int{http.StatusOK, http.StatusNotFound}, w.Code, path)
		name := regexp.MustCompile(`\W+`).ReplaceAllString(strings.ReplaceAll(path, d.wall(), "wall"), "-")
		if !strings.Contains(w.Header().Get("Content-Type"), "html") {
			continue
		}
		require.NoError(t, os.WriteFile(filepath.Join(*pagesInto, "page"+name+".html"), w.Body.Bytes(), 0o600))
	}
}
