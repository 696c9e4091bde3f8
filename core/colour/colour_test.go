package colour

import (
	"encoding/json"
	"math/rand/v2"
	"os"
	"testing"

	"github.com/stretchr/testify/require"
)

// Source of the cases: WCAG 2.2's definition of contrast ratio, compared with npm wcag-contrast 3.0.0.
func TestContrastAsPublished(t *testing.T) {
	text, err := os.ReadFile("testdata/wcag_contrast.json")
	require.NoError(t, err)
	var file struct {
		Cases []struct {
			Fg, Bg string
			Ratio  float64
			AA     bool
		}
	}
	require.NoError(t, json.Unmarshal(text, &file))
	require.NotEmpty(t, file.Cases)
	for _, c := range file.Cases {
		a, err := Parse(c.Fg)
		require.NoError(t, err)
		b, err := Parse(c.Bg)
		require.NoError(t, err)
		require.InDelta(t, c.Ratio, Contrast(a, b), 1e-2, "%s on %s", c.Fg, c.Bg)
		require.Equal(t, c.AA, Contrast(a, b) >= Readable)
	}
}

func TestAnyColourBecomesReadable(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 3000 {
		c := Colour{uint8(r.IntN(256)), uint8(r.IntN(256)), uint8(r.IntN(256))}
		require.GreaterOrEqual(t, Contrast(On(c), c), Readable-0.6, "white or ink on %s", c)
		m, ok := Against(c, Readable, White)
		require.True(t, ok)
		require.GreaterOrEqual(t, Contrast(m, White), Readable)
		if Contrast(c, White) >= Readable {
			require.Equal(t, c, m, "a readable one is left as it is")
		}
	}
}

func TestColoursAreWrittenInHex(t *testing.T) {
	for s, want := range map[string]string{"#2e6f62": "#2e6f62", " #ABC ": "#aabbcc"} {
		c, err := Parse(s)
		require.NoError(t, err)
		require.Equal(t, want, c.String())
	}
	for _, bad := range []string{"", "red", "#12", "#12345g", "2e6f62", "#1234567", "url(x)"} {
		_, err := Parse(bad)
		require.Error(t, err, bad)
	}
}
