// Package mailbox is a stand-in for everyone's mail: it takes what is sent to it by SMTP, keeps the newest of it, and
// shows it so that nothing of it runs.
package mailbox

import (
	"embed"
	"fmt"
	"html/template"
	"io"
	"log"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-smtp"
)

//go:embed *.html
var files embed.FS

var pages = template.Must(template.ParseFS(files, "*.html"))

// Bounds of what is kept.
const (
	mostMails = 100
	mostBytes = 4 << 20
)

// Mailbox keeps what came, the newest first.
type Mailbox struct {
	Most int // how many it keeps; 0 is a hundred

	mu   sync.Mutex
	last []*Mail
	next int
	fail bool // it says that it cannot take anything now
}

// SMTP is the server that takes mail.
func (b *Mailbox) SMTP() *smtp.Server {
	s := smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &session{box: b}, nil }))
	s.Domain, s.MaxMessageBytes, s.MaxRecipients = "mailbox.example", mostBytes, 50
	s.ReadTimeout, s.WriteTimeout = time.Minute, time.Minute
	s.ErrorLog = log.New(io.Discard, "", 0) // who sends hears what is wrong
	return s
}

// All returns what came, the newest first.
func (b *Mailbox) All() []*Mail {
	b.mu.Lock()
	defer b.mu.Unlock()
	return append([]*Mail{}, b.last...)
}

// Fail makes it take nothing, or take again.
func (b *Mailbox) Fail(fail bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.fail = fail
}

func (b *Mailbox) failing() bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.fail
}

func (b *Mailbox) add(m *Mail) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.next++
	m.Number = b.next
	b.last = append([]*Mail{m}, b.last...)
	most := b.Most
	if most == 0 {
		most = mostMails
	}
	b.last = b.last[:min(len(b.last), most)]
}

// session takes the mails of one connection.
type session struct {
	box  *Mailbox
	from string
	to   []string
}

func (s *session) Reset() { s.from, s.to = "", nil }

func (s *session) Logout() error { return nil }

func (s *session) Mail(from string, _ *smtp.MailOptions) error {
	if s.box.failing() {
		return &smtp.SMTPError{Code: 451, EnhancedCode: smtp.EnhancedCode{4, 3, 0}, Message: "set to fail"}
	}
	s.from = from
	return nil
}

func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	if strings.HasPrefix(to, "nobody@") {
		return &smtp.SMTPError{Code: 550, EnhancedCode: smtp.EnhancedCode{5, 1, 1}, Message: "no such mailbox"}
	}
	s.to = append(s.to, to)
	return nil
}

func (s *session) Data(r io.Reader) error {
	raw, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	m := Read(raw)
	m.From, m.To, m.At = s.from, s.to, time.Now()
	s.box.add(m)
	return nil
}

// Pages adds the pages that show the mails.
func (b *Mailbox) Pages(mux *http.ServeMux) {
	mux.HandleFunc("GET /mailbox", func(w http.ResponseWriter, _ *http.Request) {
		show(w, "mailbox.html", map[string]any{"Mails": b.All(), "Fail": b.failing()})
	})
	mux.HandleFunc("POST /mailbox/toggle", func(w http.ResponseWriter, r *http.Request) {
		b.Fail(!b.failing())
		http.Redirect(w, r, "/mailbox", http.StatusSeeOther)
	})
	mux.HandleFunc("GET /mailbox/{number}", func(w http.ResponseWriter, r *http.Request) {
		if m := b.find(w, r); m != nil {
			show(w, "mail.html", m)
		}
	})
	mux.HandleFunc("GET /mailbox/{number}/html", func(w http.ResponseWriter, r *http.Request) {
		if m := b.find(w, r); m != nil {
			w.Header().Set("Content-Security-Policy", "sandbox allow-popups; default-src 'none'; img-src data:; "+
				"style-src 'unsafe-inline'; frame-ancestors 'self'")
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
			_, _ = io.WriteString(w, m.Page())
		}
	})
	mux.HandleFunc("GET /mailbox/{number}/source", func(w http.ResponseWriter, r *http.Request) {
		if m := b.find(w, r); m != nil {
			w.Header().Set("Content-Type", "text/plain; charset=utf-8")
			_, _ = w.Write(m.Raw)
		}
	})
}

func show(w http.ResponseWriter, name string, data any) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	if err := pages.ExecuteTemplate(w, name, data); err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
	}
}

func (b *Mailbox) find(w http.ResponseWriter, r *http.Request) *Mail {
	n, _ := strconv.Atoi(r.PathValue("number"))
	for _, m := range b.All() {
		if m.Number == n {
			return m
		}
	}
	http.Error(w, fmt.Sprintf("email %q doesn’t exist", r.PathValue("number")), http.StatusNotFound)
	return nil
}
