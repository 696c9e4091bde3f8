package account

import (
	"errors"
	"net/http"
	"strings"
	"sync/atomic"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/store/people"
)

// links are those that the program prints when it starts. Each works once; "" works never.
type links struct{ oneClick, setUp atomic.Pointer[string] }

// use reports whether a token is the one of a link that has not been used, and uses it.
func use(link *atomic.Pointer[string], token string) bool {
	left := link.Load()
	used := ""
	return token != "" && *left == token && link.CompareAndSwap(left, &used)
}

// enterOnce signs in as the owner, for the demonstration.
func (h *Handler) enterOnce(c *gin.Context) {
	c.Header("Cache-Control", "no-store")
	if page.IsHead(c.Request) || strings.Contains(c.GetHeader("Sec-Purpose"), "prefetch") {
		return // no one looks: it is kept for who will
	}
	if !use(&h.oneClick, c.Param("token")) {
		page.Fail(c, http.StatusNotFound, "This link has been used, or Omphalos has restarted since",
			"Sign in with the email address and password that Omphalos printed, or restart it.")
		return
	}
	a, err := h.Store.People.FirstAccount()
	if err != nil {
		page.Failed(c, err)
		return
	}
	h.enter(c, a, "/")
}

func (h *Handler) showSetUp(c *gin.Context) {
	c.Header("Cache-Control", "no-store")
	if *h.setUp.Load() != c.Param("token") || c.Param("token") == "" {
		setUpIsOver(c)
		return
	}
	draw(c, http.StatusOK, form{SetUp: c.Param("token")})
}

func setUpIsOver(c *gin.Context) {
	page.Fail(c, http.StatusNotFound, "This link has been used, or Omphalos has restarted since",
		"Sign in, or restart Omphalos to get a new set-up link.")
}

// makeOwner makes the first account.
func (h *Handler) makeOwner(c *gin.Context) {
	token := c.Param("token")
	email, password := strings.TrimSpace(c.PostForm("email")), c.PostForm("password")
	if *h.setUp.Load() != token {
		setUpIsOver(c)
		return
	}
	if message := badCredentials(email, password); message != "" {
		draw(c, http.StatusUnprocessableEntity, form{SetUp: token, Email: email, Message: message})
		return
	}
	if !use(&h.setUp, token) {
		setUpIsOver(c)
		return
	}
	a, err := h.Store.People.CreateOwner(email, password)
	if errors.Is(err, people.ErrOwnerExists) {
		setUpIsOver(c)
		return
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	h.enter(c, a, "/")
}
