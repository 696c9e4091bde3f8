package app

import (
	"compress/gzip"
	"io"
	"net/http"
	"net/http/httptest"
	"regexp"
	"testing"

	"github.com/stretchr/testify/require"
)

// Pages of the workbench are compressed once for who takes it, and are the same pages.
func TestPagesTravelSmall(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("windowsill")
	require.NoError(t, err)
	at := "/quizzes/" + q.ID
	for _, path := range []string{"/", at + "/script", at + "/verdicts", at + "/paths", at + "/endings/preview?outcome=fern", at + "/export/quiz.json", "/assets/workbench.js", "/q/windowsill"} {
		t.Run(path, func(t *testing.T) {
			plain := d.get(path)
			require.Equal(t, http.StatusOK, plain.Code)
			require.Empty(t, plain.Header().Get("Content-Encoding"))
			small := d.getSmall(path)
			require.Equal(t, "gzip", small.Header().Get("Content-Encoding"))
			require.Contains(t, small.Header().Get("Vary"), "Accept-Encoding")
			require.Less(t, small.Body.Len(), plain.Body.Len())
			require.Equal(t, settle(plain.Body.String()), settle(unpacked(t, small)), "and packed once")
		})
	}
	missing := d.getSmall(at + "/settings/none")
	require.Equal(t, http.StatusNotFound, missing.Code)
	require.Equal(t, "This question no longer exists.", missing.Body.String())
}

func (d *desk) getSmall(path string) *httptest.ResponseRecorder {
	return send(d.h, "GET", path, nil, func(r *http.Request) {
		r.AddCookie(d.cookie)
		r.Header.Set("Accept-Encoding", "gzip, br")
	})
}

func unpacked(t *testing.T, w *httptest.ResponseRecorder) string {
	t.Helper()
	r, err := gzip.NewReader(w.Body)
	require.NoError(t, err)
	text, err := io.ReadAll(r)
	require.NoError(t, err)
	return string(text)
}

// settle takes out what is new each time: a respondent's place, and the number that a style may be used with.
func settle(body string) string {
	return regexp.MustCompile(`(name="w" value|nonce)="[^"]*"`).ReplaceAllString(body, "$1")
}
