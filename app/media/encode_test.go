package media

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/color"
	"image/gif"
	"image/jpeg"
	"image/png"
	"runtime"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/corpus"
)

// photograph is a JPEG of 48 × 32 whose corner at 0, 0 is red, with an Exif block that notes an orientation.
func photograph(t testing.TB, orientation byte) []byte {
	t.Helper()
	m := image.NewNRGBA(image.Rect(0, 0, 48, 32))
	for y := range 32 {
		for x := range 48 {
			m.SetNRGBA(x, y, color.NRGBA{255, 255, 255, 255})
			if x < 16 && y < 16 {
				m.SetNRGBA(x, y, color.NRGBA{255, 0, 0, 255})
			}
		}
	}
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, m, &jpeg.Options{Quality: 100}))
	exif := append([]byte("Exif\x00\x00MM\x00\x2a\x00\x00\x00\x08\x00\x01\x01\x12\x00\x03\x00\x00\x00\x01\x00"), orientation, 0, 0, 0, 0, 0, 0)
	block := append([]byte{0xff, 0xe1, 0, byte(len(exif) + 2)}, exif...)
	return slices.Concat(b.Bytes()[:2], block, b.Bytes()[2:])
}

// The eight orientations of CIPA DC-008: in which corner the red one of a 48 × 32 picture stands when it is seen
// upright.
func TestPicturesAreTurnedUpright(t *testing.T) {
	for how, want := range map[byte][4]int{ // width, height, column and row of the corner
		1: {48, 32, 0, 0}, 2: {48, 32, 1, 0}, 3: {48, 32, 1, 1}, 4: {48, 32, 0, 1}, 5: {32, 48, 0, 0}, 6: {32, 48, 1, 0}, 7: {32, 48, 1, 1}, 8: {32, 48, 0, 1},
	} {
		p, sizes, err := Encode(t.Context(), photograph(t, how))
		require.NoError(t, err)
		require.Equal(t, [2]int{want[0], want[1]}, [2]int{p.Width, p.Height}, "orientation %d", how)
		m, _, err := image.Decode(bytes.NewReader(sizes[0].Data))
		require.NoError(t, err)
		r, g, _, _ := m.At(6+want[2]*(want[0]-12), 6+want[3]*(want[1]-12)).RGBA()
		require.Greater(t, r, uint32(0xe000), "orientation %d", how)
		require.Less(t, g, uint32(0x3000), "orientation %d", how)
	}
}

// Whatever a file holds, it is a picture or refused: a decoder that fails is no failure of ours.
func FuzzEncode(f *testing.F) {
	corpus.Add(f)
	whole := photograph(f, 6)
	for _, n := range []int{len(whole), 4, 13, 20, 30, 40, len(whole) / 2} {
		f.Add(whole[:n])
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		p, sizes, err := Encode(t.Context(), data)
		if err == nil {
			require.NotEmpty(t, sizes)
			require.Positive(t, p.Width)
		}
	})
}

// pngHead is the beginning of a PNG file: its size, bits and kind of colour (PNG, 11.2.2).
func pngHead(width, height uint32, bits, kind byte) []byte {
	chunk := []byte("IHDR")
	chunk = binary.BigEndian.AppendUint32(chunk, width)
	chunk = binary.BigEndian.AppendUint32(chunk, height)
	chunk = append(chunk, bits, kind, 0, 0, 0)
	out := binary.BigEndian.AppendUint32([]byte("\x89PNG\r\n\x1a\n"), uint32(len(chunk)-4))
	return binary.BigEndian.AppendUint32(append(out, chunk...), crc32.ChecksumIEEE(chunk))
}

// The head alone tells that a picture is too large: nothing of it is decoded.
func TestTooMuchIsRefused(t *testing.T) {
	_, _, err := Encode(t.Context(), make([]byte, MaxBytes+1))
	require.ErrorContains(t, err, "MB")
	for name, head := range map[string][]byte{
		"one long line":       pngHead(47_000_000, 1, 8, 2),
		"one high column":     pngHead(1, 16_001, 8, 2),
		"both sides":          pngHead(100_000, 100_000, 8, 6),
		"sixteen bits":        pngHead(7_400, 7_400, 16, 6),
		"a product that laps": pngHead(1<<31, 1<<31, 8, 6),
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		_, _, err = Encode(t.Context(), head)
		runtime.ReadMemStats(&after)
		require.Error(t, err, name)
		require.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(1<<20), name)
	}
	_, _, err = Encode(t.Context(), pngHead(5_000, 4_000, 8, 6))
	require.ErrorContains(t, err, "the picture is incomplete or damaged. Export it again, or choose another one", "a photograph's size is none that is refused")
}

// Wherever a photograph breaks off, it is refused.
func TestACutPhotographIsRefused(t *testing.T) {
	whole := photograph(t, 6)
	for n := range 200 {
		_, _, err := Encode(t.Context(), whole[:n])
		require.Error(t, err, "cut after %d bytes", n)
	}
}

// Twenty megapixels are what cameras make. What lets light through stays so.
func TestLargePicturesWork(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, image.NewYCbCr(image.Rect(0, 0, 5472, 3648), image.YCbCrSubsampleRatio420), nil))
	p, sizes, err := Encode(t.Context(), b.Bytes())
	require.NoError(t, err)
	require.Equal(t, [2]int{5472, 3648}, [2]int{p.Width, p.Height})
	require.Len(t, sizes, len(Widths))
	require.Equal(t, "image/jpeg", sizes[0].Type)
	clear := image.NewNRGBA(image.Rect(0, 0, 400, 300))
	clear.SetNRGBA(200, 150, color.NRGBA{255, 0, 0, 128})
	b.Reset()
	require.NoError(t, png.Encode(&b, clear))
	_, sizes, err = Encode(t.Context(), b.Bytes())
	require.NoError(t, err)
	require.Equal(t, "image/png", sizes[0].Type)
}

// A picture that moves is kept as its first one: a thousand more cost nothing.
func TestOnlyTheFirstOfMovingPicturesIsRead(t *testing.T) {
	still := image.NewPaletted(image.Rect(0, 0, 2000, 2000), color.Palette{color.White, color.Black})
	moving := &gif.GIF{}
	for range 60 {
		moving.Image, moving.Delay = append(moving.Image, still), append(moving.Delay, 1)
	}
	var b bytes.Buffer
	require.NoError(t, gif.EncodeAll(&b, moving))
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	_, sizes, err := Encode(t.Context(), b.Bytes())
	runtime.ReadMemStats(&after)
	require.NoError(t, err)
	require.NotEmpty(t, sizes)
	require.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(100<<20))
}

func TestSourcesAreOnlyOfUploadedPictures(t *testing.T) {
	require.Equal(t, "/media/x?w=320 320w, /media/x?w=640 640w, /media/x?w=1280 1280w", Sources("/media/x"))
	require.Empty(t, Sources("/samples/x.svg"))
}

// A WebP of frames says so (RFC 9649, 2.7): an ANIM chunk and frames in ANMF chunks behind a head whose bit says
// animation.
func TestAnAnimatedWebPIsNamed(t *testing.T) {
	chunk := func(name string, body []byte) []byte {
		out := binary.LittleEndian.AppendUint32([]byte(name), uint32(len(body)))
		return append(out, body...)
	}
	head := []byte{0x02, 0, 0, 0, 63, 0, 0, 63, 0, 0} // flags, width − 1, height − 1
	body := slices.Concat([]byte("WEBP"), chunk("VP8X", head), chunk("ANIM", make([]byte, 6)), chunk("ANMF", make([]byte, 40)))
	_, _, err := Encode(t.Context(), chunk("RIFF", body))
	require.ErrorContains(t, err, "animated WebP")
}
