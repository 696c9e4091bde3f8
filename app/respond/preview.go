package respond

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/core/walk"
)

// Preview sends a page of a draft as respondents would see it, to be shown in a frame without scripts: see
// engine.Engine.Preview.
func (h *Handler) Preview(c *gin.Context, q *documents.Quiz, outcome string, in *walk.Input) {
	nonce := database.NewID() + database.NewID()
	reply, err := h.Engine.Preview(q, outcome, in, nonce)
	if err != nil {
		page.Failed(c, err)
		return
	}
	header := c.Writer.Header()
	header.Set(
		"Content-Security-Policy",
		"default-src 'none'; style-src 'self' 'nonce-"+nonce+"'; img-src 'self'; font-src 'self'; "+
			"base-uri 'none'; form-action 'none'; frame-ancestors 'self'",
	)
	header.Set("X-Frame-Options", "SAMEORIGIN")
	header.Set("Cache-Control", "no-store")
	if reply == nil {
		c.String(http.StatusNotFound, "Fix the problems listed below to see the preview.")
		return
	}
	c.Data(http.StatusOK, "text/html; charset=utf-8", page.Execute(pages, reply.Page, reply.Screen))
}
