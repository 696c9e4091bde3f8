package limits

import (
	"fmt"
	"io"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
)

// Body is what a request to any address may send, unless the address is named in Bodies.
const Body = 64 << 10

const mega = 1 << 20

// Bodies are the addresses that take more, and how much.
var Bodies = map[string]int64{
	"POST /q/:slug":                         mega,         // a page of 50 long texts in a script that takes three bytes a letter
	"POST /quizzes/:id/leads/bring-in":      8*mega + 1e5, // 20,000 past responses
	"POST /quizzes/:id/leads/bring-in/take": 24 * mega,    // the same, escaped in a form
	"POST /quizzes/:id/launch/invite":       2 * mega,     // 20,000 people
	"POST /quizzes/:id/rehearse/page":       mega,         // as a respondent’s page
	"POST /rehearsal/:key":                  mega,         // the same
	"POST /quizzes/:id/edits":               2 * mega,     // a question with a table of answers
	"POST /quizzes/:id/undo":                mega,         // stamps of the blocks of a long script
	"POST /quizzes/:id/redo":                mega,         // the same
	"POST /quizzes/:id/since/:revision":     mega,         // the same
	"POST /quizzes/:id/tables/:table":       4 * mega,     // a table as it is edited
	"POST /quizzes/:id/tables/:table/file":  4 * mega,     // 50,000 rows
	"POST /api/v1/quizzes":                  8*mega + 1e5, // the largest document
	"PATCH /api/v1/quizzes/:id/draft":       2 * mega,     // as an edit of a window
	"PUT /api/v1/quizzes/:id/tables/:name":  4 * mega,
	"POST /quizzes/:id/files":               10*mega + 1e5, // a file to hand out
	"POST /pictures":                        12*mega + 1e5, // a photograph of 20 megapixels, and the form around it
	"POST /import":                          8*mega + 1e5,  // the largest document
	"POST /import/take":                     24 * mega,     // the same, escaped in a form
	"POST /quizzes/:id/exchange":            8*mega + 1e5,
	"POST /quizzes/:id/exchange/take":       24 * mega,
}

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
func OfBody(method, route string) int64 {
	if most, named := Bodies[method+" "+route]; named {
		return most
	}
	return Body
}

// Bounded bounds what a request sends, and how long it takes to. One that says beforehand that it is larger is
// refused at once.
func Bounded(c *gin.Context) {
	if c.Request.Body == nil || c.Request.Body == http.NoBody {
		return
	}
	most := OfBody(c.Request.Method, c.FullPath())
	wait := readSmall
	if most > Body {
		wait = readLarge
	}
	control := http.NewResponseController(c.Writer) // there are no deadlines in a test
	_ = control.SetReadDeadline(time.Now().Add(wait))
	if open[c.Request.Method+" "+c.FullPath()] {
		c.Request.Body = &pacedBody{ReadCloser: c.Request.Body, begun: time.Now(), until: control.SetReadDeadline}
	}
	_ = control.SetWriteDeadline(time.Now().Add(wait + Answer))
	if c.Request.ContentLength > most {
		tooMuch(c, most)
		return
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, most)
}

// open are the addresses that take more than Body from anyone, without a sign-in.
var open = map[string]bool{"POST /q/:slug": true, "POST /rehearsal/:key": true}

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
	if page.WantsJSON(c) || strings.HasPrefix(c.FullPath(), "/api/") {
		c.AbortWithStatusJSON(http.StatusRequestEntityTooLarge, gin.H{
			"kind": "refused", "message": message, // for windows
			"title": "Content Too Large", "status": http.StatusRequestEntityTooLarge, "detail": message, // RFC 9457
		})
		return
	}
	page.Fail(c, http.StatusRequestEntityTooLarge, "That’s too much data", message)
	_, _ = io.CopyN(io.Discard, c.Request.Body, Body) // a browser reads the answer when it has sent a little
}
