package larkmoor

import (
	"net/http"
	"strings"

	"golang.org/x/net/html"
)

// pastedPage shows a line of the kit that someone pastes, on a page of the site. Only the kit's own line is taken: the
// page runs nothing else that it is given.
func pastedPage(quiz string) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		text := r.URL.Query().Get("line")
		line, why := readKitLine(quiz, text)
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		if text == "" {
			why = ""
		}
		err := pages.ExecuteTemplate(w, "paste.html", map[string]any{
			"Text": text, "Line": line, "Why": why, "Paragraphs": make([]struct{}, 24),
		})
		if err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
		}
	}
}

// readKitLine finds the kit's line in what was pasted, or says why there is none.
func readKitLine(quiz, text string) (line *kitLine, why string) {
	t := html.NewTokenizer(strings.NewReader(text))
	for {
		switch t.Next() {
		case html.ErrorToken:
			return nil, "There is no script tag of the kit in it. Copy the whole line from Launch."
		case html.StartTagToken, html.SelfClosingTagToken:
			tag := t.Token()
			if tag.Data != "script" {
				continue
			}
			a := map[string]string{}
			for _, one := range tag.Attr {
				a[one.Key] = one.Val
			}
			if a["src"] != quiz+"/kit.js" {
				return nil, "This page takes the kit of " + quiz + " alone, not " + a["src"] + "."
			}
			return &kitLine{
				Base: quiz, Quiz: a["data-quiz"], Over: a["data-over"], Read: a["data-read"], Edge: a["data-edge"],
				Again: a["data-again"], Phones: a["data-phones"], Words: a["data-words"], Source: a["data-source"],
			}, ""
		}
	}
}
