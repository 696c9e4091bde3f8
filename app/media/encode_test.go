package media

import (
	"image"
	"image/color"
	"testing"

	"github.com/stretchr/testify/require"
)

// The eight orientations of CIPA DC-008: where the corner marked red of a 3 × 2 picture stands when it is seen upright.
func TestPicturesAreTurnedUpright(t *testing.T) {
	source := image.NewNRGBA(image.Rect(0, 0, 3, 2))
	red := color.NRGBA{255, 0, 0, 255}
	source.SetNRGBA(0, 0, red)
	for how, want := range map[int][4]int{ // width, height, x, y
		1: {3, 2, 0, 0}, 2: {3, 2, 2, 0}, 3: {3, 2, 2, 1}, 4: {3, 2, 0, 1}, 5: {2, 3, 0, 0}, 6: {2, 3, 1, 0}, 7: {2, 3, 1, 2}, 8: {2, 3, 0, 2},
	} {
		m := turn(source, how)
		require.Equal(t, image.Rect(0, 0, want[0], want[1]), m.Bounds(), "orientation %d", how)
		found := 0
		for y := range want[1] {
			for x := range want[0] {
				if r, _, _, _ := m.At(x, y).RGBA(); r > 0 {
					require.Equal(t, [2]int{want[2], want[3]}, [2]int{x, y}, "orientation %d", how)
					found++
				}
			}
		}
		require.Equal(t, 1, found)
	}
}

// Broken Exif blocks are no reason to fail: the picture stays as it is.
func FuzzOrientation(f *testing.F) {
	f.Add([]byte{0xff, 0xd8, 0xff, 0xe1, 0, 20, 'E', 'x', 'i', 'f', 0, 0, 'M', 'M', 0, 42, 0, 0, 0, 8, 0, 1, 1, 18})
	f.Fuzz(func(t *testing.T, data []byte) {
		o := orientation(data)
		require.GreaterOrEqual(t, o, 1)
		require.LessOrEqual(t, o, 8)
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
