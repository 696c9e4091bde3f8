// Package media is the picture library: uploaded pictures, and sample pictures that can be searched.
package media

import (
	"embed"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/limits"
	"omphalos/app/media/samples"
	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/app/store/database"
	"omphalos/app/store/documents"
)

//go:embed *.html *.js
var files embed.FS

func init() { page.RegisterAssets(files, ".") }

var templates = page.New(files)

// Handler answers the addresses of pictures.
type Handler struct {
	Store *store.Store
	Heavy *limits.Heavy
	Who   func(*gin.Context) uint // the account that is signed in
}

// Public adds the addresses that respondents' pages show pictures from.
func (h *Handler) Public(g gin.IRouter) {
	g.GET("/media/:id", h.picture)
	g.GET("/samples/:name", sample)
}

// Routes adds the addresses of the library itself.
func (h *Handler) Routes(g gin.IRouter) {
	g.GET("/pictures", h.list)
	g.POST("/pictures", h.upload)
	g.POST("/pictures/:id", h.describe)
}

// Sources are the widths of an uploaded picture for an img's srcset; "" for any other.
func Sources(image string) string {
	if !strings.HasPrefix(image, "/media/") {
		return ""
	}
	var list []string
	for _, w := range Widths {
		list = append(list, fmt.Sprintf("%s?w=%d %dw", image, w, w))
	}
	return strings.Join(list, ", ")
}

const forever = "public, max-age=31536000, immutable"

func (h *Handler) picture(c *gin.Context) {
	width, err := strconv.Atoi(c.Query("w"))
	if err != nil || width < 1 {
		width = Widths[len(Widths)-1]
	}
	size, err := h.Store.Documents.PictureSize(c.Param("id"), width)
	if errors.Is(err, database.ErrNotFound) {
		page.NotFound(c)
		return
	}
	if err != nil {
		c.String(http.StatusInternalServerError, "Couldn’t read the picture.")
		return
	}
	c.Header("Cache-Control", forever)
	c.Header("Cross-Origin-Resource-Policy", "cross-origin")
	c.Data(http.StatusOK, size.Type, size.Data)
}

func sample(c *gin.Context) {
	s := samples.Find(strings.TrimSuffix(c.Param("name"), ".svg"))
	if s == nil {
		page.NotFound(c)
		return
	}
	c.Header("Cache-Control", "public, max-age=86400")
	c.Header("Content-Security-Policy", "default-src 'none'")
	c.Header("Cross-Origin-Resource-Policy", "cross-origin")
	c.Data(http.StatusOK, "image/svg+xml", s.SVG)
}

// item is one picture to choose.
type item struct {
	Image  string
	Thumb  string
	Alt    string
	Credit string
	Name   string
	ID     string // of an uploaded one
}

func (h *Handler) list(c *gin.Context) {
	query := strings.ToLower(strings.TrimSpace(c.Query("q")))
	own, err := h.Store.Documents.Pictures()
	if err != nil {
		c.String(http.StatusInternalServerError, "Couldn’t load the pictures: %v", err)
		return
	}
	var mine, shipped []item
	for _, p := range own {
		if matches(query, p.Name+" "+p.Alt+" "+p.Credit) {
			mine = append(mine, itemOf(&p))
		}
	}
	for _, s := range samples.All {
		if matches(query, s.Name+" "+s.Tags+" "+s.Alt) {
			shipped = append(
				shipped,
				item{Image: s.Path(), Thumb: s.Path(), Alt: s.Alt, Credit: "Larkmoor Botanics", Name: s.Name},
			)
		}
	}
	c.Data(
		http.StatusOK,
		"text/html; charset=utf-8",
		page.Execute(templates, "pictures", map[string]any{"Own": mine, "Samples": shipped, "Query": c.Query("q")}),
	)
}

func itemOf(p *documents.Picture) item {
	image := "/media/" + p.ID
	return item{Image: image, Thumb: image + "?w=320", Alt: p.Alt, Credit: p.Credit, Name: p.Name, ID: p.ID}
}

// matches reports whether every word of a search is somewhere in the text.
func matches(query, text string) bool {
	text = strings.ToLower(text)
	for _, word := range strings.Fields(query) {
		if !strings.Contains(text, word) {
			return false
		}
	}
	return true
}

func (h *Handler) upload(c *gin.Context) {
	refuse := func(status int, format string, args ...any) {
		c.JSON(status, gin.H{"message": fmt.Sprintf(format, args...)})
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, MaxBytes+1<<16)
	header, err := c.FormFile("picture")
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) {
		refuse(http.StatusRequestEntityTooLarge, "The file is larger than %d MB. Make it smaller and "+
			"try again.", MaxBytes>>20)
		return
	}
	if err != nil {
		refuse(http.StatusBadRequest, "Choose a picture to upload.")
		return
	}
	file, err := header.Open()
	if err != nil {
		refuse(http.StatusBadRequest, "Couldn’t read the file: %v", err)
		return
	}
	defer file.Close()
	data, err := io.ReadAll(file)
	if err != nil {
		refuse(http.StatusBadRequest, "Couldn’t read the file: %v", err)
		return
	}
	var p *documents.Picture
	var sizes []documents.PictureSize
	ctx := c.Request.Context()
	busy := h.Heavy.DoFor(ctx, h.Who(c), func() { p, sizes, err = Encode(ctx, data) })
	if busy != nil {
		refuse(http.StatusServiceUnavailable, "%s", page.Sentence(busy))
		return
	}
	if err != nil {
		refuse(http.StatusUnprocessableEntity, "%s.", strings.ToUpper(err.Error()[:1])+err.Error()[1:])
		return
	}
	p.Name = header.Filename
	if err := h.Store.Documents.AddPicture(p, sizes); err != nil {
		refuse(http.StatusInternalServerError, "Couldn’t save the picture: %v", err)
		return
	}
	if known, err := h.Store.Documents.Picture(p.ID); err == nil {
		p = known // it was here before: what was said of it stays
	}
	c.JSON(http.StatusOK, gin.H{"image": "/media/" + p.ID, "alt": p.Alt, "credit": p.Credit})
}

func (h *Handler) describe(c *gin.Context) {
	var body struct{ Alt, Credit string }
	if err := c.ShouldBindJSON(&body); err != nil {
		c.JSON(http.StatusBadRequest, gin.H{"message": "Couldn’t read this file."})
		return
	}
	if err := h.Store.Documents.DescribePicture(c.Param("id"), body.Alt, body.Credit); err != nil {
		c.JSON(http.StatusNotFound, gin.H{"message": "This picture no longer exists."})
		return
	}
	c.Status(http.StatusNoContent)
}
