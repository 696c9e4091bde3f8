package launch

import (
	"bytes"
	"encoding/xml"
	"image"
	"image/color"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

const address = "https://quiz.larkmoor.example/q/living-wall?utm_medium=email&utm_source=spring-newsletter"

// readBack reads a picture of a code with zbarimg, a reference program of Debian's (package zbar-tools).
func readBack(t *testing.T, data []byte) string {
	t.Helper()
	if _, err := exec.LookPath("zbarimg"); err != nil {
		t.Fatal("zbarimg is missing: run make test, which installs it")
	}
	file := filepath.Join(t.TempDir(), "code.png")
	require.NoError(t, os.WriteFile(file, data, 0o600))
	out, err := exec.Command("zbarimg", "--quiet", "--raw", file).Output()
	require.NoError(t, err)
	return strings.TrimSpace(string(out))
}

// Codes are read back at the least size that is common on screens and at print size, at every level, with words below
// and without.
func TestCodesAreReadBack(t *testing.T) {
	for _, l := range levels {
		for _, words := range []string{"", "Is your office ready?"} {
			q, err := newCode(address, l.Key, words)
			require.NoError(t, err)
			for _, size := range []int{120, normalSize, 1200} {
				data, err := q.png(size)
				require.NoError(t, err)
				require.Equal(t, address, readBack(t, data), "%s %d", l.Key, size)
				img, err := png.DecodeConfig(bytes.NewReader(data))
				require.NoError(t, err)
				require.GreaterOrEqual(t, img.Width, size)
				require.Equal(t, words != "", img.Height > img.Width)
			}
			drawn := drawPath(t, q.svg(), q.across())
			require.Equal(t, address, readBack(t, drawn), "the SVG, %s", l.Key)
		}
	}
}

// The quiet zone stays empty, four modules wide on every side (ISO/IEC 18004, 9.1).
func TestTheQuietZoneIsKept(t *testing.T) {
	q, err := newCode(address, "M", "")
	require.NoError(t, err)
	for _, size := range []int{120, 333, 1200} {
		data, err := q.png(size)
		require.NoError(t, err)
		img, err := png.Decode(bytes.NewReader(data))
		require.NoError(t, err)
		b := img.Bounds()
		module := max(1, size/q.across())
		for y := b.Min.Y; y < b.Max.Y; y++ {
			for x := b.Min.X; x < b.Max.X; x++ {
				inside := x >= quietZone*module && y >= quietZone*module && x < b.Max.X-quietZone*module && y < b.Max.Y-quietZone*module
				if !inside {
					require.Equal(t, color.Gray{Y: 0xff}, img.At(x, y), "%d %d of %d", x, y, size)
				}
			}
		}
	}
}

var run = regexp.MustCompile(`M(\d+) (\d+)h(\d+)v1h-(\d+)z`)

// drawPath draws the modules of an SVG, ten pixels each.
func drawPath(t *testing.T, svg []byte, across int) []byte {
	t.Helper()
	require.NoError(t, xml.Unmarshal(svg, new(struct{})))
	const module = 10
	img := image.NewGray(image.Rect(0, 0, across*module, across*module))
	for i := range img.Pix {
		img.Pix[i] = 0xff
	}
	for _, m := range run.FindAllStringSubmatch(string(svg), -1) {
		x, _ := strconv.Atoi(m[1])
		y, _ := strconv.Atoi(m[2])
		wide, _ := strconv.Atoi(m[3])
		for dy := range module {
			for dx := range wide * module {
				img.SetGray(x*module+dx, y*module+dy, color.Gray{})
			}
		}
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, img))
	return b.Bytes()
}

func TestWordsBelowACodeAreText(t *testing.T) {
	q, err := newCode(address, "M", `A & B <script>`)
	require.NoError(t, err)
	require.Contains(t, string(q.svg()), "A &amp; B &lt;script&gt;")
	require.NoError(t, xml.Unmarshal(q.svg(), new(struct{})))
	_, err = newCode("https://w.example/"+strings.Repeat("x", 4000), "M", "")
	require.Error(t, err)
}

func TestTheLineOfTheKit(t *testing.T) {
	for name, c := range map[string]struct {
		mode   string
		values map[string]string
		want   string
	}{
		"on a page":      {"page", nil, `<script src="https://q.example/kit.js" data-quiz="wall" async></script>`},
		"over a page":    {"over", map[string]string{"over": "25", "phones": "yes"}, `<script src="https://q.example/kit.js" data-quiz="wall" data-over="25" data-phones="yes" async></script>`},
		"over, no time":  {"over", nil, `<script src="https://q.example/kit.js" data-quiz="wall" data-over="0" async></script>`},
		"along the edge": {"edge", map[string]string{"edge": "top", "words": `Green & "lush"`}, `<script src="https://q.example/kit.js" data-quiz="wall" data-edge="top" data-words="Green &amp; &quot;lush&quot;" async></script>`},
	} {
		require.Equal(t, c.want, kitLine("https://q.example", "wall", c.mode, c.values), name)
	}
}
