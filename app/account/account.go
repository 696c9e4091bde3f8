// Package account signs people in and guards what only they may see.
package account

import (
	"embed"
	"errors"
	"log/slog"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	lru "github.com/hashicorp/golang-lru/v2"

	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/app/store/database"
	"omphalos/app/store/people"
	"omphalos/core/kind"
)

//go:embed account.html
var signInFile embed.FS

//go:embed own.html
var ownFile embed.FS

var signInPage, ownPage = page.New(signInFile), page.New(ownFile)

const (
	cookie      = "omphalos_session"
	accountKey  = "account"
	minPassword = 10
	maxPassword = 200
)

const tooMany = "Too many attempts. Wait a minute and try again."

// Handler answers sign-in and sign-out.
type Handler struct {
	Store  *store.Store
	Origin string       // address of the server, "" where that is not known
	Mail   bool         // mail leaves
	Log    *slog.Logger // may be nil
	Now    func() time.Time
	OIDC   *Provider // another way to sign in; nil for none
	links
	beside   sync.WaitGroup                // what continues after an answer
	closed   *lru.Cache[string, time.Time] // networks and accounts that are tried no more, and until when
	checking chan struct{}                 // turns of comparing a password, which takes a processor for a while
	wrong    *lru.Cache[string, int]       // by address, with an account or not: passwords tried in vain
}

// now is the clock.
func (h *Handler) now() time.Time {
	if h.Now == nil {
		return time.Now()
	}
	return h.Now()
}

// New makes the handler. oneClick is the token of a link that signs in as the owner, setUp that of a link to make the
// owner's account; "" for none. Each works once.
func New(s *store.Store, oneClick, setUp string) *Handler {
	wrong, err := lru.New[string, int](addressesTried)
	if err != nil {
		panic(err) // the size is below zero
	}
	closed, err := lru.New[string, time.Time](addressesTried)
	if err != nil {
		panic(err) // as above
	}
	h := &Handler{
		Store:    s,
		wrong:    wrong,
		closed:   closed,
		checking: make(chan struct{}, 2),
	}
	h.oneClick.Store(&oneClick)
	h.setUp.Store(&setUp)
	return h
}

// Guessing is slowed down: so many attempts a minute at one account from one network, and so many from it at all, on
// all servers together. An account alone is never closed: anyone who knows an address could lock its owner out.
const (
	guesses    = 10
	perNetwork = 60
)

type form struct {
	Nobody  bool   // there is no owner yet, and this is not where one is made
	SetUp   string // token of the link to make the owner's account
	Join    string // token of an invitation
	Reset   string // token of a link to choose another password
	Forgot  bool   // a link to choose another password is asked for
	Sent    bool   // and is on its way, if there is such an account
	NoMail  bool   // no mail leaves
	Code    bool   // the code of a second factor is asked for
	With    string // name of another way to sign in, "" for none
	Away    string // its address, to continue to
	Email   string
	Message string
	Next    string
}

// Routes adds the addresses of the room.
func (h *Handler) Routes(g gin.IRouter) {
	g.GET("/sign-in", h.show)
	g.POST("/sign-in", h.signIn)
	g.POST("/sign-out", h.signOut)
	g.GET("/set-up/:token", h.showSetUp)
	g.POST("/set-up/:token", h.makeOwner)
	g.GET("/demo/:token", h.enterOnce)
	h.linkRoutes(g)
	h.providerRoutes(g)
	h.ownRoutes(g)
	h.teamRoutes(g)
	h.journalRoutes(g)
}

func (h *Handler) show(c *gin.Context) {
	has, err := h.Store.People.HasOwner()
	if err != nil {
		page.Failed(c, err)
		return
	}
	f := form{Nobody: !has, Next: c.Query("next")}
	if h.OIDC != nil && has {
		f.With = h.OIDC.Name
	}
	draw(c, http.StatusOK, f)
}

func draw(c *gin.Context, status int, f form) {
	if page.WantsJSON(c) {
		c.JSON(status, gin.H{"kind": "refused", "message": f.Message})
		return
	}
	title := "Sign in"
	switch {
	case f.SetUp != "":
		title = "Create the owner account"
	case f.Join != "":
		title = "Create your account"
	case f.Reset != "", f.Forgot:
		title = "Choose a new password"
	}
	page.Render(c, status, signInPage, page.Shell{Title: title, Body: f})
}

func (h *Handler) signIn(c *gin.Context) {
	email, password := strings.TrimSpace(c.PostForm("email")), c.PostForm("password")
	f := form{Email: email, Next: c.PostForm("next")}
	key, may, err := h.allow(c, strings.ToLower(email))
	if err != nil {
		page.Failed(c, err)
		return
	}
	if !may {
		f.Message = tooMany
		draw(c, http.StatusTooManyRequests, f)
		return
	}
	a, err := h.check(c, email, password)
	if errors.Is(err, database.ErrNotFound) {
		f.Message = "The email address or password is wrong."
		draw(c, http.StatusUnprocessableEntity, f)
		return
	}
	if err == nil {
		err = h.Store.Attempts.Forget(key)
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	h.proven(c, a, f.Next)
}

// A password that was tried in vain so often is compared more slowly, anyone who tries: guessing from many networks is
// no faster than from one, and no one is locked out.
const (
	freeGuesses    = 10
	slowestStep    = 2 * time.Second
	addressesTried = 1 << 13
)

// check compares a password, in turn and not too fast. An address without an account is slowed down as one that has
// one, or the pause would tell them apart.
func (h *Handler) check(c *gin.Context, email, password string) (*people.Account, error) {
	failed, err := h.Store.People.Failures(email)
	if err != nil {
		return nil, err
	}
	address := strings.ToLower(email)
	tried, _ := h.wrong.Get(address)
	failed = max(failed, tried)
	if failed > freeGuesses {
		pause := time.NewTimer(min(time.Duration(failed-freeGuesses)*200*time.Millisecond, slowestStep))
		defer pause.Stop()
		select {
		case <-pause.C:
		case <-c.Request.Context().Done():
			return nil, c.Request.Context().Err()
		}
	}
	select {
	case h.checking <- struct{}{}:
	case <-c.Request.Context().Done():
		return nil, c.Request.Context().Err()
	}
	defer func() { <-h.checking }()
	a, err := h.Store.People.CheckPassword(email, password)
	switch {
	case err == nil:
		h.wrong.Remove(address)
	case database.IsNotFound(err):
		h.wrong.Add(address, failed+1)
	}
	return a, err
}

func badCredentials(email, password string) string {
	if !kind.ValidEmail(email) {
		return "Enter an email address, such as name@example.org."
	}
	own, _, _ := strings.Cut(strings.ToLower(email), "@")
	if len(own) > 3 && strings.Contains(strings.ToLower(password), own) {
		return "Choose a password that doesn’t contain your email address."
	}
	return BadPassword(password)
}

// BadPassword says why a password cannot be one; "" for one that can.
func BadPassword(password string) string {
	switch {
	case len([]rune(password)) < minPassword:
		return "Choose a password of at least 10 characters."
	case len(password) > maxPassword:
		return "Choose a password of at most 200 characters."
	case isCommon(password):
		return "This password is too common. " +
			"Choose a different one, for example four unrelated words."
	}
	return ""
}

func (h *Handler) enter(c *gin.Context, a *people.Account, next string) {
	token, err := h.Store.People.StartSession(a, browserOf(c.Request.UserAgent()))
	if err != nil {
		page.Failed(c, err)
		return
	}
	setCookie(c, token, int(people.SessionLife/time.Second))
	if page.WantsJSON(c) {
		c.Status(http.StatusNoContent)
		return
	}
	c.Redirect(http.StatusSeeOther, localPath(next))
}

// CookieName is what the cookie of a sign-in is called.
func CookieName(r *http.Request) string {
	if page.IsSecure(r) {
		return page.HostPrefix + cookie
	}
	return cookie
}

func setCookie(c *gin.Context, token string, age int) {
	http.SetCookie(c.Writer, &http.Cookie{
		Name:     CookieName(c.Request),
		Value:    token,
		Path:     "/",
		HttpOnly: true,
		SameSite: http.SameSiteLaxMode,
		Secure:   page.IsSecure(c.Request),
		MaxAge:   age,
	})
}

// localPath keeps a way back within this site: anything that a browser might read as another site becomes "/".
func localPath(next string) string {
	if !strings.HasPrefix(next, "/") || strings.HasPrefix(next, "//") || strings.ContainsAny(next, "\\\t\r\n") {
		return "/"
	}
	return next
}

func (h *Handler) signOut(c *gin.Context) {
	if token, err := c.Cookie(CookieName(c.Request)); err == nil {
		_ = h.Store.People.EndSession(token) // the cookie goes either way
	}
	setCookie(c, "", -1)
	c.Redirect(http.StatusSeeOther, "/sign-in")
}

// Require lets only those pass who are signed in; others are led to sign in, or told so when a script asks.
func (h *Handler) Require(c *gin.Context) {
	c.Header("Cache-Control", "no-store") // what is behind a sign-in stays out of every cache
	token, err := c.Cookie(CookieName(c.Request))
	var s *people.Session
	if err == nil {
		s, err = h.Store.People.Session(token)
	}
	if err == nil {
		err = h.Store.People.Seen(s)
	}
	switch {
	case err == nil:
		c.Set(accountKey, &s.Account)
		return
	case !errors.Is(err, http.ErrNoCookie) && !errors.Is(err, database.ErrNotFound):
		page.Failed(c, err) // no one is signed out by a fault of ours
		return
	}
	c.Abort()
	if c.Request.Method != http.MethodGet || page.WantsJSON(c) ||
		strings.HasPrefix(c.GetHeader("Accept"), "text/event-stream") {
		c.JSON(
			http.StatusUnauthorized,
			gin.H{"kind": "signed-out", "message": "You’re signed out. Sign in to save your changes."},
		)
		return
	}
	target := "/sign-in"
	if c.Request.URL.Path != "/" {
		target += "?next=" + url.QueryEscape(c.Request.URL.RequestURI())
	}
	c.Redirect(http.StatusSeeOther, target)
}

// Of returns who is signed in.
func Of(c *gin.Context) *people.Account { return c.MustGet(accountKey).(*people.Account) }

// allow reports whether one more attempt may be made, and the key that counts it.
func (h *Handler) allow(c *gin.Context, email string) (key string, may bool, err error) {
	ip := c.ClientIP()
	if addr, err := netip.ParseAddr(ip); err == nil && addr.Is6() {
		ip = netip.PrefixFrom(addr, 64).Masked().String() // one household has a whole network
	}
	// A network that has used up its own attempts is not counted at accounts: what is remembered stays small.
	may, err = h.try("ip "+ip, perNetwork)
	if err != nil || !may {
		return "", false, err
	}
	key = "ip " + ip + " at " + email
	may, err = h.try(key, guesses)
	return key, may, err
}

// try counts an attempt, and reports whether it is one of the first so many of its minute. Those that are known to be
// too many are not counted any more: a flood of them writes nothing.
func (h *Handler) try(key string, most int) (bool, error) { return h.tryFor(key, most, time.Minute) }

// tryFor is try for another time than a minute.
func (h *Handler) tryFor(key string, most int, within time.Duration) (bool, error) {
	if until, closed := h.closed.Get(key); closed && h.now().Before(until) {
		return false, nil
	}
	n, err := h.Store.Attempts.Try(key, within)
	if err == nil && n > most {
		h.closed.Add(key, h.now().Add(closedFor))
	}
	return err == nil && n <= most, err
}

// closedFor is how long too many attempts are not even counted.
const closedFor = 5 * time.Second
