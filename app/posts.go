package app

import (
	"net/http"
	"path"
	"strings"

	"github.com/gin-gonic/gin"
)

// goUp leads a browser that asks for an address which only takes forms, as Reload and Back do after a form was refused,
// to the nearest address above it that shows a page. It reports whether there is one.
func goUp(c *gin.Context, routes gin.RoutesInfo) bool {
	if c.Request.Method != http.MethodGet {
		return false
	}
	for at := path.Dir(c.Request.URL.Path); ; at = path.Dir(at) {
		for _, r := range routes {
			if r.Method == http.MethodGet && matches(r.Path, at) {
				c.Redirect(http.StatusSeeOther, at)
				return true
			}
		}
		if at == "/" {
			return false
		}
	}
}

// matches reports whether an address is one of a route: the same but for the segments that the route names.
func matches(route, address string) bool {
	want, got := strings.Split(route, "/"), strings.Split(address, "/")
	if len(want) != len(got) {
		return false
	}
	for i := range want {
		if want[i] != got[i] && !strings.HasPrefix(want[i], ":") {
			return false
		}
	}
	return true
}
