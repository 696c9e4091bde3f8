package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/app/rights"
	"omphalos/app/route"
	"omphalos/app/store/attempts"
	"omphalos/app/store/database"
	"omphalos/app/store/people"
)

// who is the caller of an operation, in its context.
type who struct{}

// caller is the account that a request acts for.
func caller(ctx context.Context) *people.Account { return ctx.Value(who{}).(*people.Account) }

// serverAddress is the address of the server, in the context of an operation.
type serverAddress struct{}

func actor(ctx context.Context) edit.Actor { return edit.Actor{Account: caller(ctx).ID} }

const realm = `Bearer realm="omphalos"`

// authenticate lets through who has a token whose scope and account may use the address (RFC 6750).
func (h *Handler) authenticate(c *gin.Context) {
	c.Header("Cache-Control", "no-store")
	secret, ok := strings.CutPrefix(c.GetHeader("Authorization"), "Bearer ")
	if !ok || secret == "" {
		c.Header("WWW-Authenticate", realm)
		fail(c, problem(http.StatusUnauthorized, "Send a token: Authorization: Bearer omp_…"))
		return
	}
	token, account, err := h.Store.People.TokenOf(strings.TrimSpace(secret))
	if errors.Is(err, database.ErrNotFound) {
		c.Header("WWW-Authenticate", realm+`, error="invalid_token"`)
		fail(c, problem(http.StatusUnauthorized, "The token is invalid or has been revoked."))
		return
	}
	if err != nil {
		h.failed(c, err)
		return
	}
	rule, stated := route.Of(c.Request.Method, c.FullPath())
	scope := people.ScopeRead
	if rule.Right != route.See {
		scope = people.ScopeWrite
	}
	switch {
	case !token.Has(scope):
		c.Header("WWW-Authenticate", realm+`, error="insufficient_scope", scope="`+scope+`"`)
		fail(c, problem(http.StatusForbidden, "The token lacks the scope "+scope+"."))
		return
	case !stated || !rights.Held(account, rule.Right):
		fail(c, problem(http.StatusForbidden, "The token’s account isn’t allowed to do this."))
		return
	}
	c.Set(tokenKey, token.ID)
	ctx := context.WithValue(c.Request.Context(), who{}, account)
	c.Request = c.Request.WithContext(context.WithValue(ctx, serverAddress{}, page.Address(c.Request, h.Origin)))
	if !h.sees(c, account) {
		return
	}
	c.Next()
	if rule.Verb != "" && c.Writer.Status() < 400 {
		h.note(c, account, rule.Verb, token.Name)
	}
}

// sees refuses the quizzes that an account may not see, as if they were not there.
func (h *Handler) sees(c *gin.Context, a *people.Account) bool {
	if !strings.HasPrefix(c.FullPath(), Base+"/quizzes/:id") {
		return true
	}
	ok, err := h.Store.People.Sees(a, c.Param("id"))
	if err != nil {
		h.failed(c, err)
		return false
	}
	if !ok {
		fail(c, problem(http.StatusNotFound, "Nothing with this name exists."))
	}
	return ok
}

func (h *Handler) note(c *gin.Context, a *people.Account, verb, token string) {
	l := people.JournalLine{AccountID: a.ID, Account: a.Email, Verb: verb, Detail: "by the token " + token}
	if strings.HasPrefix(c.FullPath(), Base+"/quizzes/:id") {
		l.QuizID = c.Param("id")
		if q, err := h.Store.Documents.Quiz(l.QuizID); err == nil {
			l.Quiz = q.Name
		}
	}
	if err := h.Store.People.Note(l); err != nil {
		_ = c.Error(err)
	}
}

func (h *Handler) failed(c *gin.Context, err error) {
	p, _ := h.refused(err).(*Problem)
	fail(c, p)
}

const tokenKey = "token"

// perToken is how many requests a token may make: so many at once, and in each minute.
var perToken = attempts.Rate{Every: time.Minute / tokenMinute, Burst: tokenMinute}

const tokenMinute = 600

// limit counts the requests of a token, and says how many are left (draft-ietf-httpapi-ratelimit-headers).
func (h *Handler) limit(c *gin.Context) {
	n, err := h.Store.Attempts.Take("token "+c.GetString(tokenKey), perToken)
	if err != nil {
		h.failed(c, err)
		return
	}
	full := seconds(time.Duration(perToken.Burst-n.Left) * perToken.Every)
	c.Header("RateLimit-Policy", fmt.Sprintf(`"token";q=%d;w=60`, tokenMinute))
	c.Header("RateLimit", fmt.Sprintf(`"token";r=%d;t=%d`, n.Left, full))
	if !n.OK {
		c.Header("Retry-After", fmt.Sprint(seconds(n.Wait)))
		fail(c, problem(http.StatusTooManyRequests, "Too many requests. Wait for the time given in Retry-After."))
	}
}

// seconds are those that a time takes, the last one whole.
func seconds(d time.Duration) int { return int((d + time.Second - 1) / time.Second) }
