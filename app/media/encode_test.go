package media

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
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

// The eight orientations of CIPA DC-008: in which corner the red one of a 48 × 32 picture stands when it is seen upright.
func TestPicturesAreTurnedUpright(t *testing.T) {
	for how, want := range map[byte][4]int{ // width, height, column and row of the corner
		1: {48, 32, 0, 0}, 2: {48, 32, 1, 0}, 3: {48, 32, 1, 1}, 4: {48, 32, 0, 1}, 5: {32, 48, 0, 0}, 6: {32, 48, 1, 0}, 7: {32, 48, 1, 1}, 8: {32, 48, 0, 1},
	} {
		p, sizes, err := Encode(photograph(t, how))
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
	whole := photograph(f, 6)
	for _, n := range []int{len(whole), 4, 13, 20, 30, 40, len(whole) / 2} {
		f.Add(whole[:n])
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		p, sizes, err := Encode(data)
		if err == nil {
			require.NotEmpty(t, sizes)
			require.Positive(t, p.Width)
		}
	})
}

func TestTooMuchIsRefused(t *testing.T) {
	_, _, err := Encode(make([]byte, MaxBytes+1))
	require.ErrorContains(t, err, "MB")
	// A PNG head that claims 100,000 × 100,000 pixels.
	head := []byte("\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR\x00\x01\x86\xa0\x00\x01\x86\xa0\x08\x06\x00\x00\x00")
	head = append(head, 0x1a, 0x38, 0xaa, 0x5c)
	_, _, err = Encode(head)
	require.Error(t, err)
}

func TestSourcesAreOnlyOfUploadedPictures(t *testing.T) {
	require.Equal(t, "/media/x?w=320 320w, /media/x?w=640 640w, /media/x?w=1280 1280w", Sources("/media/x"))
	require.Empty(t, Sources("/samples/x.svg"))
}
