package api

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/store/people"
)

// maxKey is how long an Idempotency-Key may be.
const maxKey = 255

// keptHeaders are those of an answer that are given again.
var keptHeaders = []string{"Content-Type", "ETag", "Location"}

// repeat answers a write that comes again under one Idempotency-Key as it was answered first
// (draft-ietf-httpapi-idempotency-key-header).
func (h *Handler) repeat(c *gin.Context) {
	key := c.GetHeader("Idempotency-Key")
	if key == "" || c.Request.Method == http.MethodGet {
		return
	}
	if len(key) > maxKey {
		fail(c, problem(http.StatusBadRequest, "An Idempotency-Key can have up to 255 characters."))
		return
	}
	body, err := io.ReadAll(c.Request.Body)
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &tooLarge):
		fail(c, problem(http.StatusRequestEntityTooLarge, "The request body is too large."))
		return
	case err != nil:
		fail(c, problem(http.StatusBadRequest, "The request body was incomplete. Send it again."))
		return
	}
	c.Request.Body = io.NopCloser(bytes.NewReader(body))
	account := caller(c.Request.Context())
	before, err := h.Store.People.Begin(account.ID, key, fingerprint(c.Request, body))
	switch {
	case err != nil:
		h.failed(c, err)
		return
	case before != nil:
		replayResponse(c, before, fingerprint(c.Request, body))
		return
	}
	w := &recorder{ResponseWriter: c.Writer}
	c.Writer = w
	defer h.remember(c, account.ID, key, w)
	c.Next()
}

// remember stores an answer, also of a request that failed by a fault of ours: then it may be asked again.
func (h *Handler) remember(c *gin.Context, account uint, key string, w *recorder) {
	status := w.Status()
	if recovered := recover(); recovered != nil {
		_ = h.Store.People.Answer(account, key, "", 0, nil, nil)
		panic(recovered)
	}
	if status >= 500 || status == http.StatusTooManyRequests {
		status = 0
	}
	head := map[string]string{}
	for _, name := range keptHeaders {
		if v := w.Header().Get(name); v != "" {
			head[name] = v
		}
	}
	headers, err := json.Marshal(head)
	if err == nil {
		err = h.Store.People.Answer(account, key, h.aboutQuiz(c), status, headers, w.body.Bytes())
	}
	if err != nil {
		_ = c.Error(err)
	}
}

// aboutQuiz is the id of the quiz that a request changed or made; "" for none.
func (h *Handler) aboutQuiz(c *gin.Context) string {
	if strings.HasPrefix(c.FullPath(), Base+"/responses/:id") {
		if r, err := h.Store.Responses.Response(c.Param("id")); err == nil {
			return r.QuizID
		}
	}
	if strings.HasPrefix(c.FullPath(), Base+"/quizzes/:id") {
		return c.Param("id")
	}
	rest, made := strings.CutPrefix(c.Writer.Header().Get("Location"), Base+"/quizzes/")
	if !made {
		return ""
	}
	id, _, _ := strings.Cut(rest, "/")
	return id
}

func fingerprint(r *http.Request, body []byte) string {
	sum := sha256.New()
	for _, part := range []string{r.Method, r.URL.Path, r.Header.Get("If-Match")} {
		sum.Write([]byte(part + "\x00"))
	}
	sum.Write(body)
	return hex.EncodeToString(sum.Sum(nil))
}

// replayResponse answers as before.
func replayResponse(c *gin.Context, before *people.Repeat, asked string) {
	switch {
	case before.Asked != asked:
		fail(c, unprocessable("This Idempotency-Key was used for another request."))
		return
	case before.Status == 0:
		fail(c, problem(http.StatusConflict, "The first request of this Idempotency-Key is still being answered."))
		return
	}
	var head map[string]string
	_ = json.Unmarshal(before.Headers, &head) // what is not there is left out
	for name, v := range head {
		c.Header(name, v)
	}
	c.Header("Idempotent-Replayed", "true")
	c.Abort()
	c.Status(before.Status)
	_, _ = c.Writer.Write(before.Body)
}

// recorder keeps what is written.
type recorder struct {
	gin.ResponseWriter
	body bytes.Buffer
}

func (w *recorder) Write(b []byte) (int, error) {
	w.body.Write(b)
	return w.ResponseWriter.Write(b)
}

func (w *recorder) WriteString(s string) (int, error) { return w.Write([]byte(s)) }

// Unwrap lets deadlines be set.
func (w *recorder) Unwrap() http.ResponseWriter { return w.ResponseWriter }
