// Package samples is a small library of pictures, drawn for this program, that stands in for a stock-photo service:
// plants, pots, windows and offices of an invented company.
package samples

import (
	"fmt"
	"math"
	"strings"
)

// Sample is one drawing.
type Sample struct {
	Name string // also its address
	Tags string // words to find it by
	Alt  string // what it shows
	SVG  []byte // 400 × 300
}

// Path is the address of the picture.
func (s *Sample) Path() string { return "/samples/" + s.Name + ".svg" }

// All lists the drawings.
var All = drawings()

// Find returns the drawing of this name, or nil.
func Find(name string) *Sample {
	for i := range All {
		if All[i].Name == name {
			return &All[i]
		}
	}
	return nil
}

// A sheet collects the shapes of a drawing.
type sheet struct{ strings.Builder }

func (s *sheet) add(format string, args ...any) { fmt.Fprintf(s, format, args...) }

func (s *sheet) rect(x, y, w, h float64, fill string) {
	s.add(`<rect x="%.1f" y="%.1f" width="%.1f" height="%.1f" fill="%s"/>`, x, y, w, h, fill)
}

func (s *sheet) circle(x, y, r float64, fill string) {
	s.add(`<circle cx="%.1f" cy="%.1f" r="%.1f" fill="%s"/>`, x, y, r, fill)
}

func (s *sheet) line(x1, y1, x2, y2, width float64, colour string) {
	s.add(`<path d="M%.1f %.1fL%.1f %.1f" stroke="%s" stroke-width="%.1f" stroke-linecap="round"/>`, x1, y1, x2, y2, colour, width)
}

// leaf is a pointed leaf from x, y in a direction (degrees, 0 is up).
func (s *sheet) leaf(x, y, angle, length, width float64, fill string) {
	s.add(`<path transform="translate(%.1f %.1f) rotate(%.1f)" d="M0 0C%.1f %.1f %.1f %.1f 0 %.1fC%.1f %.1f %.1f %.1f 0 0Z" fill="%s"/>`,
		x, y, angle, width, -length*0.3, width, -length*0.75, -length, -width, -length*0.75, -width, -length*0.3, fill)
}

const (
	chalk, shade, ink             = "#f4f2ea", "#e3e0d5", "#2b3036"
	green, deep, light, moss      = "#2e6f62", "#1f5147", "#6fa896", "#8a9a5b"
	clay, clayDark, white, wine   = "#b4613f", "#93492c", "#ffffff", "#8e1f3b"
	sky, sun, wood, steel, indigo = "#cfe3ea", "#e8c25a", "#a9855c", "#9aa3a8", "#4b5a8c"
)

func (s *sheet) room(wall string) {
	s.rect(0, 0, 400, 300, wall)
	s.rect(0, 246, 400, 54, shade)
}

func (s *sheet) pot(x, top, width, height float64, colour, rim string) {
	s.add(`<path d="M%.1f %.1fh%.1fl%.1f %.1fh%.1fz" fill="%s"/>`, x-width/2, top, width, -width*0.13, height, -width*0.74, colour)
	s.rect(x-width/2-4, top-6, width+8, 12, rim)
}

func (s *sheet) window(x, y, w, h float64) {
	s.rect(x-6, y-6, w+12, h+12, wood)
	s.rect(x, y, w, h, sky)
	s.circle(x+w*0.72, y+h*0.3, 18, sun)
	s.rect(x+w/2-3, y, 6, h, wood)
	s.rect(x, y+h/2-3, w, 6, wood)
}

// frond is a fern's leaf: a bent stem with leaflets on both sides.
func (s *sheet) frond(x, y, angle, length float64, fill string) {
	a := (angle - 90) * math.Pi / 180
	bend := angle / 90 * 34
	for i := 1; i <= 11; i++ {
		t := float64(i) / 11
		px := x + math.Cos(a)*length*t
		py := y + math.Sin(a)*length*t + bend*bend/34*t*t
		size := 22 * (1 - t*0.72)
		s.leaf(px, py, angle-62, size, 4, fill)
		s.leaf(px, py, angle+62, size, 4, fill)
	}
	s.line(x, y, x+math.Cos(a)*length, y+math.Sin(a)*length+bend*bend/34, 2, deep)
}

// net is the lozenge net that the mark carries.
func (s *sheet) net(colour string) {
	for i := -8.0; i < 12; i++ {
		s.add(`<path d="M%.0f 0l300 300M%.0f 0l-300 300" stroke="%s" stroke-width="2" fill="none"/>`, i*40, i*40+300, colour)
	}
}

func (s *sheet) finish() []byte {
	return []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 300" width="400" height="300" fill="none">` + s.String() + `</svg>`)
}
