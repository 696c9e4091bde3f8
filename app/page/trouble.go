package page

import (
	"crypto/rand"
	"errors"
	"io/fs"
	"log/slog"
	"net/http"
	"runtime/debug"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
)

const requestIDKey = "request-id"

// Requests gives every request an id and writes a line about it to the log: the route and never the address, which
// can hold what someone answered, nor who asked.
func Requests(log *slog.Logger) gin.HandlerFunc {
	return func(c *gin.Context) {
		id := strings.ToLower(rand.Text()[:10])
		c.Set(requestIDKey, id)
		c.Header("X-Request-Id", id)
		began := time.Now()
		c.Next()
		level := slog.LevelInfo
		attrs := []any{"id", id, "method", c.Request.Method, "route", c.FullPath(), "status", c.Writer.Status(),
			"bytes", max(0, c.Writer.Size()), "took", time.Since(began).Round(time.Microsecond)}
		if len(c.Errors) > 0 {
			level = slog.LevelError
			attrs = append(attrs, "error", c.Errors.String())
		}
		log.Log(c.Request.Context(), level, "request", attrs...)
	}
}

// Recover answers a request whose handling went wrong in a way that no one foresaw.
func Recover(log *slog.Logger) gin.HandlerFunc {
	return func(c *gin.Context) {
		defer func() {
			switch fault := recover(); fault {
			case nil:
			case http.ErrAbortHandler: // the way to end a reply that cannot be finished
				panic(fault)
			default:
				log.Error(
					"panic",
					"id",
					RequestID(c),
					"route",
					c.FullPath(),
					"fault",
					fault,
					"stack",
					string(debug.Stack()),
				)
				answerTrouble(c)
			}
		}()
		c.Next()
	}
}

// RequestID is the id of a request, as the log has it.
func RequestID(c *gin.Context) string { return c.GetString(requestIDKey) }

// Failed answers a request that failed. What is not there is not found; anything else is trouble of ours: it goes to
// the log, and anyone who asked gets the id to name it by.
func Failed(c *gin.Context, err error) {
	if errors.Is(err, fs.ErrNotExist) {
		NotFound(c)
		return
	}
	_ = c.Error(err)
	answerTrouble(c)
}

func answerTrouble(c *gin.Context) {
	if c.Writer.Written() {
		c.Abort()
		return
	}
	heading := "Something went wrong"
	message := "Nothing was changed. Try again. If it keeps happening, report this error number: " + RequestID(c) + "."
	if WantsJSON(c) {
		c.AbortWithStatusJSON(
			http.StatusInternalServerError,
			gin.H{"kind": "trouble", "message": heading + ". " + message},
		)
		return
	}
	Fail(c, http.StatusInternalServerError, heading, message)
}

// WantsJSON reports whether a script asks.
func WantsJSON(c *gin.Context) bool {
	return strings.HasPrefix(c.ContentType(), "application/json") ||
		strings.HasPrefix(c.GetHeader("Accept"), "application/json")
}
