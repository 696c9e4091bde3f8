package engine

import (
	"fmt"
	"strings"

	"omphalos/app/words"
	"omphalos/core/colour"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// Look is how the pages of a source look and what their buttons say.
type Look struct {
	Style     string // the theme's own style sheet; "" for none
	Logo      string
	LogoAlt   string
	Direction string            // ltr, rtl, or "" for that of the page
	said      map[string]string // by the owner
	usual     map[string]string // in this language
}

// say is what a button or message says.
func (l *Look) say(key string) string {
	return quiz.FirstOf(l.said[key], l.usual[key], words.English(key))
}

// sentence says what is wrong with a field.
func (l *Look) sentence(e *walk.FieldError) string { return e.Sentence(l.say(e.Code)) }

// rightToLeft are languages that are written so.
var rightToLeft = map[string]bool{
	"ar": true, "fa": true, "he": true, "ur": true, "ps": true,
	"sd": true, "ug": true, "yi": true, "dv": true, "ckb": true,
}

// fonts are the pairs that a theme chooses from: of headings, and of all else.
var fonts = map[string][2]string{
	"didot": {`"GFS Didot", Georgia, serif`, "Commissioner, system-ui, sans-serif"},
	"plain": {"Commissioner, system-ui, sans-serif", "Commissioner, system-ui, sans-serif"},
	"book":  {`"GFS Didot", Georgia, serif`, `"GFS Didot", Georgia, serif`},
}

// newLook reads a document's theme. A colour is made darker or lighter until text on it and in it can be read.
func newLook(d *quiz.Document) *Look {
	t := d.Theme
	l := &Look{Logo: picturePath(t.Logo), LogoAlt: t.LogoAlt, said: t.Words, Direction: directionOf(d)}
	l.usual, _ = words.In(d.Language)
	l.Style = paletteStyle(t) + fontStyle(t) + pictureStyle(t)
	return l
}

func directionOf(d *quiz.Document) string {
	if d.Theme.Direction == "ltr" || d.Theme.Direction == "rtl" {
		return d.Theme.Direction
	}
	primary, _, _ := strings.Cut(d.Language, "-")
	if rightToLeft[strings.ToLower(primary)] {
		return "rtl"
	}
	return ""
}

// The colours of pages whose theme names none.
const (
	usualGround = "#fbfaf6"
	usualStrong = "#2e6f62"
	badColour   = "#8e1f3b"
)

// palette are the colours of a theme, changed until what stands on them can be read.
type palette struct {
	strong           colour.Colour // as the theme names it
	button, onButton colour.Colour
	ground, ink      colour.Colour
}

// paletteOf reads a theme; set is whether it names a colour.
func paletteOf(t quiz.Theme) (p palette, set bool) {
	ground, groundErr := colour.Parse(t.Background)
	strong, strongErr := colour.Parse(t.Colour)
	if groundErr != nil {
		ground, _ = colour.Parse(usualGround)
	}
	if strongErr != nil {
		strong, _ = colour.Parse(usualStrong)
	}
	p = palette{strong: strong, ground: readableGround(ground)}
	p.ink = colour.On(p.ground)
	p.button, p.onButton = readableButton(strong)
	return p, groundErr == nil || strongErr == nil
}

// Colours are those in which a page of another site shows what leads to a quiz, as #rrggbb.
type Colours struct {
	Strong, OnStrong string // of a bar and what is written on it
	Ground, Ink      string // of the quiz's own pages
}

// ColoursOf are the colours of a document.
func ColoursOf(d *quiz.Document) Colours {
	p, _ := paletteOf(d.Theme)
	return Colours{p.button.String(), p.onButton.String(), p.ground.String(), p.ink.String()}
}

// paletteStyle makes the page's colours of the theme's two; "" when it names neither.
func paletteStyle(t quiz.Theme) string {
	p, set := paletteOf(t)
	if !set {
		return ""
	}
	bad, _ := colour.Parse(badColour)
	// Text in the strong colour stands on the ground; buttons carry white or ink on it; answers are white sheets.
	return fmt.Sprintf(
		":root{--strong:%s;--on-strong:%s;--strong-text:%s;--wash:%s;--ground:%s;--ink:%s;--quiet:%s;--bad:%s}\n",
		p.button,
		p.onButton,
		readable(p.strong, p.ground),
		colour.Mix(colour.White, p.strong, 0.1),
		p.ground,
		p.ink,
		readable(colour.Mix(p.ink, p.ground, 0.35), p.ground),
		readable(bad, p.ground),
	)
}

// readable is a colour changed until it can be read on a ground, or else the ink that can.
func readable(c, ground colour.Colour) colour.Colour {
	if text, ok := colour.Against(c, colour.Readable, ground); ok {
		return text
	}
	return colour.On(ground)
}

// readableGround makes a middling ground lighter or darker until text can be read on it.
func readableGround(ground colour.Colour) colour.Colour {
	tone := colour.On(ground)
	for colour.Contrast(tone, ground) < colour.Readable {
		if tone == colour.White {
			ground = colour.Mix(ground, colour.Colour{}, 0.05)
		} else {
			ground = colour.Mix(ground, colour.White, 0.05)
		}
	}
	return ground
}

// readableButton makes a colour darker until white can be read on it, unless ink can be as it is.
func readableButton(c colour.Colour) (button, text colour.Colour) {
	text = colour.On(c)
	for colour.Contrast(c, text) < colour.Readable {
		c, text = colour.Mix(c, colour.Colour{}, 0.06), colour.White
	}
	return c, text
}

func fontStyle(t quiz.Theme) string {
	pair, ok := fonts[t.Fonts]
	if !ok {
		return ""
	}
	return fmt.Sprintf("h1,h2{font-family:%s}body,button,.button{font-family:%s}\n", pair[0], pair[1])
}

// pictureStyle puts the theme's picture behind the pages: what is read stands on a sheet, whatever the picture is.
func pictureStyle(t quiz.Theme) string {
	p := picturePath(t.Picture)
	if p == "" {
		return ""
	}
	return fmt.Sprintf("body{background:var(--ground) url(%q) center/cover fixed}\n", p+atWidth(p, 1280)) +
		"main{background:var(--ground);margin-top:24px;margin-bottom:24px;border-radius:3px}\n"
}

// picturePath lets only pictures of the library through.
func picturePath(path string) string {
	ours := strings.HasPrefix(path, "/media/") || strings.HasPrefix(path, "/samples/")
	if !ours || strings.ContainsAny(path, "\"'()\\?#<>&\n\r ") {
		return ""
	}
	return path
}

func atWidth(image string, width int) string {
	if strings.HasPrefix(image, "/media/") {
		return fmt.Sprintf("?w=%d", width)
	}
	return ""
}
