// Package account signs people in and guards what only they may see.
package account

import (
	"embed"
	"errors"
	"net/http"
	"net/netip"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	"golang.org/x/time/rate"

	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/core/walk"
)

//go:embed *.html
var files embed.FS

var signInPage = page.New(files)

const (
	cookie      = "omphalos_session"
	accountKey  = "account"
	minPassword = 10
	maxPassword = 72 // bytes that bcrypt takes
)

// Room answers sign-in and sign-out.
type Room struct {
	Store *store.Store
	// OneClick is a token that signs in as the owner from a link, for the demonstration; "" for none.
	OneClick string
	limits   limiter
}

type form struct {
	First   bool // no owner yet
	Email   string
	Message string
	Next    string
}

// Routes adds the addresses of the room.
func (r *Room) Routes(g gin.IRouter) {
	g.GET("/sign-in", r.show)
	g.POST("/sign-in", r.signIn)
	g.POST("/sign-out", r.signOut)
	if r.OneClick != "" {
		g.GET("/demo/:token", r.oneClick)
	}
}

func (r *Room) show(c *gin.Context) {
	has, err := r.Store.HasOwner()
	if err != nil {
		page.Fail(c, http.StatusInternalServerError, "The database does not answer", err.Error())
		return
	}
	draw(c, http.StatusOK, form{First: !has, Next: c.Query("next")})
}

func draw(c *gin.Context, status int, f form) {
	title := "Sign in"
	if f.First {
		title = "Make the owner’s account"
	}
	page.Render(c, status, signInPage, page.Shell{Title: title, Body: f})
}

func (r *Room) signIn(c *gin.Context) {
	has, err := r.Store.HasOwner()
	if err != nil {
		page.Fail(c, http.StatusInternalServerError, "The database does not answer", err.Error())
		return
	}
	email, password := strings.TrimSpace(c.PostForm("email")), c.PostForm("password")
	f := form{First: !has, Email: email, Next: c.PostForm("next")}
	if !r.limits.allow(c.ClientIP(), strings.ToLower(email)) {
		f.Message = "Too many attempts. Wait a minute, then try again."
		draw(c, http.StatusTooManyRequests, f)
		return
	}
	var a *store.Account
	if f.First {
		if f.Message = badCredentials(email, password); f.Message == "" {
			a, err = r.Store.CreateOwner(email, password)
		}
	} else if a, err = r.Store.CheckPassword(email, password); errors.Is(err, store.ErrNotFound) {
		f.Message, err = "The e-mail address and the password do not go together.", nil
	}
	if err != nil {
		f.Message = err.Error()
	}
	if f.Message != "" {
		draw(c, http.StatusUnprocessableEntity, f)
		return
	}
	r.enter(c, a, f.Next)
}

func badCredentials(email, password string) string {
	switch {
	case !walk.ValidEmail(email):
		return "Type an e-mail address such as name@example.org."
	case len([]rune(password)) < minPassword:
		return "Choose a password of at least 10 characters."
	case len(password) > maxPassword:
		return "Choose a password of at most 72 characters."
	}
	return ""
}

func (r *Room) enter(c *gin.Context, a *store.Account, next string) {
	token, err := r.Store.StartSession(a.ID)
	if err != nil {
		page.Fail(c, http.StatusInternalServerError, "The sign-in could not be stored", err.Error())
		return
	}
	http.SetCookie(c.Writer, &http.Cookie{Name: cookie, Value: token, Path: "/", HttpOnly: true, SameSite: http.SameSiteLaxMode,
		Secure: c.Request.TLS != nil || c.GetHeader("X-Forwarded-Proto") == "https", MaxAge: int(store.SessionLife / time.Second)})
	c.Redirect(http.StatusSeeOther, localPath(next))
}

// localPath keeps a way back within this site: anything that a browser might read as another site becomes "/".
func localPath(next string) string {
	if !strings.HasPrefix(next, "/") || strings.HasPrefix(next, "//") || strings.ContainsAny(next, "\\\t\r\n") {
		return "/"
	}
	return next
}

func (r *Room) oneClick(c *gin.Context) {
	if c.Param("token") != r.OneClick {
		page.NotFound(c)
		return
	}
	a, err := r.Store.FirstAccount()
	if err != nil {
		page.NotFound(c)
		return
	}
	r.enter(c, a, "/")
}

func (r *Room) signOut(c *gin.Context) {
	if token, err := c.Cookie(cookie); err == nil {
		_ = r.Store.EndSession(token) // the cookie goes either way
	}
	http.SetCookie(c.Writer, &http.Cookie{Name: cookie, Path: "/", HttpOnly: true, MaxAge: -1})
	c.Redirect(http.StatusSeeOther, "/sign-in")
}

// Require lets only those pass who are signed in; others are led to sign in, or told so when a script asks.
func (r *Room) Require(c *gin.Context) {
	token, err := c.Cookie(cookie)
	if err == nil {
		var a *store.Account
		if a, err = r.Store.SessionAccount(token); err == nil {
			c.Set(accountKey, a)
			return
		}
	}
	c.Abort()
	if c.Request.Method != http.MethodGet {
		c.JSON(http.StatusUnauthorized, gin.H{"message": "You are signed out. Sign in in another window, then try again."})
		return
	}
	target := "/sign-in"
	if c.Request.URL.Path != "/" {
		target += "?next=" + c.Request.URL.EscapedPath()
	}
	c.Redirect(http.StatusSeeOther, target)
}

// Of returns who is signed in.
func Of(c *gin.Context) *store.Account { return c.MustGet(accountKey).(*store.Account) }

// limiter slows down guessing: by network address and by account.
type limiter struct {
	mu   sync.Mutex
	seen map[string]*rate.Limiter
}

func (l *limiter) allow(ip, email string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.seen == nil || len(l.seen) > 10_000 {
		l.seen = map[string]*rate.Limiter{}
	}
	if addr, err := netip.ParseAddr(ip); err == nil && addr.Is6() {
		ip = netip.PrefixFrom(addr, 64).Masked().String() // one household has a whole network
	}
	ok := true
	for _, key := range []string{"ip " + ip, "email " + email} {
		if l.seen[key] == nil {
			l.seen[key] = rate.NewLimiter(rate.Every(6*time.Second), 10)
		}
		ok = l.seen[key].Allow() && ok
	}
	return ok
}
