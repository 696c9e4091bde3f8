// Package kit serves the script that embeds a quiz in any page, and tells it whether the quiz is open.
package kit

import (
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/http"

	"github.com/gin-gonic/gin"

	"omphalos/app/engine"
	"omphalos/app/page"
)

//go:embed kit.js
var script []byte

// Handler answers /kit.js and /kit/SLUG.
type Handler struct {
	Engine *engine.Engine
}

// Routes adds the kit's addresses.
func (h *Handler) Routes(g gin.IRouter) {
	g.GET("/kit.js", func(c *gin.Context) {
		forAnyPage(c)
		c.Header("Cache-Control", "public, max-age=3600")
		c.Data(http.StatusOK, "text/javascript; charset=utf-8", script)
	})
	g.GET("/kit/:slug", h.state)
}

// forAnyPage lets pages of other sites load what is sent.
func forAnyPage(c *gin.Context) {
	c.Header("Access-Control-Allow-Origin", "*")
	c.Header("Cross-Origin-Resource-Policy", "cross-origin")
}

// state says whether someone may begin now, as a module: pages need allow nothing but scripts for it.
func (h *Handler) state(c *gin.Context) {
	sign, err := h.Engine.Sign(c.Param("slug"))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		page.Failed(c, err)
		return
	}
	forAnyPage(c)
	Show(c, sign)
}

// Show answers with the module by which the script knows what it puts on a page.
func Show(c *gin.Context, s engine.Sign) {
	body := "export const open = false;\n"
	if s.Open {
		name, err := json.Marshal(s.Name)
		var colours []byte
		if err == nil {
			colours, err = json.Marshal([]string{s.Colours.Strong, s.Colours.OnStrong, s.Colours.Ground, s.Colours.Ink})
		}
		if err != nil {
			page.Failed(c, err)
			return
		}
		body = fmt.Sprintf("export const open = true;\nexport const name = %s;\nexport const colours = %s;\n", name, colours)
	}
	c.Header("Cache-Control", "no-store")
	c.Data(http.StatusOK, "text/javascript; charset=utf-8", []byte(body))
}
