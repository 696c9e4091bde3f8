package larkmoor

import "net/http"

// kitLine is one use of the kit on a page.
type kitLine struct {
	Base, Quiz, Over, Read, Edge, Again, Phones, Words, Source string
}

// kitPage is a page of the sites that has the quiz on it by the kit's one line.
type kitPage struct {
	Title, Lead  string
	Above, Below []kitLine
	Paragraphs   []struct{}
	Listens      bool   // to the kit's events, with a script of its own
	Policy       string // of the page; "" is that of all pages
}

// kitPages are the ways in which the sites use the kit.
func kitPages(quiz string) map[string]kitPage {
	line := func(l kitLine) []kitLine {
		l.Base = quiz
		return []kitLine{l}
	}
	long := make([]struct{}, 40)
	return map[string]kitPage{
		"/ideas": {
			Title:      "Ideas for green offices",
			Lead:       "This page has two embedded quizzes.",
			Listens:    true,
			Paragraphs: long[:3],
			Above:      line(kitLine{Quiz: "living-wall", Source: "ideas"}),
			Below:      line(kitLine{Quiz: "watering", Source: "ideas"}),
		},
		"/offers": {
			Title:      "Offers of the month",
			Lead:       "A quiz opens over this page after two seconds.",
			Listens:    true,
			Paragraphs: long[:6],
			Above:      line(kitLine{Quiz: "living-wall", Over: "2", Source: "offers"}),
		},
		"/guide": {
			Title:      "The long guide to light",
			Lead:       "A quiz opens when you’ve read more than half of this page.",
			Listens:    true,
			Paragraphs: long,
			Above:      line(kitLine{Quiz: "windowsill", Read: "60", Phones: "yes"}),
		},
		"/news": {Title: "News", Lead: "A bar at the bottom opens a quiz.", Listens: true, Paragraphs: long[:12],
			Above: line(kitLine{Quiz: "watering", Edge: "bottom", Words: "How well do you water?"})},
		"/strict": {
			Title:      "A page with a strict policy",
			Lead:       "This page’s policy allows only the kit’s script and frame from other sites.",
			Paragraphs: long[:4],
			Above:      line(kitLine{Quiz: "living-wall", Over: "1"}),
			Policy:     "default-src 'none'; style-src 'self'; script-src " + quiz + "; frame-src " + quiz,
		},
		"/out-of-reach": {
			Title:      "A page whose quiz no longer exists",
			Lead:       "This quiz doesn’t exist, so the page stays unchanged.",
			Listens:    true,
			Paragraphs: long[:4],
			Above:      line(kitLine{Quiz: "no-such-quiz"}),
			Below:      line(kitLine{Quiz: "no-such-quiz", Over: "0"}),
		},
	}
}

func serveKitPages(mux *http.ServeMux, quiz string) {
	for path, p := range kitPages(quiz) {
		mux.HandleFunc("GET "+path, func(w http.ResponseWriter, _ *http.Request) {
			if p.Policy != "" {
				w.Header().Set("Content-Security-Policy", p.Policy)
			}
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
			if err := pages.ExecuteTemplate(w, "kit.html", p); err != nil {
				http.Error(w, err.Error(), http.StatusInternalServerError)
			}
		})
	}
}
