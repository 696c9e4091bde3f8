package engine

import (
	"errors"
	"strings"

	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
)

// maxAddressed is how long a token in an address is. Browsers, proxies and mail programs take addresses of some 2,000
// characters.
const maxAddressed = 1_800

// heldMark begins the name of a token that the server keeps for a day, in place of the token: no token begins so.
const heldMark = "~"

// sealed is the token of a place for an address and a form: itself, or the name under which it is kept. Where there is no
// room to keep it, it is itself, however long: then it belongs into a form alone (see long).
func (s *session) sealed(t token) (string, error) {
	if p, walks := t.(*Place); walks && !s.stores {
		t = &rehearsalToken{*p}
	}
	token, err := s.e.sealer.seal(s.QuizID, t)
	if err != nil || len(token) <= maxAddressed || !s.stores {
		return token, err
	}
	name := database.NewID() + database.NewID()
	held, err := s.e.store.Deliveries.Hold(deliveries.HeldPlace{
		ID: name, QuizID: s.QuizID, Walk: s.p.ID, Network: household(s.visit.Address).String(), Token: token,
	})
	if err != nil || !held {
		return token, err
	}
	return heldMark + name, nil
}

// long reports whether a token is too long for an address: the page that it leads to is the answer to the form then,
// and holds it.
func (s *session) long(token string) bool { return s.stores && len(token) > maxAddressed }

// held is the token that an address stands for.
func (e *Engine) held(quizID, token string) (string, error) {
	name, kept := strings.CutPrefix(token, heldMark)
	if !kept {
		return token, nil
	}
	token, err := e.store.Deliveries.Held(name, quizID)
	if errors.Is(err, database.ErrNotFound) {
		return "", errToken
	}
	return token, err
}
