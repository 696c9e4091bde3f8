package respond

import (
	"crypto/rand"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
)

// browserCookie tells browsers apart while they are open, so that anyone who is sent the address of someone's walk does
// not see their answers. It says nothing of who it is and is used for nothing else. Where it is blocked the address
// alone decides.
const browserCookie = "omphalos_walk"

func browserOf(r *http.Request) string {
	c, err := r.Cookie(page.HostPrefix + browserCookie)
	if err != nil && !page.IsSecure(r) {
		c, err = r.Cookie(browserCookie)
	}
	if err != nil || len(c.Value) > 64 {
		return ""
	}
	return c.Value
}

// rememberBrowser gives a browser its cookie, and returns the id that it holds. Within a frame of another site it is
// kept apart for that site (CHIPS), which takes a secure address.
func rememberBrowser(c *gin.Context) string {
	cookie := &http.Cookie{
		Name:     browserCookie,
		Value:    strings.ToLower(rand.Text()),
		Path:     "/q/",
		HttpOnly: true,
		SameSite: http.SameSiteLaxMode,
		Secure:   page.IsSecure(c.Request),
	}
	if c.GetHeader("Sec-Fetch-Dest") == "iframe" {
		cookie.SameSite, cookie.Secure, cookie.Partitioned = http.SameSiteNoneMode, true, true
	}
	if cookie.Secure {
		cookie.Name, cookie.Path = page.HostPrefix+browserCookie, "/"
	}
	http.SetCookie(c.Writer, cookie)
	return cookie.Value
}
