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

// revision is the one that a quiz has in this moment.
func (h *Handler) revision(quiz string) (int, error) {
	key := lookKey{quiz, time.Now().UnixNano() / int64(lookAround/2)}
	return h.looks.Get(key, func() (int, int, error) {
		n, err := h.Store.RevisionNow(quiz)
		return n, lookSize, err
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
	now, err := h.Store.RevisionNow(c.Param("id"))
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
	defer h.here.enter(s.quiz, present{s.account, h.room(c.Query("room")).Title})()
	if s.write(fmt.Sprintf("retry: 3000\ndata: %d\n\n", now)) {
		h.tell(c.Request.Context(), s, revisions)
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
	_ = s.control.SetWriteDeadline(time.Now().Add(eventDeadline)) // without, a reader that is gone is noticed later
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
		var next int
		select {
		case next = <-revisions:
		case <-tick.C:
			var err error
			if next, err = h.revision(s.quiz); err != nil {
				return // it was deleted, or the window asks again
			}
		case <-ctx.Done():
			return
		case <-h.Closing:
			return
		}
		if !s.news(next, h.here.others(s.quiz, s.account)) {
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
