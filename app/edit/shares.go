package edit

import (
	"encoding/json"
	"strconv"
	"strings"

	"omphalos/app/store/documents"
	"omphalos/core/quiz"
	"omphalos/core/reach"
)

// Share is one assumed share, as it was typed.
type Share struct {
	Group string // answers, or where a fact belongs that is known before the first question: visitor, time
	Field string // question id, id.row of a grid, or a fact about the visitor
	Value string
	Text  string // percent; "" takes the share away
}

// SetShare stores a share that the team assumes, next to those that others type at the same time.
func (e *Editor) SetShare(who Actor, quizID string, share Share) (*documents.Quiz, error) {
	if who.Account == 0 {
		return nil, errNoActor
	}
	part, err := readShare(share.Text)
	if err != nil {
		return nil, err
	}
	assumed, err := e.store.Documents.ChangeAssumed(quizID, func(now []byte) ([]byte, error) {
		a := ReadAssumed(now)
		a.Change(share.Group, share.Field, share.Value, part)
		return json.Marshal(a)
	})
	if err != nil {
		return nil, ofStore(err)
	}
	q, err := e.store.Documents.Quiz(quizID)
	if err != nil {
		return nil, ofStore(err)
	}
	q.Assumed = assumed
	return q, nil
}

// readShare reads percent as a part of 1; −1 for nothing.
func readShare(text string) (float64, error) {
	text = strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(strings.ReplaceAll(text, ",", ".")), "%"))
	if text == "" {
		return -1, nil
	}
	p, err := strconv.ParseFloat(text, 64)
	if err != nil || !(p >= 0 && p <= 100) {
		return 0, refused(quiz.Problems{{Message: "type a share from 0% to 100%"}})
	}
	return p / 100, nil
}

// ReadAssumed reads the shares that the team has typed; no map of it is nil.
func ReadAssumed(text []byte) *reach.Assumption {
	a := &reach.Assumption{}
	if len(text) > 0 {
		_ = json.Unmarshal(text, a) // only this program writes it; what cannot be read assumes nothing
	}
	if a.Answers == nil {
		a.Answers = map[string]map[string]float64{}
	}
	if a.Visitor == nil {
		a.Visitor = map[string]map[string]float64{}
	}
	return a
}
