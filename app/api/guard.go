package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/ulule/limiter/v3"
	"github.com/ulule/limiter/v3/drivers/store/memory"

	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/app/rights"
	"omphalos/app/store"
)

// who is the caller of an operation, in its context.
type who struct{}

// caller is the account that a request acts for.
func caller(ctx context.Context) *store.Account { return ctx.Value(who{}).(*store.Account) }

// asked is the address of the server, in the context of an operation.
type asked struct{}

// origin is the address of the server: as it was told, else as it was asked.
func (h *Handler) origin(c *gin.Context) string {
	if h.Origin != "" {
		return strings.TrimSuffix(h.Origin, "/")
	}
	scheme := "http"
	if page.IsSecure(c.Request) {
		scheme = "https"
	}
	return scheme + "://" + c.Request.Host
}

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
	token, account, err := h.Store.TokenOf(strings.TrimSpace(secret))
	if errors.Is(err, store.ErrNotFound) {
		c.Header("WWW-Authenticate", realm+`, error="invalid_token"`)
		fail(c, problem(http.StatusUnauthorized, "The token is none, or has been revoked."))
		return
	}
	if err != nil {
		h.failed(c, err)
		return
	}
	rule, stated := rights.Of(c.Request.Method, c.FullPath())
	scope := store.ScopeRead
	if rule.Right != rights.See {
		scope = store.ScopeWrite
	}
	switch {
	case !token.Has(scope):
		c.Header("WWW-Authenticate", realm+`, error="insufficient_scope", scope="`+scope+`"`)
		fail(c, problem(http.StatusForbidden, "The token has not the scope "+scope+"."))
		return
	case !stated || !rule.Right.Held(account):
		fail(c, problem(http.StatusForbidden, "The account of the token has not the right to do this."))
		return
	}
	c.Set(tokenKey, token.ID)
	ctx := context.WithValue(c.Request.Context(), who{}, account)
	c.Request = c.Request.WithContext(context.WithValue(ctx, asked{}, h.origin(c)))
	if !h.sees(c, account) {
		return
	}
	c.Next()
	if rule.Verb != "" && c.Writer.Status() < 400 {
		h.note(c, account, rule.Verb, token.Name)
	}
}

// sees refuses the quizzes that an account may not see, as if they were not there.
func (h *Handler) sees(c *gin.Context, a *store.Account) bool {
	if !strings.HasPrefix(c.FullPath(), Base+"/quizzes/:id") {
		return true
	}
	ok, err := h.Store.Sees(a, c.Param("id"))
	if err != nil {
		h.failed(c, err)
		return false
	}
	if !ok {
		fail(c, problem(http.StatusNotFound, "There is nothing of this name here."))
	}
	return ok
}

func (h *Handler) note(c *gin.Context, a *store.Account, verb, token string) {
	l := store.JournalLine{AccountID: a.ID, Account: a.Email, Verb: verb, Detail: "by the token " + token}
	if strings.HasPrefix(c.FullPath(), Base+"/quizzes/:id") {
		l.QuizID = c.Param("id")
		if q, err := h.Store.Quiz(l.QuizID); err == nil {
			l.Quiz = q.Name
		}
	}
	if err := h.Store.Note(l); err != nil {
		_ = c.Error(err)
	}
}

func (h *Handler) failed(c *gin.Context, err error) {
	p, _ := h.refused(err).(*Problem)
	fail(c, p)
}

const tokenKey = "token"

// quota is how often a token may ask.
type quota struct{ limiter *limiter.Limiter }

// perToken is how many requests a token may make.
var perToken = limiter.Rate{Period: time.Minute, Limit: 600}

func newQuota() *quota { return &quota{limiter.New(memory.NewStore(), perToken)} }

// limit counts the requests of a token, and says how many are left (draft-ietf-httpapi-ratelimit-headers).
func (h *Handler) limit(c *gin.Context) {
	n, err := h.quota.limiter.Get(c.Request.Context(), c.GetString(tokenKey))
	if err != nil {
		h.failed(c, err)
		return
	}
	left := max(0, time.Until(time.Unix(n.Reset, 0)))
	c.Header("RateLimit-Policy", fmt.Sprintf(`"token";q=%d;w=%d`, perToken.Limit, int(perToken.Period.Seconds())))
	c.Header("RateLimit", fmt.Sprintf(`"token";r=%d;t=%d`, n.Remaining, int(left.Seconds())+1))
	if n.Reached {
		c.Header("Retry-After", fmt.Sprint(int(left.Seconds())+1))
		fail(c, problem(http.StatusTooManyRequests, "The token has asked too often. Wait as long as Retry-After says."))
	}
}
