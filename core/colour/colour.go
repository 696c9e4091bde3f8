// Package colour keeps text readable on any colour that an owner chooses: contrast as WCAG 2.2 defines it.
package colour

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Colour is red, green and blue in sRGB, each 0 to 255.
type Colour struct{ R, G, B uint8 }

// Common colours.
var (
	White = Colour{255, 255, 255}
	Ink   = Colour{34, 38, 43}
)

// Readable is the least contrast of normal text (WCAG 2.2, 1.4.3, level AA).
const Readable = 4.5

// Parse reads #rgb or #rrggbb.
func Parse(s string) (Colour, error) {
	hex, ok := strings.CutPrefix(strings.TrimSpace(s), "#")
	if ok && len(hex) == 3 {
		hex = string([]byte{hex[0], hex[0], hex[1], hex[1], hex[2], hex[2]})
	}
	n, err := strconv.ParseUint(hex, 16, 32)
	if !ok || len(hex) != 6 || err != nil {
		return Colour{}, fmt.Errorf("%q isn’t a colour: type # and six digits or letters a–f, such as #2e6f62", s)
	}
	return Colour{uint8(n >> 16), uint8(n >> 8), uint8(n)}, nil
}

// String writes #rrggbb.
func (c Colour) String() string { return fmt.Sprintf("#%02x%02x%02x", c.R, c.G, c.B) }

// Luminance is the relative luminance, 0 to 1 (WCAG 2.2, "relative luminance").
func (c Colour) Luminance() float64 {
	linear := func(v uint8) float64 {
		f := float64(v) / 255
		if f <= 0.04045 {
			return f / 12.92
		}
		return math.Pow((f+0.055)/1.055, 2.4)
	}
	return 0.2126*linear(c.R) + 0.7152*linear(c.G) + 0.0722*linear(c.B)
}

// Contrast is the contrast ratio of two colours, 1 to 21 (WCAG 2.2, "contrast ratio").
func Contrast(a, b Colour) float64 {
	x, y := a.Luminance(), b.Luminance()
	if x < y {
		x, y = y, x
	}
	return (x + 0.05) / (y + 0.05)
}

// On is white or ink, whichever reads better on c.
func On(c Colour) Colour {
	if Contrast(White, c) >= Contrast(Ink, c) {
		return White
	}
	return Ink
}

// Against moves c towards black or white, as little as needed, until it has the contrast with every ground; it
// reports false when no shade of it has.
func Against(c Colour, least float64, grounds ...Colour) (Colour, bool) {
	enough := func(c Colour) bool {
		for _, g := range grounds {
			if Contrast(c, g) < least {
				return false
			}
		}
		return true
	}
	for step := 0; step <= 100; step++ {
		for _, end := range []Colour{{}, White} {
			if m := Mix(c, end, float64(step)/100); enough(m) {
				return m, true
			}
		}
	}
	return c, false
}

// Mix is the colour at part t (0 to 1) of the way from a to b.
func Mix(a, b Colour, t float64) Colour {
	mix := func(x, y uint8) uint8 { return uint8(math.Round(float64(x) + (float64(y)-float64(x))*t)) }
	return Colour{mix(a.R, b.R), mix(a.G, b.G), mix(a.B, b.B)}
}
