package larkmoor

import (
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"sync"
	"time"

	standard "github.com/standard-webhooks/standard-webhooks/libraries/go"
)

// HookSecret is the secret that the receiver shares with the demonstration's hook.
const HookSecret = "whsec_bGFya21vb3Igc3RhbmQtaW4gcmVjZWl2ZXIga2V5"

// told is one message that came.
type told struct {
	At       time.Time
	ID       string
	Type     string
	Verified bool
	Failed   bool // it was told to fail, and did
	Body     string
}

// receiver stands in for another program that is told of events: it verifies what comes, shows it, and can be told to
// fail.
type receiver struct {
	mu   sync.Mutex
	last []told
	fail bool
}

// mostTold bounds how many messages are kept, and how long one may be.
const (
	mostTold   = 50
	mostLetter = 64 << 10
)

func (r *receiver) take(w http.ResponseWriter, req *http.Request) {
	body, err := io.ReadAll(http.MaxBytesReader(w, req.Body, mostLetter))
	if err != nil {
		http.Error(w, "too long", http.StatusRequestEntityTooLarge)
		return
	}
	m := told{At: time.Now(), ID: req.Header.Get(standard.HeaderWebhookID)}
	if hook, err := standard.NewWebhook(HookSecret); err == nil {
		m.Verified = hook.Verify(body, req.Header) == nil
	}
	var read struct{ Type string }
	_ = json.Unmarshal(body, &read) // what cannot be read has no type
	var indented bytes.Buffer
	if json.Indent(&indented, body, "", "  ") == nil {
		body = indented.Bytes()
	}
	m.Type, m.Body = read.Type, string(body)
	r.mu.Lock()
	defer r.mu.Unlock()
	m.Failed = r.fail
	r.last = append([]told{m}, r.last...)
	r.last = r.last[:min(len(r.last), mostTold)]
	switch {
	case r.fail:
		http.Error(w, "set to fail", http.StatusServiceUnavailable)
	case !m.Verified:
		http.Error(w, "the signature doesn’t match", http.StatusUnauthorized)
	default:
		w.WriteHeader(http.StatusNoContent)
	}
}

func (r *receiver) show(w http.ResponseWriter, _ *http.Request) {
	r.mu.Lock()
	defer r.mu.Unlock()
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = pages.ExecuteTemplate(w, "receiver.html", map[string]any{"Last": r.last, "Fail": r.fail})
}

func (r *receiver) toggle(w http.ResponseWriter, req *http.Request) {
	r.mu.Lock()
	r.fail = !r.fail
	r.mu.Unlock()
	http.Redirect(w, req, "/receiver", http.StatusSeeOther)
}
