package account

import (
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/store/database"
	"omphalos/app/store/people"
)

// view is the page of one's own account.
type view struct {
	Email   string
	Owner   bool
	Edits   bool
	Message string // what is wrong
	Done    string // what was done

	Factor      *factorView // one that is being set up
	HasFactor   bool
	FactorWrong string
	Sessions    []signedIn
	Tokens      []madeToken
	NewToken    string // it is shown this once
}

// signedIn is a sign-in.
type signedIn struct {
	people.Session
	Here bool
	Last string
}

// madeToken is a token for another program.
type madeToken struct {
	people.Token
	Made, Last string
}

// ownRoutes adds the addresses of one's own account, behind a sign-in.
func (h *Handler) ownRoutes(g gin.IRouter) {
	g.GET("/account", h.own)
	g.POST("/account/password", h.changePassword)
	g.POST("/account/sign-out-everywhere", h.signOutEverywhere)
	g.POST("/account/seen", h.dismissWarning)
	g.POST("/account/sessions/:session/end", h.endSession)
	g.POST("/account/factor", h.startFactor)
	g.POST("/account/factor/confirm", h.confirmFactor)
	g.POST("/account/factor/drop", h.dropFactor)
	g.POST("/account/tokens", h.makeToken)
	g.POST("/account/tokens/:token/drop", h.dropToken)
}

func (h *Handler) drawOwn(c *gin.Context, status int, v view) {
	a := Of(c)
	v.Email, v.Owner, v.Edits, v.HasFactor = a.Email, a.IsOwner(), a.Edits(), v.HasFactor || a.Factor != ""
	sessions, err := h.Store.People.Sessions(a.ID)
	if err != nil {
		page.Failed(c, err)
		return
	}
	mine := ""
	if token, err := c.Cookie(CookieName(c.Request)); err == nil {
		if s, err := h.Store.People.Session(token); err == nil {
			mine = s.ID
		}
	}
	for _, s := range sessions {
		v.Sessions = append(v.Sessions, signedIn{s, s.ID == mine, moment(s.SeenAt)})
	}
	tokens, err := h.Store.People.Tokens(a.ID)
	if err != nil {
		page.Failed(c, err)
		return
	}
	for _, t := range tokens {
		one := madeToken{Token: t, Made: moment(t.CreatedAt), Last: "never used"}
		if t.SeenAt != nil {
			one.Last = "last used " + moment(*t.SeenAt)
		}
		v.Tokens = append(v.Tokens, one)
	}
	page.Render(c, status, ownPage, page.Shell{Title: "Account", Account: v.Email, Body: v})
}

func (h *Handler) own(c *gin.Context) {
	done := ""
	switch {
	case c.Query("changed") != "":
		done = "Your password is changed. All other devices are signed out."
	case c.Query("done") == "factor":
		done = "The second factor is off."
	case c.Query("done") != "":
		done = "Done."
	}
	h.drawOwn(c, http.StatusOK, view{Done: done})
}

// changePassword gives the account another password. It ends every sign-in; this one begins again.
func (h *Handler) changePassword(c *gin.Context) {
	a := Of(c)
	if next, again := c.PostForm("next"), c.PostForm("again"); next != again {
		h.drawOwn(c, http.StatusUnprocessableEntity, view{Message: "The two new passwords don’t match."})
		return
	}
	if message := badCredentials(a.Email, c.PostForm("next")); message != "" {
		h.drawOwn(c, http.StatusUnprocessableEntity, view{Message: message})
		return
	}
	status, why, err := h.confirmIdentity(c)
	if why != "" {
		h.drawOwn(c, status, view{Message: why})
		return
	}
	if err == nil {
		err = h.Store.People.SetPassword(a.ID, c.PostForm("next"))
	}
	if err == nil && c.PostForm("tokens") != "" {
		err = h.Store.People.DropTokens(a.ID)
	}
	if err == nil && h.Mail {
		text := "The password of " + a.Email + " was changed. If it was not you, [choose another one](" +
			strings.TrimSuffix(h.Origin, "/") + "/forgot) now."
		err = h.mail(a.Email, "Your password was changed", text, "changed:"+database.NewID())
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	a.Failed, a.FailedSince = 0, nil
	h.enter(c, a, "/account?changed=1")
}

func (h *Handler) signOutEverywhere(c *gin.Context) {
	if err := h.Store.People.EndSessions(Of(c).ID); err != nil {
		page.Failed(c, err)
		return
	}
	setCookie(c, "", -1)
	c.Redirect(http.StatusSeeOther, "/sign-in")
}

// dismissWarning takes the notice of wrong passwords away.
func (h *Handler) dismissWarning(c *gin.Context) {
	token, err := c.Cookie(CookieName(c.Request))
	if err == nil {
		err = h.Store.People.SeenFailures(token)
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/")
}

// endSession ends one of one's own sign-ins.
func (h *Handler) endSession(c *gin.Context) {
	if err := h.Store.People.EndOne(Of(c).ID, c.Param("session")); err != nil && !database.IsNotFound(err) {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/account?done=1")
}

// makeToken makes a token for another program and shows it this once.
func (h *Handler) makeToken(c *gin.Context) {
	scopes := []string{people.ScopeRead}
	if c.PostForm("write") != "" {
		scopes = append(scopes, people.ScopeWrite)
	}
	name := strings.TrimSpace(c.PostForm("name"))
	if name == "" || len(name) > 100 {
		h.drawOwn(c, http.StatusUnprocessableEntity, view{Message: "Name the token after the program that will use it."})
		return
	}
	token, err := h.Store.People.AddToken(Of(c).ID, name, scopes)
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Set(JournalDetail, name)
	c.Header("Cache-Control", "no-store")
	h.drawOwn(c, http.StatusOK, view{NewToken: token})
}

func (h *Handler) dropToken(c *gin.Context) {
	if err := h.Store.People.DropToken(Of(c).ID, c.Param("token")); err != nil && !database.IsNotFound(err) {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/account?done=1")
}

// browserOf names a browser and its system by the words of its User-Agent, roughly: to be told from others in a list.
func browserOf(agent string) string {
	name := func(list [][2]string) string {
		for _, one := range list {
			if strings.Contains(agent, one[0]) {
				return one[1]
			}
		}
		return ""
	}
	browser := name([][2]string{{"Firefox/", "Firefox"}, {"Edg/", "Edge"}, {"Chrome/", "Chrome"}, {"Safari/", "Safari"}})
	system := name([][2]string{
		{"Android", "Android"}, {"iPhone", "iPhone"}, {"iPad", "iPad"},
		{"Windows", "Windows"}, {"Mac OS", "macOS"}, {"Linux", "Linux"},
	})
	switch {
	case browser == "":
		return "another program"
	case system == "":
		return browser
	}
	return browser + " on " + system
}
