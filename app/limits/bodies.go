package limits

import (
	"cmp"
	"fmt"
	"io"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/route"
)

// Body is what a request to any address may send, unless its route says another bound.
const Body = 64 << 10

const mega = 1 << 20

// How long a body may take to arrive, and how long a request may be answered. Small bodies come with the request; large
// ones may come over a slow line.
const (
	readSmall = 20 * time.Second
	readLarge = 3 * time.Minute
	Answer    = time.Minute
)

// Server sets the deadlines of a server: no one holds a connection by saying nothing.
func Server(s *http.Server) {
	s.ReadHeaderTimeout = 10 * time.Second
	s.ReadTimeout = readSmall // Bounded gives more where there is more to read
	s.WriteTimeout = Answer
	s.IdleTimeout = time.Minute
	s.MaxHeaderBytes = 32 << 10
}

// OfBody is the most that a route takes.
func OfBody(r route.Route) int64 { return cmp.Or(r.Body, Body) }

// Bounded bounds what a request sends, and how long it takes to. One that says beforehand that it is larger is
// refused at once.
func Bounded(c *gin.Context) {
	if c.Request.Body == nil || c.Request.Body == http.NoBody {
		return
	}
	at, _ := route.Of(c.Request.Method, c.FullPath())
	most := OfBody(at)
	wait := readSmall
	if most > Body {
		wait = readLarge
	}
	control := http.NewResponseController(c.Writer) // there are no deadlines in a test
	_ = control.SetReadDeadline(time.Now().Add(wait))
	if at.Paced {
		c.Request.Body = &pacedBody{ReadCloser: c.Request.Body, begun: time.Now(), until: control.SetReadDeadline}
	}
	_ = control.SetWriteDeadline(time.Now().Add(wait + Answer))
	if c.Request.ContentLength > most {
		tooMuch(c, most)
		return
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, most)
}

// Anyone who sends to an open address has a while, and then so long as they send as fast as this.
const (
	paceAfter = 10 * time.Second
	leastPace = 1 << 10 // bytes a second
)

// pacedBody is a body that ends where its sender falls behind: connections are not held by a byte now and then.
type pacedBody struct {
	io.ReadCloser
	begun time.Time
	read  int
	until func(time.Time) error
}

// Read gives the next part its time.
func (p *pacedBody) Read(b []byte) (int, error) {
	given := paceAfter + time.Duration(p.read)*time.Second/leastPace
	_ = p.until(p.begun.Add(min(given, readLarge))) // there are no deadlines in a test
	n, err := p.ReadCloser.Read(b)
	p.read += n
	if err != nil {
		_ = p.until(p.begun.Add(readLarge)) // it has come, or broken off: the answer may take as long as any
	}
	return n, err
}

func tooMuch(c *gin.Context, most int64) {
	size := fmt.Sprintf("%d MB", most>>20)
	if most < mega {
		size = fmt.Sprintf("%d kB", most>>10)
	}
	message := "You can send up to " + size + " here. Split it and try again."
	c.Header("Connection", "close") // the rest is not read
	if page.WantsJSON(c) || route.OfAPI(c.FullPath()) {
		c.AbortWithStatusJSON(http.StatusRequestEntityTooLarge, gin.H{
			"kind": "refused", "message": message, // for windows
			"title": "Content Too Large", "status": http.StatusRequestEntityTooLarge, "detail": message, // RFC 9457
		})
		return
	}
	page.Fail(c, http.StatusRequestEntityTooLarge, "That’s too much data", message)
	_, _ = io.CopyN(io.Discard, c.Request.Body, Body) // a browser reads the answer when it has sent a little
}
