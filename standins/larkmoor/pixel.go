package larkmoor

import (
	"net/http"
	"sync"
	"time"
)

// An event is one request for the pixel: what an ad platform would have counted.
type received struct {
	At     time.Time
	Values []given
}

// log keeps the last events.
type log struct {
	mu   sync.Mutex
	last []received
}

var events log

// maxEvents bounds how many are kept.
const maxEvents = 50

func (l *log) add(e received) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.last = append([]received{e}, l.last...)
	l.last = l.last[:min(len(l.last), maxEvents)]
}

func (l *log) list() []received {
	l.mu.Lock()
	defer l.mu.Unlock()
	return append([]received{}, l.last...)
}

// pixel stands in for an ad platform's: it notes what it was asked for with.
func pixel(w http.ResponseWriter, r *http.Request) {
	if len(r.URL.Query()) > 0 {
		e := received{At: time.Now()}
		for _, name := range []string{"event", "outcome", "lead"} {
			if v := r.URL.Query().Get(name); v != "" {
				e.Values = append(e.Values, given{name, v})
			}
		}
		events.add(e)
	}
	w.Header().Set("Content-Type", "image/svg+xml")
	w.Header().Set("Cache-Control", "no-store")
	_, _ = w.Write([]byte(`<svg xmlns="http://www.w3.org/2000/svg" width="1" height="1"/>`))
}
