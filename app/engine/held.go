package engine

import (
	"errors"
	"strings"

	"omphalos/app/store"
)

// maxAddressed is how long a token in an address is. Browsers, proxies and mail programs take addresses of some 2,000
// characters.
const maxAddressed = 1_800

// heldMark begins the name of a token that the server keeps for a day, in place of the token: no token begins so.
const heldMark = "~"

// sealed is the token of a place for an address and a form: itself, or the name under which it is kept.
func (s *session) sealed(t token) (string, error) {
	if p, walks := t.(*Place); walks && !s.stores {
		t = &rehearsalToken{*p}
	}
	token, err := s.e.sealer.seal(s.QuizID, t)
	if err != nil || len(token) <= maxAddressed || !s.stores {
		return token, err
	}
	name := store.NewID() + store.NewID()
	return heldMark + name, s.e.store.Hold(name, s.QuizID, token)
}

// held is the token that an address stands for.
func (e *Engine) held(quizID, token string) (string, error) {
	name, kept := strings.CutPrefix(token, heldMark)
	if !kept {
		return token, nil
	}
	token, err := e.store.Held(name, quizID)
	if errors.Is(err, store.ErrNotFound) {
		return "", errToken
	}
	return token, err
}
