package respond

import (
	"bytes"
	"compress/flate"
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"encoding/base64"
	"encoding/json"
	"errors"
	"io"
	"time"

	"omphalos/core/walk"
)

// place is where a respondent is: the version they began, what they have answered, and the page they are on. It travels
// with the form and the address, sealed, so that no cookie is needed and nobody can read or change it on the way.
type place struct {
	ID       string                 `json:"i"` // of the walk, and of its response
	Version  int                    `json:"v"`
	Began    int64                  `json:"b"` // Unix seconds
	At       string                 `json:"p"` // "" opening page, a question's id, or one of the steps below
	Answers  map[string]walk.Answer `json:"a,omitempty"`
	Visitor  walk.Visitor           `json:"w,omitzero"`
	Params   map[string]string      `json:"q,omitempty"`
	Source   string                 `json:"s,omitempty"`
	Failed   *fieldError            `json:"e,omitempty"` // what is wrong with what this page was sent last
	Typed    map[string]string      `json:"t,omitempty"` // what a page was sent that could not be taken
	Before   map[string]walk.Answer `json:"f,omitempty"` // answers that the link filled in beforehand
	Known    map[string]string      `json:"k,omitempty"` // contact fields that the link filled in beforehand
	Review   bool                   `json:"r,omitempty"` // the page shows right and wrong of what was just answered
	Takes    int                    `json:"n,omitempty"` // how often this respondent has taken the quiz again
	Outcome  string                 `json:"o,omitempty"` // of a result to show to others: nothing else is known of it
	Scores   []string               `json:"c,omitempty"` // its scores, as shown
	Language string                 `json:"l,omitempty"` // of the pages; "" for the quiz's own
	Thanks   bool                   `json:"y,omitempty"` // the contact step after the outcome is done
}

// Steps beside the questions; ids of questions never begin with ".".
const (
	atContact = ".contact"
	atAfter   = ".after" // the contact step after the outcome
	atEnd     = ".end"
	atResult  = ".result" // of a result to show to others
)

// input is what the walk computes on.
func (p *place) input() walk.Input {
	return walk.Input{Answers: p.Answers, Visitor: p.Visitor, Params: p.Params, Today: time.Unix(p.Began, 0).UTC().Format(time.DateOnly)}
}

// at returns the same place on another page.
func (p place) at(step string) place {
	p.At, p.Failed, p.Typed, p.Review = step, nil, nil, false
	return p
}

var errSeal = errors.New("the place in the quiz cannot be read")

// sealer seals places with AES-GCM (NIST SP 800-38D); the quiz's id is bound in, so that a place in one quiz is none in
// another.
type sealer struct{ aead cipher.AEAD }

func newSealer(key []byte) (*sealer, error) {
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil, err
	}
	aead, err := cipher.NewGCM(block)
	return &sealer{aead}, err
}

// deflateAbove is the size from which a place is worth compressing.
const deflateAbove = 300

func (s *sealer) seal(quizID string, p place) (string, error) {
	plain, err := json.Marshal(p)
	if err != nil {
		return "", err
	}
	if len(plain) > deflateAbove {
		var b bytes.Buffer
		b.WriteByte(1)
		w, err := flate.NewWriter(&b, flate.BestSpeed)
		if err != nil {
			return "", err
		}
		if _, err := w.Write(plain); err != nil {
			return "", err
		}
		if err := w.Close(); err != nil {
			return "", err
		}
		plain = b.Bytes()
	} else {
		plain = append([]byte{0}, plain...)
	}
	nonce := make([]byte, s.aead.NonceSize(), s.aead.NonceSize()+len(plain)+s.aead.Overhead())
	if _, err := rand.Read(nonce); err != nil {
		return "", err
	}
	return base64.RawURLEncoding.EncodeToString(s.aead.Seal(nonce, nonce, plain, []byte(quizID))), nil
}

// maxPlace bounds what a place unpacks to.
const maxPlace = 1 << 20

func (s *sealer) open(quizID, token string) (*place, error) {
	sealed, err := base64.RawURLEncoding.DecodeString(token)
	if err != nil || len(sealed) < s.aead.NonceSize() {
		return nil, errSeal
	}
	n := s.aead.NonceSize()
	plain, err := s.aead.Open(nil, sealed[:n], sealed[n:], []byte(quizID))
	if err != nil || len(plain) == 0 {
		return nil, errSeal
	}
	packed, plain := plain[0] == 1, plain[1:]
	if packed {
		if plain, err = io.ReadAll(io.LimitReader(flate.NewReader(bytes.NewReader(plain)), maxPlace)); err != nil {
			return nil, errSeal
		}
	}
	var p place
	if err := json.Unmarshal(plain, &p); err != nil {
		return nil, errSeal
	}
	if p.Answers == nil {
		p.Answers = map[string]walk.Answer{}
	}
	return &p, nil
}
