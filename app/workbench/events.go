package workbench

import (
	"fmt"
	"net/http"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/account"
	"omphalos/app/page"
	"omphalos/app/store"
)

// How long a stream of events may be silent, and how long one write to it may take.
const (
	heartbeat     = 15 * time.Second
	eventDeadline = 10 * time.Second
	lookAround    = 2 * time.Second // for edits that another process has made
)

// looks are the latest looks at revisions: however many windows have a quiz open, one of them looks.
type looks struct {
	mu   sync.Mutex
	list map[string]look // by quiz
}

type look struct {
	at       time.Time
	revision int
	err      error
}

const mostLooks = 1000

// revision is the one that was seen last, or looks anew.
func (l *looks) revision(s *store.Store, quiz string) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	last, known := l.list[quiz]
	if known && time.Since(last.at) < lookAround/2 {
		return last.revision, last.err
	}
	if l.list == nil || len(l.list) >= mostLooks {
		l.list = map[string]look{}
	}
	last.at = time.Now()
	last.revision, last.err = s.RevisionNow(quiz)
	l.list[quiz] = last
	return last.revision, last.err
}

// events is the connection by which a window learns of others' edits (server-sent events, HTML Standard, section
// 9.2): the number of each revision. A window whose connection fails asks from time to time instead.
func (h *Handler) events(c *gin.Context) {
	leave, seated := h.listening.Take()
	if !seated {
		c.Header("Retry-After", "30")
		c.AbortWithStatus(http.StatusServiceUnavailable)
		return
	}
	defer leave()
	revisions, end := h.Editor.Watch(c.Param("id"))
	defer end()
	now, err := h.Store.RevisionNow(c.Param("id"))
	if err != nil {
		page.Failed(c, err)
		return
	}
	header := c.Writer.Header()
	header.Set("Content-Type", "text/event-stream")
	header.Set("Cache-Control", "no-store")
	header.Set("X-Accel-Buffering", "no") // a proxy that gathers what it passes on would hold it back
	control := http.NewResponseController(c.Writer)
	_ = control.SetReadDeadline(time.Time{}) // there is nothing more to read
	write := func(text string) bool {
		_ = control.SetWriteDeadline(
			time.Now().Add(eventDeadline),
		) // where there are none, a reader that is gone is noticed later
		_, err := fmt.Fprint(c.Writer, text)
		if err == nil {
			err = control.Flush()
		}
		return err == nil
	}
	tick := time.NewTicker(lookAround)
	defer tick.Stop()
	quiz, account := c.Param("id"), account.Of(c).Email
	defer h.here.enter(quiz, present{account, h.room(c.Query("room")).Title})()
	others := `""`
	if !write(fmt.Sprintf("retry: 3000\ndata: %d\n\n", now)) {
		return
	}
	said := time.Now()
	for {
		next := now
		select {
		case next = <-revisions:
		case <-tick.C:
			if next, err = h.looks.revision(h.Store, c.Param("id")); err != nil {
				return // it was deleted, or the window asks again
			}
		case <-c.Request.Context().Done():
			return
		case <-h.Closing:
			return
		}
		text := ""
		if now := h.here.others(quiz, account); now != others {
			if others = now; !write("event: here\ndata: " + now + "\n\n") {
				return
			}
		}
		switch {
		case next != now:
			text = fmt.Sprintf("data: %d\n\n", next)
		case time.Since(said) > heartbeat:
			text = ": still here\n\n"
		default:
			continue
		}
		if now, said = next, time.Now(); !write(text) {
			return
		}
	}
}
