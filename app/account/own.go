package account

import (
	"errors"
	"net/http"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/store"
)

// view is the page of one's own account.
type view struct {
	Email   string
	Message string // what is wrong
	Done    string // what was done
}

// OwnRoutes adds the addresses of one's own account, behind a sign-in.
func (h *Handler) OwnRoutes(g gin.IRouter) {
	g.GET("/account", h.own)
	g.POST("/account/password", h.changePassword)
	g.POST("/account/sign-out-everywhere", h.signOutEverywhere)
	g.POST("/account/seen", h.seen)
}

func drawOwn(c *gin.Context, status int, v view) {
	v.Email = Of(c).Email
	page.Render(c, status, ownPage, page.Shell{Title: "Account", Account: v.Email, Body: v})
}

func (h *Handler) own(c *gin.Context) {
	done := ""
	if c.Query("changed") != "" {
		done = "The password is changed. Everybody who was signed in with the old one is signed out."
	}
	drawOwn(c, http.StatusOK, view{Done: done})
}

// changePassword gives the account another password. It ends every sign-in; this one begins anew.
func (h *Handler) changePassword(c *gin.Context) {
	a := Of(c)
	if next, again := c.PostForm("next"), c.PostForm("again"); next != again {
		drawOwn(c, http.StatusUnprocessableEntity, view{Message: "The new password was not typed the same twice."})
		return
	}
	if message := badCredentials(a.Email, c.PostForm("next")); message != "" {
		drawOwn(c, http.StatusUnprocessableEntity, view{Message: message})
		return
	}
	_, may, err := h.allow(c, a.Email)
	if err == nil && !may {
		drawOwn(c, http.StatusTooManyRequests, view{Message: "Too many attempts. Wait a minute, then try again."})
		return
	}
	if err == nil {
		_, err = h.check(c, a.Email, c.PostForm("password"))
	}
	if errors.Is(err, store.ErrNotFound) {
		drawOwn(c, http.StatusUnprocessableEntity, view{Message: "That is not the password you have now."})
		return
	}
	if err == nil {
		err = h.Store.SetPassword(a.ID, c.PostForm("next"))
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	a.Failed, a.FailedSince = 0, nil
	h.enter(c, a, "/account?changed=1")
}

func (h *Handler) signOutEverywhere(c *gin.Context) {
	if err := h.Store.EndSessions(Of(c).ID); err != nil {
		page.Failed(c, err)
		return
	}
	setCookie(c, "", -1)
	c.Redirect(http.StatusSeeOther, "/sign-in")
}

// seen takes the notice of wrong passwords away.
func (h *Handler) seen(c *gin.Context) {
	token, err := c.Cookie(CookieName(c.Request))
	if err == nil {
		err = h.Store.SeenFailures(token)
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/")
}
