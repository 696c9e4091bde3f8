package media

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"image"
	"image/color"
	_ "image/gif" // decoders register themselves
	"image/jpeg"
	"image/png"

	"github.com/kovidgoyal/imaging"
	_ "golang.org/x/image/webp"

	"omphalos/app/store"
)

// Limits of an upload. What decoding takes is known from the head of the file before anything is decoded.
const (
	MaxBytes   = 12 << 20
	maxSide    = 16_000 // pixels: nothing that is photographed is longer
	maxDecoded = 400 << 20
)

// decodedSize is how much memory a picture takes while it is decoded, in bytes, at most. A progressive JPEG is held as
// its coefficients too, four bytes for each of a pixel's three.
func decodedSize(config image.Config, format string) int {
	perPixel := 4
	switch config.ColorModel {
	case color.NRGBA64Model, color.RGBA64Model, color.Gray16Model, color.Alpha16Model:
		perPixel = 8
	}
	if format == "jpeg" {
		perPixel = 15
	}
	return config.Width * config.Height * perPixel
}

// Widths are the sizes in pixels that a picture is kept in, as far as it is as wide.
var Widths = []int{320, 640, 1280}

// Encode reads a picture of any known type and makes it anew in every size: whatever else its file held (places, names,
// thumbnails, text) is gone. The orientation that a camera noted is applied. The type is told from the content.
func Encode(data []byte) (*store.Picture, []store.PictureSize, error) {
	if len(data) > MaxBytes {
		return nil, nil, fmt.Errorf("the file has more than %d MB: make it smaller first", MaxBytes>>20)
	}
	config, format, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return nil, nil, errors.New("the file is not a picture that can be used: choose a JPEG, PNG, GIF or WebP")
	}
	if config.Width < 1 || config.Height < 1 || config.Width > maxSide || config.Height > maxSide ||
		decodedSize(config, format) > maxDecoded {
		return nil, nil, fmt.Errorf("the picture has %d × %d pixels: make it smaller first; 25 megapixels are enough",
			config.Width, config.Height)
	}
	source, err := decode(data, format)
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

// decode reads a picture; a photograph upright, as the camera noted it (Exif). Of pictures that move only the first one
// is read. A file that is made to break a decoder is damaged, and no more.
func decode(data []byte, format string) (m image.Image, err error) {
	defer func() {
		if fault := recover(); fault != nil {
			err = fmt.Errorf("the decoder failed: %v", fault)
		}
	}()
	if format != "jpeg" {
		m, _, err = image.Decode(bytes.NewReader(data))
		return m, err
	}
	return imaging.Decode(bytes.NewReader(data), imaging.AutoOrientation(true), imaging.Backends(imaging.GO_IMAGE))
}

func scale(source image.Image, width int) image.Image {
	b := source.Bounds()
	return imaging.Resize(source, width, max(1, b.Dy()*width/b.Dx()), imaging.Linear)
}

// encode writes what lets light through as PNG, all else as JPEG.
func encode(m image.Image) ([]byte, string, error) {
	var b bytes.Buffer
	if seen, ok := m.(interface{ Opaque() bool }); ok && !seen.Opaque() {
		err := png.Encode(&b, m)
		return b.Bytes(), "image/png", err
	}
	err := jpeg.Encode(&b, m, &jpeg.Options{Quality: 82})
	return b.Bytes(), "image/jpeg", err
}
