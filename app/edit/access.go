package edit

import (
	"fmt"
	"net/url"
	"strings"

	"omphalos/app/store"
	"omphalos/core/fill"
	"omphalos/core/quiz"
)

// maxFrames is how many sites may be named: the list stands in a header of every page.
const maxFrames = 20

// SetFrames stores which sites may show a quiz in a frame, one a line; none means any.
func (e *Editor) SetFrames(who Actor, quizID, text string) error {
	if who.Account == 0 {
		return errNoActor
	}
	sites, err := readFrames(text)
	if err != nil {
		return err
	}
	return ofStore(e.store.SetAccess(quizID, func(a *store.Access) { a.Frames = sites }))
}

// readFrames reads sites as origins: scheme and host, whatever page of the site was copied.
func readFrames(text string) ([]string, error) {
	var out []string
	for i, line := range strings.Fields(text) {
		if !strings.Contains(line, "://") {
			line = "https://" + line
		}
		u, err := url.Parse(line)
		if err == nil {
			_, err = fill.ParseAddress(u.Scheme + "://" + u.Host)
		}
		if err != nil || u.User != nil {
			return nil, refused(quiz.Problems{{
				Message: fmt.Sprintf("line %d, %q, is not the address of a site", i+1, line),
				Mend:    "Write one a line, such as https://www.larkmoor.example.",
			}})
		}
		out = append(out, u.Scheme+"://"+u.Host)
	}
	if len(out) > maxFrames {
		return nil, refused(quiz.Problems{{Message: fmt.Sprintf("name at most %d sites, or none for any", maxFrames)}})
	}
	return out, nil
}
