// Package larkmoor is a stand-in for the sites of Larkmoor Botanics, an invented company: its landing page, its booking
// page, its planning pack and its shop. They are simulated, and show what a redirect brought along.
package larkmoor

import (
	"embed"
	"html/template"
	"net/http"
	"sort"

	"omphalos/standins/mailbox"
)

//go:embed *.html *.css *.js
var files embed.FS

var pages = template.Must(template.ParseFS(files, "*.html"))

type site struct {
	Title string
	Lead  string
	Place string
	Given []given
	Quiz  string // address of the quiz program
}

type given struct{ Name, Value string }

// Handler serves the sites. quiz is the address at which the quizzes run; box has the mail that they send.
func Handler(quiz string, box *mailbox.Mailbox) http.Handler {
	mux := http.NewServeMux()
	box.Pages(mux)
	for path, s := range map[string]site{
		"/{$}": {Place: "landing", Title: "Larkmoor Botanics", Lead: "Indoor plants for homes and offices: " +
			"living walls, pots and plant care."},
		"/booking": {Place: "booking", Title: "Book a site visit", Lead: "A planner visits, measures your wall " +
			"and its light, and gives you a price."},
		"/planning-pack": {Place: "pack", Title: "The planning pack", Lead: "Plant lists, wall loads, irrigation and " +
			"a price per square metre."},
		"/shop": {Place: "shop", Title: "Pots and plants", Lead: "Large pots that survive a week without watering."},
	} {
		mux.HandleFunc("GET "+path, func(w http.ResponseWriter, r *http.Request) {
			s := s
			s.Quiz = quiz
			for name, values := range r.URL.Query() {
				for _, v := range values {
					s.Given = append(s.Given, given{name, v})
				}
			}
			sort.Slice(s.Given, func(i, j int) bool { return s.Given[i].Name < s.Given[j].Name })
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
			if err := pages.ExecuteTemplate(w, "site.html", s); err != nil {
				http.Error(w, err.Error(), http.StatusInternalServerError)
			}
		})
	}
	r := &receiver{}
	mux.HandleFunc("POST /receiver", r.take)
	mux.HandleFunc("GET /receiver", r.show)
	mux.HandleFunc("POST /receiver/toggle", r.toggle)
	mux.HandleFunc("GET /pixel.svg", pixel)
	mux.HandleFunc("GET /events", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		if err := pages.ExecuteTemplate(w, "events.html", events.list()); err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
		}
	})
	mux.HandleFunc("GET /framed", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		slug := r.URL.Query().Get("quiz")
		if slug == "" {
			slug = "living-wall"
		}
		if err := pages.ExecuteTemplate(w, "framed.html", map[string]string{"Quiz": quiz, "Slug": slug}); err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
		}
	})
	serveKitPages(mux, quiz)
	mux.HandleFunc("GET /paste", pastedPage(quiz))
	mux.Handle("GET /larkmoor.js", http.FileServerFS(files))
	mux.Handle("GET /larkmoor.css", http.FileServerFS(files))
	return guarded(mux, quiz)
}

// guarded gives the sites a policy of their own: they show what they are given, and run none of it.
func guarded(sites http.Handler, quiz string) http.Handler {
	policy := "default-src 'none'; style-src 'self'; script-src 'self' " + quiz + "; img-src 'self' data:; font-src 'self'; " +
		"frame-src 'self' " + quiz + "; connect-src " + quiz + "; base-uri 'none'; form-action 'self'; frame-ancestors *"
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Security-Policy", policy) // a page may set one of its own
		w.Header().Set("X-Content-Type-Options", "nosniff")
		w.Header().Set("Referrer-Policy", "no-referrer")
		sites.ServeHTTP(w, r)
	})
}
