package media

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"image"
	_ "image/gif" // decoders register themselves
	"image/jpeg"
	"image/png"

	"github.com/kovidgoyal/imaging"
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
	config, _, err := image.DecodeConfig(bytes.NewReader(data))
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
	source, err := decode(data)
	if err != nil {
		return nil, nil, errors.New("the picture breaks off or is damaged: export it again, or choose another")
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

// decode reads a picture upright, as the camera noted it (Exif). A file that is made to break a decoder is damaged,
// and no more.
func decode(data []byte) (m image.Image, err error) {
	defer func() {
		if fault := recover(); fault != nil {
			err = fmt.Errorf("the decoder failed: %v", fault)
		}
	}()
	return imaging.Decode(bytes.NewReader(data), imaging.AutoOrientation(true), imaging.Backends(imaging.GO_IMAGE))
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
