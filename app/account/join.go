package account

import (
	"errors"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/store/database"
	"omphalos/app/store/people"
)

// linkRoutes adds the addresses of links that were mailed or handed on.
func (h *Handler) linkRoutes(g gin.IRouter) {
	g.GET("/join/:token", h.showJoin)
	g.POST("/join/:token", h.join)
	g.GET("/forgot", func(c *gin.Context) { draw(c, http.StatusOK, form{Forgot: true, NoMail: !h.Mail}) })
	g.POST("/forgot", h.forgot)
	g.GET("/reset/:token", h.showReset)
	g.POST("/reset/:token", h.reset)
	g.GET("/sign-in/code", h.showCode)
	g.POST("/sign-in/code", h.code)
}

func linkIsOver(c *gin.Context) {
	page.Fail(c, http.StatusNotFound, "This link has been used or has expired",
		"Ask the person who sent it for a new link.")
}

func (h *Handler) showJoin(c *gin.Context) {
	c.Header("Cache-Control", "no-store")
	i, err := h.Store.People.InviteOf(c.Param("token"))
	if err != nil {
		h.failSession(c, err)
		return
	}
	draw(c, http.StatusOK, form{Join: c.Param("token"), Email: i.Email})
}

func (h *Handler) failSession(c *gin.Context, err error) {
	if database.IsNotFound(err) {
		linkIsOver(c)
		return
	}
	page.Failed(c, err)
}

// join makes the account of an invitation.
func (h *Handler) join(c *gin.Context) {
	token, password := c.Param("token"), c.PostForm("password")
	i, err := h.Store.People.InviteOf(token)
	if err != nil {
		h.failSession(c, err)
		return
	}
	if message := badCredentials(i.Email, password); message != "" {
		draw(c, http.StatusUnprocessableEntity, form{Join: token, Email: i.Email, Message: message})
		return
	}
	hash, err := people.HashPassword(password)
	var a *people.Account
	if err == nil {
		a, err = h.Store.People.Accept(token, hash)
	}
	if errors.Is(err, people.ErrEmailTaken) {
		draw(
			c,
			http.StatusUnprocessableEntity,
			form{Message: "There’s already an account with this email address. Sign in instead.", Email: i.Email},
		)
		return
	}
	if err != nil {
		h.failSession(c, err)
		return
	}
	h.enter(c, a, "/")
}

// forgot mails a link to choose another password. The answer is the same, and as quick, whether there is such an
// account.
func (h *Handler) forgot(c *gin.Context) {
	email := strings.TrimSpace(c.PostForm("email"))
	_, may, err := h.allow(c, "forgot "+strings.ToLower(email))
	if err != nil {
		page.Failed(c, err)
		return
	}
	if !may {
		draw(
			c,
			http.StatusTooManyRequests,
			form{Forgot: true, Email: email, Message: tooMany},
		)
		return
	}
	if h.Mail {
		h.beside.Go(func() { h.mailReset(email) })
	}
	draw(c, http.StatusOK, form{Forgot: true, NoMail: !h.Mail, Sent: h.Mail, Email: email})
}

func (h *Handler) mailReset(email string) {
	a, err := h.Store.People.AccountOf(email)
	if database.IsNotFound(err) {
		return // and no one is told
	}
	token := ""
	if err == nil {
		token, err = h.Store.People.AskReset(a.ID)
	}
	if err == nil {
		text := "We received a request to reset the password for " + a.Email + ".\n\n" +
			"[Choose a new password](" + strings.TrimSuffix(h.Origin, "/") + "/reset/" + token +
			")\n\nThe link works once, for one hour. If you didn’t request this, ignore this email."
		err = h.mail(a.Email, "Reset your password", text, "reset:"+database.NewID())
	}
	if err != nil && h.Log != nil {
		h.Log.Error("reset", "error", err)
	}
}

func (h *Handler) showReset(c *gin.Context) {
	c.Header("Cache-Control", "no-store")
	if _, err := h.Store.People.ResetOf(c.Param("token")); err != nil {
		h.failSession(c, err)
		return
	}
	draw(c, http.StatusOK, form{Reset: c.Param("token")})
}

// reset gives an account another password. Anyone who does it signs in with it, and with the second factor where there
// is one.
func (h *Handler) reset(c *gin.Context) {
	token, password := c.Param("token"), c.PostForm("password")
	a, err := h.Store.People.ResetOf(token)
	if err != nil {
		h.failSession(c, err)
		return
	}
	if message := badCredentials(a.Email, password); message != "" {
		draw(c, http.StatusUnprocessableEntity, form{Reset: token, Message: message})
		return
	}
	hash, err := people.HashPassword(password)
	if err == nil {
		_, err = h.Store.People.UseReset(token, hash)
	}
	if err != nil {
		h.failSession(c, err)
		return
	}
	// The password is another one now, whether or not the journal could be written.
	did := people.JournalLine{AccountID: a.ID, Account: a.Email, Verb: people.VerbReset}
	if err := h.Store.People.Note(did); err != nil {
		_ = c.Error(err)
	}
	h.proven(c, a, "/")
}
