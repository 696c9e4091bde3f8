// Package account signs people in and guards what only they may see.
package account

import (
	"embed"
	"errors"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/ulule/limiter/v3"
	"github.com/ulule/limiter/v3/drivers/store/memory"

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

// Handler answers sign-in and sign-out.
type Handler struct {
	Store *store.Store
	// OneClick is a token that signs in as the owner from a link, for the demonstration; "" for none.
	OneClick string
	limits   *limiter.Limiter
}

// New makes the handler; oneClick may be "".
func New(s *store.Store, oneClick string) *Handler {
	return &Handler{Store: s, OneClick: oneClick, limits: limiter.New(memory.NewStore(), guesses)}
}

// guesses slows down guessing: so many attempts from a network, and so many at an account.
var guesses = limiter.Rate{Period: time.Minute, Limit: 10}

type form struct {
	First   bool // no owner yet
	Email   string
	Message string
	Next    string
}

// Routes adds the addresses of the room.
func (h *Handler) Routes(g gin.IRouter) {
	g.GET("/sign-in", h.show)
	g.POST("/sign-in", h.signIn)
	g.POST("/sign-out", h.signOut)
	if h.OneClick != "" {
		g.GET("/demo/:token", h.oneClick)
	}
}

func (h *Handler) show(c *gin.Context) {
	has, err := h.Store.HasOwner()
	if err != nil {
		page.Failed(c, err)
		return
	}
	draw(c, http.StatusOK, form{First: !has, Next: c.Query("next")})
}

func draw(c *gin.Context, status int, f form) {
	if page.WantsJSON(c) {
		c.JSON(status, gin.H{"kind": "refused", "message": f.Message})
		return
	}
	title := "Sign in"
	if f.First {
		title = "Make the owner’s account"
	}
	page.Render(c, status, signInPage, page.Shell{Title: title, Body: f})
}

func (h *Handler) signIn(c *gin.Context) {
	has, err := h.Store.HasOwner()
	if err != nil {
		page.Failed(c, err)
		return
	}
	email, password := strings.TrimSpace(c.PostForm("email")), c.PostForm("password")
	f := form{First: !has, Email: email, Next: c.PostForm("next")}
	may, err := h.allow(c, strings.ToLower(email))
	if err != nil {
		page.Failed(c, err)
		return
	}
	if !may {
		f.Message = "Too many attempts. Wait a minute, then try again."
		draw(c, http.StatusTooManyRequests, f)
		return
	}
	var a *store.Account
	if f.First {
		if f.Message = badCredentials(email, password); f.Message == "" {
			a, err = h.Store.CreateOwner(email, password)
		}
	} else if a, err = h.Store.CheckPassword(email, password); errors.Is(err, store.ErrNotFound) {
		f.Message, err = "The e-mail address and the password do not go together.", nil
	}
	if errors.Is(err, store.ErrOwnerExists) {
		f.Message, err = page.Sentence(err), nil
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	if f.Message != "" {
		draw(c, http.StatusUnprocessableEntity, f)
		return
	}
	h.enter(c, a, f.Next)
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

func (h *Handler) enter(c *gin.Context, a *store.Account, next string) {
	token, err := h.Store.StartSession(a.ID)
	if err != nil {
		page.Failed(c, err)
		return
	}
	http.SetCookie(
		c.Writer,
		&http.Cookie{Name: cookie, Value: token, Path: "/", HttpOnly: true, SameSite: http.SameSiteLaxMode,
			Secure: c.Request.TLS != nil ||
				c.GetHeader("X-Forwarded-Proto") == "https", MaxAge: int(store.SessionLife / time.Second)},
	)
	if page.WantsJSON(c) {
		c.Status(http.StatusNoContent)
		return
	}
	c.Redirect(http.StatusSeeOther, localPath(next))
}

// localPath keeps a way back within this site: anything that a browser might read as another site becomes "/".
func localPath(next string) string {
	if !strings.HasPrefix(next, "/") || strings.HasPrefix(next, "//") || strings.ContainsAny(next, "\\\t\r\n") {
		return "/"
	}
	return next
}

func (h *Handler) oneClick(c *gin.Context) {
	if c.Param("token") != h.OneClick {
		page.NotFound(c)
		return
	}
	a, err := h.Store.FirstAccount()
	if err != nil {
		page.Failed(c, err)
		return
	}
	h.enter(c, a, "/")
}

func (h *Handler) signOut(c *gin.Context) {
	if token, err := c.Cookie(cookie); err == nil {
		_ = h.Store.EndSession(token) // the cookie goes either way
	}
	http.SetCookie(c.Writer, &http.Cookie{Name: cookie, Path: "/", HttpOnly: true, MaxAge: -1})
	c.Redirect(http.StatusSeeOther, "/sign-in")
}

// Require lets only those pass who are signed in; others are led to sign in, or told so when a script asks.
func (h *Handler) Require(c *gin.Context) {
	token, err := c.Cookie(cookie)
	var a *store.Account
	if err == nil {
		a, err = h.Store.SessionAccount(token)
	}
	switch {
	case err == nil:
		c.Set(accountKey, a)
		return
	case !errors.Is(err, http.ErrNoCookie) && !errors.Is(err, store.ErrNotFound):
		page.Failed(c, err) // nobody is signed out by a fault of ours
		return
	}
	c.Abort()
	if c.Request.Method != http.MethodGet || page.WantsJSON(c) ||
		strings.HasPrefix(c.GetHeader("Accept"), "text/event-stream") {
		c.JSON(
			http.StatusUnauthorized,
			gin.H{"kind": "signed-out", "message": "You are signed out. Sign in, and what you did is stored."},
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
func Of(c *gin.Context) *store.Account { return c.MustGet(accountKey).(*store.Account) }

// allow reports whether one more attempt may be made.
func (h *Handler) allow(c *gin.Context, email string) (bool, error) {
	ip := c.ClientIP()
	if addr, err := netip.ParseAddr(ip); err == nil && addr.Is6() {
		ip = netip.PrefixFrom(addr, 64).Masked().String() // one household has a whole network
	}
	// A network that has used up its own attempts is not counted at accounts: what is remembered stays small.
	for _, key := range []string{"ip " + ip, "email " + email} {
		n, err := h.limits.Get(c.Request.Context(), key)
		if err != nil || n.Reached {
			return false, err
		}
	}
	return true, nil
}
