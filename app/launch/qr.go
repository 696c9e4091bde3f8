package launch

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/skip2/go-qrcode"
	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"

	"omphalos/app/page"
	"omphalos/core/quiz"
)

// levels are those of ISO/IEC 18004, by the share of a code that may be lost.
// usualLevel is the level of a code that was not set.
const usualLevel = "M"

var levels = []level{
	{Key: "L", Says: "Low (7%)"}, {Key: "M", Says: "Medium (15%)"},
	{Key: "Q", Says: "High (25%)"}, {Key: "H", Says: "Highest (30%)"},
}

var recovery = map[string]qrcode.RecoveryLevel{
	"L": qrcode.Low,
	"M": qrcode.Medium,
	"Q": qrcode.High,
	"H": qrcode.Highest,
}

// quietZone is how many modules around a code stay empty (ISO/IEC 18004, 9.1).
const quietZone = 4

// Sizes of a picture of a code, in pixels.
const (
	leastSize  = 60
	mostSize   = 4000
	normalSize = 480
)

// code is a QR code: true is a dark module; the quiet zone is not among them.
type code struct {
	modules [][]bool
	words   string // below it; "" for none
}

// newCode makes the code of an address.
func newCode(address, level, words string) (*code, error) {
	r, known := recovery[level]
	if !known {
		r = qrcode.Medium
	}
	q, err := qrcode.New(address, r)
	if err != nil {
		return nil, err
	}
	q.DisableBorder = true
	return &code{q.Bitmap(), quiz.Shorten(words, 60)}, nil
}

// across is how many modules the code is wide with its quiet zone.
func (q *code) across() int { return len(q.modules) + 2*quietZone }

// svg draws the code as one path; a module is one unit.
func (q *code) svg() []byte {
	n := q.across()
	height := n
	if q.words != "" {
		height += 5
	}
	var b bytes.Buffer
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" shape-rendering="crispEdges">`, n, height)
	fmt.Fprintf(&b, `<rect width="%d" height="%d" fill="#fff"/><path fill="#000" d="`, n, height)
	for y, row := range q.modules {
		for x := 0; x < len(row); x++ {
			if !row[x] {
				continue
			}
			run := 1
			for x+run < len(row) && row[x+run] {
				run++
			}
			fmt.Fprintf(&b, "M%d %dh%dv1h-%dz", x+quietZone, y+quietZone, run, run)
			x += run
		}
	}
	b.WriteString(`"/>`)
	if q.words != "" {
		size := min(3.2, 1.7*float64(n)/float64(len([]rune(q.words))))
		fmt.Fprintf(
			&b,
			`<text x="%g" y="%g" font-size="%.2f" font-family="sans-serif" text-anchor="middle" textLength="" fill="#000">%s</text>`,
			float64(n)/2,
			float64(n)+2.4,
			size,
			escaped(q.words),
		)
	}
	b.WriteString("</svg>\n")
	return bytes.Replace(b.Bytes(), []byte(` textLength=""`), nil, 1)
}

func escaped(text string) string {
	return strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;").Replace(text)
}

// png draws the code size pixels wide: every module is a whole number of pixels, and what is left over widens the quiet
// zone.
func (q *code) png(size int) ([]byte, error) {
	n := q.across()
	module := max(1, size/n)
	size = max(size, module*n)
	below := 0
	if q.words != "" {
		below = size / 8
	}
	img := image.NewGray(image.Rect(0, 0, size, size+below))
	for i := range img.Pix {
		img.Pix[i] = 0xff
	}
	begin := (size - module*len(q.modules)) / 2
	for y, row := range q.modules {
		for x, dark := range row {
			if !dark {
				continue
			}
			for dy := range module {
				at := img.PixOffset(begin+x*module, begin+y*module+dy)
				clear(img.Pix[at : at+module])
			}
		}
	}
	if below > 0 {
		if err := write(img, q.words, size, below); err != nil {
			return nil, err
		}
	}
	var b bytes.Buffer
	err := png.Encode(&b, img)
	return b.Bytes(), err
}

// write puts words in the middle of the strip below a code.
func write(img *image.Gray, words string, width, height int) error {
	f, err := opentype.Parse(goregular.TTF)
	if err != nil {
		return err
	}
	points := float64(height) * 0.5
	for {
		face, err := opentype.NewFace(f, &opentype.FaceOptions{Size: points, DPI: 72, Hinting: font.HintingFull})
		if err != nil {
			return err
		}
		d := font.Drawer{Dst: img, Src: image.NewUniform(color.Black), Face: face}
		wide := d.MeasureString(words).Ceil()
		if wide > width-8 && points > 6 {
			points *= 0.9
			continue
		}
		d.Dot = fixed.P((width-wide)/2, width+height*6/10)
		d.DrawString(words)
		return face.Close()
	}
}

// codeOf is the code that a request asks for; nil where it has answered itself.
func (h *Handler) codeOf(c *gin.Context) (q *code, name, address string) {
	d := h.Bench.Load(c)
	if d == nil {
		return nil, "", ""
	}
	if d.Quiz.Slug == nil {
		page.Fail(c, http.StatusNotFound, "There’s no link yet", "Launch the quiz to get a link.")
		return nil, "", ""
	}
	name, address = *d.Quiz.Slug, addressOf(page.Address(c.Request, h.Origin), *d.Quiz.Slug, nil)
	if id := c.Query("place"); id != "" {
		p, err := h.Store.Documents.PutPlace(d.Quiz.ID, id)
		if err != nil {
			page.Failed(c, err)
			return nil, "", ""
		}
		name, address = name+"-"+p.Source, addressOf(page.Address(c.Request, h.Origin), *d.Quiz.Slug, p)
	}
	q, err := newCode(scanned(address), c.Query("level"), c.Query("words"))
	if err != nil {
		page.Fail(
			c,
			http.StatusUnprocessableEntity,
			"The link is too long for a QR code",
			"Shorten the campaign parameters or remove some.",
		)
		return nil, "", ""
	}
	return q, name, address
}

// scanned is the address as the code has it: who comes by it is told apart from who follows the link.
func scanned(address string) string {
	if strings.Contains(address, "?") {
		return address + "&qr=1"
	}
	return address + "?qr=1"
}

func (h *Handler) qrSVG(c *gin.Context) {
	if q, name, _ := h.codeOf(c); q != nil {
		attach(c, name+".svg")
		c.Data(http.StatusOK, "image/svg+xml", q.svg())
	}
}

func (h *Handler) qrPNG(c *gin.Context) {
	q, name, _ := h.codeOf(c)
	if q == nil {
		return
	}
	size := normalSize
	if text := c.Query("size"); text != "" {
		n, err := strconv.Atoi(text)
		if err != nil || n < leastSize || n > mostSize {
			page.Fail(
				c,
				http.StatusUnprocessableEntity,
				"This size doesn’t work for a QR code",
				fmt.Sprintf("Choose a size from %d to %d pixels.", leastSize, mostSize),
			)
			return
		}
		size = n
	}
	data, err := q.png(size)
	if err != nil {
		page.Failed(c, err)
		return
	}
	attach(c, name+".png")
	c.Data(http.StatusOK, "image/png", data)
}

// attach lets a picture be downloaded under a name, where that is asked for.
func attach(c *gin.Context, name string) {
	c.Header("Cache-Control", "no-store")
	if c.Query("download") != "" {
		c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name))
	}
}

// qrSheet is a page to be printed: the code at several sizes.
func (h *Handler) qrSheet(c *gin.Context) {
	q, name, address := h.codeOf(c)
	if q == nil {
		return
	}
	query := c.Request.URL.Query()
	query.Del("download")
	c.Data(http.StatusOK, "text/html; charset=utf-8", page.Execute(templates, "qrsheet", map[string]any{
		"Name":    name,
		"Address": address,
		"Code":    "/quizzes/" + c.Param("id") + "/launch/qr.svg?" + query.Encode(),
		"Modules": q.across(),
	}))
}
