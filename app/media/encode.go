package media

import (
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"image"
	"image/color"
	_ "image/gif" // decoders register themselves
	"image/jpeg"
	"image/png"

	"golang.org/x/image/draw"
	_ "golang.org/x/image/webp"

	"omphalos/app/store"
)

// Limits of an upload.
const (
	MaxBytes  = 12 << 20
	maxPixels = 48_000_000
)

// Widths are the sizes in pixels that a picture is kept in, as far as it is as wide.
var Widths = []int{320, 640, 1280}

// Encode reads a picture of any known type and makes it anew in every size: whatever else its file held (places, names,
// thumbnails, text) is gone. The orientation that a camera noted is applied. The type is told from the content.
func Encode(data []byte) (*store.Picture, []store.PictureSize, error) {
	if len(data) > MaxBytes {
		return nil, nil, fmt.Errorf("the file has more than %d MB: make it smaller first", MaxBytes>>20)
	}
	config, kind, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return nil, nil, errors.New("the file is not a picture that can be used: choose a JPEG, PNG, GIF or WebP")
	}
	if config.Width < 1 || config.Height < 1 || config.Width*config.Height > maxPixels {
		return nil, nil, fmt.Errorf(
			"the picture has %d × %d pixels: make it smaller first",
			config.Width,
			config.Height,
		)
	}
	source, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, nil, fmt.Errorf("the picture breaks off or is damaged: %w", err)
	}
	if kind == "jpeg" {
		source = turn(source, orientation(data))
	}
	sum := sha256.Sum256(data)
	p := &store.Picture{ID: hex.EncodeToString(sum[:10]), Width: source.Bounds().Dx(), Height: source.Bounds().Dy()}
	var sizes []store.PictureSize
	for i := len(Widths) - 1; i >= 0; i-- {
		if Widths[i] > p.Width && i > 0 {
			continue
		}
		width := min(Widths[i], p.Width)
		source = scale(source, width)
		encoded, kind, err := encode(source)
		if err != nil {
			return nil, nil, err
		}
		sizes = append(sizes, store.PictureSize{PictureID: p.ID, Width: width, Type: kind, Data: encoded})
	}
	return p, sizes, nil
}

func scale(source image.Image, width int) image.Image {
	b := source.Bounds()
	height := max(1, b.Dy()*width/b.Dx())
	out := image.NewNRGBA(image.Rect(0, 0, width, height))
	if b.Dx() == width {
		draw.Draw(out, out.Bounds(), source, b.Min, draw.Src)
		return out
	}
	draw.BiLinear.Scale(out, out.Bounds(), source, b, draw.Src, nil)
	return out
}

// encode writes what lets light through as PNG, all else as JPEG.
func encode(m image.Image) ([]byte, string, error) {
	var b bytes.Buffer
	if n, ok := m.(*image.NRGBA); ok && !n.Opaque() {
		err := png.Encode(&b, m)
		return b.Bytes(), "image/png", err
	}
	err := jpeg.Encode(&b, m, &jpeg.Options{Quality: 82})
	return b.Bytes(), "image/jpeg", err
}

// orientation reads the tag 0x0112 of a JPEG's Exif block (CIPA DC-008, 4.6.4): 1 to 8; 1 when there is none.
func orientation(data []byte) int {
	for at := 2; at+4 <= len(data) && data[at] == 0xff; {
		marker, size := data[at+1], int(binary.BigEndian.Uint16(data[at+2:]))
		if marker == 0xda || at+2+size > len(data) {
			break
		}
		block := data[at+4 : at+2+size]
		if marker == 0xe1 && len(block) > 14 && string(block[:6]) == "Exif\x00\x00" {
			return tiffOrientation(block[6:])
		}
		at += 2 + size
	}
	return 1
}

func tiffOrientation(t []byte) int {
	var order binary.ByteOrder = binary.LittleEndian
	if string(t[:2]) == "MM" {
		order = binary.BigEndian
	}
	dir := int(order.Uint32(t[4:]))
	if dir+2 > len(t) || dir < 8 {
		return 1
	}
	for i := range int(order.Uint16(t[dir:])) {
		at := dir + 2 + 12*i
		if at+12 > len(t) {
			break
		}
		if order.Uint16(t[at:]) == 0x0112 {
			if o := int(order.Uint16(t[at+8:])); o >= 1 && o <= 8 {
				return o
			}
		}
	}
	return 1
}

// turned shows a picture as its orientation tag says, without copying it.
type turned struct {
	image.Image
	how int
}

func turn(m image.Image, how int) image.Image {
	if how == 1 {
		return m
	}
	return turned{m, how}
}

func (t turned) Bounds() image.Rectangle {
	b := t.Image.Bounds()
	if t.how >= 5 {
		return image.Rect(0, 0, b.Dy(), b.Dx())
	}
	return image.Rect(0, 0, b.Dx(), b.Dy())
}

// At finds the pixel that stands at x, y when the picture is seen upright.
func (t turned) At(x, y int) color.Color {
	b := t.Image.Bounds()
	w, h := b.Dx(), b.Dy()
	u, v := x, y
	switch t.how {
	case 2:
		u = w - 1 - x
	case 3:
		u, v = w-1-x, h-1-y
	case 4:
		v = h - 1 - y
	case 5:
		u, v = y, x
	case 6:
		u, v = y, h-1-x
	case 7:
		u, v = w-1-y, h-1-x
	case 8:
		u, v = w-1-y, x
	}
	return t.Image.At(b.Min.X+u, b.Min.Y+v)
}
