package engine

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
	"strings"

	"github.com/fxamacker/cbor/v2"

	"omphalos/core/walk"
)

// Tokens travel in addresses and forms in place of a session on the server. A token is sealed with AES-GCM (NIST SP
// 800-38D): no one can read or change what it says. The quiz and the kind of token are bound in as additional data,
// so that a token of one kind opens as no other, and in no other quiz.
//
//	base64url( nonce ‖ seal( flag ‖ CBOR, or flag ‖ DEFLATE(CBOR) ) )
//
// CBOR (RFC 8949) is read and written with every page; JSON, which earlier tokens hold, takes four times as long.

// token is what a kind of token says; kind names it.
type token interface{ kind() string }

// The kinds of token next to Place, which is that of a walk.
type (
	// endToken leads to the ending of a finished walk.
	endToken struct{ Place }
	// rehearsalToken is the place of someone of whom nothing is kept.
	rehearsalToken struct{ Place }
	// resultToken shows a result to others: the outcome and its scores, and nothing of who got it.
	resultToken struct {
		Version  int      `json:"v"`
		Outcome  string   `json:"o"`
		Scores   []string `json:"c,omitempty"` // names and values in turn
		Language string   `json:"l,omitempty"`
	}
	// retakeToken begins the quiz again.
	retakeToken struct {
		Version  int    `json:"v"`
		Takes    int    `json:"n"` // how often it has been taken again before
		Language string `json:"l,omitempty"`

		// Where the first walk came from: the next one came from there too.
		Source string            `json:"s,omitempty"`
		Way    string            `json:"m,omitempty"`
		Kit    bool              `json:"j,omitempty"`
		Params map[string]string `json:"q,omitempty"`
	}
	// tagToken is all that the owner's tag, and the page around, may know.
	tagToken struct {
		Version int    `json:"v"`
		Event   string `json:"e"`
		Outcome string `json:"o"`
		Lead    string `json:"d,omitempty"`
	}
)

func (Place) kind() string          { return "walk" }
func (endToken) kind() string       { return "end" }
func (rehearsalToken) kind() string { return "rehearsal" }
func (resultToken) kind() string    { return "result" }
func (retakeToken) kind() string    { return "retake" }
func (tagToken) kind() string       { return "tag" }

// encoding is strict: a token is written in one way only, down to the bits that its last character does not need.
var encoding = base64.RawURLEncoding.Strict()

var errToken = errors.New("couldn’t read the token")

// sealer seals tokens and opens them.
type sealer struct{ aead cipher.AEAD }

func newSealer(key []byte) (*sealer, error) {
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil, err
	}
	aead, err := cipher.NewGCM(block)
	return &sealer{aead}, err
}

// deflateAbove is the size from which a token is worth compressing.
const deflateAbove = 300

// The flag before what is sealed.
const (
	flagJSON       = 0 // of shared results and walks from before
	flagPackedJSON = 1
	flagCBOR       = 2
	flagPackedCBOR = 3
)

// Numbers keep every digit, as text. What a browser sent that is no UTF-8 comes back as it was.
var (
	cborOut = must(cbor.EncOptions{TextMarshaler: cbor.TextMarshalerTextString}.EncMode())
	cborIn  = must(cbor.DecOptions{
		TextUnmarshaler: cbor.TextUnmarshalerTextString,
		UTF8:            cbor.UTF8DecodeInvalid,
	}.DecMode())
)

// must is for options that are constants.
func must[T any](v T, err error) T {
	if err != nil {
		panic(err)
	}
	return v
}

func (s *sealer) seal(quizID string, t token) (string, error) {
	body, err := cborOut.Marshal(t)
	if err != nil {
		return "", err
	}
	plain := append([]byte{flagCBOR}, body...)
	if len(body) > deflateAbove {
		if plain, err = packed(body); err != nil {
			return "", err
		}
	}
	nonce := make([]byte, s.aead.NonceSize(), s.aead.NonceSize()+len(plain)+s.aead.Overhead())
	if _, err := rand.Read(nonce); err != nil {
		return "", err
	}
	return encoding.EncodeToString(s.aead.Seal(nonce, nonce, plain, additional(quizID, t))), nil
}

func additional(quizID string, t token) []byte { return []byte(t.kind() + "\x00" + quizID) }

func packed(body []byte) ([]byte, error) {
	var b bytes.Buffer
	b.WriteByte(flagPackedCBOR)
	w, err := flate.NewWriter(&b, flate.BestSpeed)
	if err == nil {
		_, err = w.Write(body)
	}
	if err == nil {
		err = w.Close()
	}
	return b.Bytes(), err
}

// maxToken bounds what a token unpacks to.
const maxToken = 1 << 20

// open reads a sealed token of the kind of t into t.
func (s *sealer) open(quizID, sealed string, t token) error {
	raw, err := encoding.DecodeString(sealed)
	n := s.aead.NonceSize()
	if err != nil || len(raw) < n || strings.ContainsAny(sealed, "\r\n") { // which the decoder passes over
		return errToken
	}
	plain, err := s.aead.Open(nil, raw[:n], raw[n:], additional(quizID, t))
	if err != nil || len(plain) == 0 {
		return errToken
	}
	flag, body := plain[0], plain[1:]
	if flag == flagPackedJSON || flag == flagPackedCBOR {
		if body, err = io.ReadAll(io.LimitReader(flate.NewReader(bytes.NewReader(body)), maxToken)); err != nil {
			return errToken
		}
	}
	switch flag {
	case flagCBOR, flagPackedCBOR:
		err = cborIn.Unmarshal(body, t)
	case flagJSON, flagPackedJSON:
		err = json.Unmarshal(body, t)
	default:
		err = errToken
	}
	if err != nil {
		return errToken
	}
	return nil
}

// openPlace reads the token of a walk.
func (s *sealer) openPlace(quizID, sealed string) (*Place, error) {
	var p Place
	err := s.open(quizID, sealed, &p)
	return &p, tidyPlace(&p, err)
}

// openEnd reads the token of an ending.
func (s *sealer) openEnd(quizID, sealed string) (*Place, error) {
	var t endToken
	err := s.open(quizID, sealed, &t)
	return &t.Place, tidyPlace(&t.Place, err)
}

// openRehearsal reads the token of a rehearsal.
func (s *sealer) openRehearsal(quizID, sealed string) (*Place, error) {
	var t rehearsalToken
	err := s.open(quizID, sealed, &t)
	return &t.Place, tidyPlace(&t.Place, err)
}

func tidyPlace(p *Place, err error) error {
	if err == nil && p.ID == "" {
		return errToken
	}
	if p.Answers == nil {
		p.Answers = map[string]walk.Answer{}
	}
	return err
}
