package workbench

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/account"
	"omphalos/app/page"
)

// How long a stream of events may be silent, and how long one write to it may take.
const (
	heartbeat     = 15 * time.Second
	eventDeadline = 10 * time.Second
	lookAround    = 2 * time.Second // for edits that another process has made
)

// lookKey is a quiz and a moment: however many windows have it open, one of them looks in each.
type lookKey struct {
	quiz   string
	moment int64
}

// lookMemory is that of the latest looks, each of which takes next to nothing.
const lookMemory, lookSize = 64 << 10, 64

// look is what is seen of a quiz in one moment: its revision, and who has it open on other servers.
type look struct {
	revision  int
	elsewhere []present
}

// look looks at a quiz as it is in this moment.
func (h *Handler) look(quiz string) (look, error) {
	key := lookKey{quiz, time.Now().UnixNano() / int64(lookAround/2)}
	return h.looks.Get(key, func() (seen look, size int, err error) {
		if seen.revision, err = h.Store.Documents.RevisionNow(quiz); err != nil {
			return seen, 0, err
		}
		seats, err := h.Store.People.Elsewhere(quiz)
		for _, one := range seats {
			seen.elsewhere = append(seen.elsewhere, present{one.Account, one.Room})
		}
		return seen, lookSize * (1 + len(seats)), err
	})
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
	now, err := h.Store.Documents.RevisionNow(c.Param("id"))
	if err != nil {
		page.Failed(c, err)
		return
	}
	header := c.Writer.Header()
	header.Set("Content-Type", "text/event-stream")
	header.Set("Cache-Control", "no-store")
	header.Set("X-Accel-Buffering", "no") // a proxy that gathers what it passes on would hold it back
	s := &stream{
		out: c.Writer, control: http.NewResponseController(c.Writer), quiz: c.Param("id"), account: account.Of(c).Email,
		revision: now, others: `""`, said: time.Now(),
	}
	_ = s.control.SetReadDeadline(time.Time{}) // there is nothing more to read
	defer h.sit(s.quiz, present{s.account, h.room(c.Query("room")).Title})()
	if s.write(fmt.Sprintf("retry: 3000\ndata: %d\n\n", now)) {
		h.tell(c.Request.Context(), s, revisions)
	}
}

// sit notes that a window is open, here and for other servers, until what it returns is called. That others are not
// told is no fault of an open window: they see it when it is opened again.
func (h *Handler) sit(quiz string, p present) (leave func()) {
	gone := h.here.enter(quiz, p)
	rise, err := h.Store.People.Sit(quiz, p.Account, p.Room)
	return func() {
		gone()
		if err == nil {
			_ = rise() // else it goes by itself in a while
		}
	}
}

// stream is the connection of one window, and what it has been told.
type stream struct {
	out      io.Writer
	control  *http.ResponseController
	quiz     string
	account  string
	revision int
	others   string    // who else is here, as a JSON text
	said     time.Time // when something was said last
}

// write says something, and reports whether it was taken.
func (s *stream) write(text string) bool {
	_ = s.control.SetWriteDeadline(time.Now().Add(eventDeadline)) // without, a reader that no longer exists is noticed later
	s.said = time.Now()
	_, err := fmt.Fprint(s.out, text)
	if err == nil {
		err = s.control.Flush()
	}
	return err == nil
}

// tell tells a window what comes, until it goes or the server ends.
func (h *Handler) tell(ctx context.Context, s *stream, revisions <-chan int) {
	tick := time.NewTicker(lookAround)
	defer tick.Stop()
	for {
		edited := 0
		select {
		case edited = <-revisions:
		case <-tick.C:
		case <-ctx.Done():
			return
		case <-h.Closing:
			return
		}
		seen, err := h.look(s.quiz)
		if err != nil {
			return // it was deleted, or the window asks again
		}
		windows := append(h.here.windows(s.quiz), seen.elsewhere...)
		if !s.news(max(edited, seen.revision, s.revision), others(windows, s.account)) {
			return
		}
	}
}

// news says what is new, or after a while that the connection stands; it reports whether that was taken.
func (s *stream) news(revision int, others string) bool {
	if others != s.others {
		if s.others = others; !s.write("event: here\ndata: " + others + "\n\n") {
			return false
		}
	}
	switch {
	case revision != s.revision:
		s.revision = revision
		return s.write(fmt.Sprintf("data: %d\n\n", revision))
	case time.Since(s.said) > heartbeat:
		return s.write(": still here\n\n")
	}
	return true
}
