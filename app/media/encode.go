package media

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"image"
	"image/color"
	_ "image/gif" // decoders register themselves
	"image/jpeg"
	"image/png"
	"io"
	"time"

	"github.com/kovidgoyal/imaging"
	_ "golang.org/x/image/webp"

	"omphalos/app/store/documents"
)

// Limits of an upload. What decoding takes is known from the head of the file before anything is decoded.
const (
	MaxBytes   = 12 << 20
	maxSide    = 16_000 // pixels: nothing that is photographed is longer
	maxDecoded = 400 << 20

	maxScans     = 100         // of a JPEG: encoders make 1, 3 or some 10
	maxScanned   = 500_000_000 // scans × pixels: a scan of a few bytes looks at every pixel
	decodingTime = 15 * time.Second
)

// errTooMany refuses a JPEG whose scans would take long.
var errTooMany = errors.New("the picture is drawn in too many steps: save it again as a plain JPEG")

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

// Encode reads a picture of any known type and makes it again in every size: whatever else its file held (places,
// names, thumbnails, text) no longer exists. The orientation that a camera noted is applied. The type is told from the
// content.
//
// It ends with an error of ctx when that is done, or when decoding takes longer than decodingTime.
func Encode(ctx context.Context, data []byte) (*documents.Picture, []documents.PictureSize, error) {
	if len(data) > MaxBytes {
		return nil, nil, fmt.Errorf("the file is larger than %d MB. Make it smaller and try again", MaxBytes>>20)
	}
	config, format, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return nil, nil, errors.New("this isn’t a supported picture. Choose a JPEG, PNG, GIF or WebP file")
	}
	if config.Width < 1 || config.Height < 1 || config.Width > maxSide || config.Height > maxSide ||
		decodedSize(config, format) > maxDecoded {
		return nil, nil, fmt.Errorf("the picture has %d × %d pixels. Make it smaller (25 megapixels at most)",
			config.Width, config.Height)
	}
	if format == "jpeg" {
		if n := scansOf(data); n > maxScans || n*config.Width*config.Height > maxScanned {
			return nil, nil, errTooMany
		}
	}
	ctx, cancel := context.WithTimeout(ctx, decodingTime)
	defer cancel()
	source, err := decode(ctx, data, format)
	switch {
	case errors.Is(err, context.DeadlineExceeded):
		return nil, nil, errors.New("the picture takes too long to read: save it again as a plain JPEG or PNG")
	case ctx.Err() != nil:
		return nil, nil, ctx.Err()
	case isAnimatedWebP(data):
		return nil, nil, errors.New("animated WebP pictures are not supported: export one frame as PNG, JPEG or WebP")
	case err != nil:
		return nil, nil, errors.New("the picture is incomplete or damaged. Export it again, or choose another one")
	}
	sum := sha256.Sum256(data)
	p := &documents.Picture{ID: hex.EncodeToString(sum[:10]), Width: source.Bounds().Dx(), Height: source.Bounds().Dy()}
	var sizes []documents.PictureSize
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
		sizes = append(sizes, documents.PictureSize{PictureID: p.ID, Width: width, Type: kind, Data: encoded})
	}
	return p, sizes, nil
}

// decode reads a picture; a photograph upright, as the camera noted it (Exif). Of pictures that move only the first one
// is read. A file that is made to break a decoder is damaged, and no more.
//
// Decoders read on in every pass over the pixels, so that one whose reader fails when ctx is done ends soon after.
func decode(ctx context.Context, data []byte, format string) (m image.Image, err error) {
	defer func() {
		if fault := recover(); fault != nil {
			err = fmt.Errorf("the decoder failed: %v", fault)
		}
		if ctx.Err() != nil {
			err = ctx.Err()
		}
	}()
	in := &slowReader{ctx: ctx, data: data}
	if format != "jpeg" {
		m, _, err = image.Decode(in)
		return m, err
	}
	return imaging.Decode(in, imaging.AutoOrientation(true), imaging.Backends(imaging.GO_IMAGE))
}

// slowReader gives little at once, so that a decoder that has much to do with few bytes asks often.
type slowReader struct {
	ctx  context.Context
	data []byte
}

const readAtOnce = 256

func (r *slowReader) Read(p []byte) (int, error) {
	if err := r.ctx.Err(); err != nil {
		return 0, err
	}
	if len(r.data) == 0 {
		return 0, io.EOF
	}
	n := copy(p[:min(len(p), readAtOnce)], r.data)
	r.data = r.data[n:]
	return n, nil
}

// scansOf counts the scans of a JPEG up to its end of image: the segments SOS (ITU-T T.81, B.1.1).
func scansOf(data []byte) int {
	n := 0
	for at := 2; at+3 < len(data); {
		if data[at] != 0xff { // within a scan, or bytes that decoders skip
			at++
			continue
		}
		switch marker := data[at+1]; {
		case marker == 0xff: // filling
			at++
		case marker == 0xd9:
			return n
		case marker == 0, marker == 1, marker >= 0xd0 && marker <= 0xd8: // without a length
			at += 2
		default:
			if marker == 0xda {
				n++
			}
			at += 2 + int(data[at+2])<<8 + int(data[at+3])
		}
	}
	return n
}

// isAnimatedWebP reports whether a WebP file says that it holds frames: the bit of the VP8X chunk (RFC 9649, 2.7.1).
func isAnimatedWebP(data []byte) bool {
	return len(data) > 20 && string(data[:4]) == "RIFF" && string(data[8:16]) == "WEBPVP8X" && data[20]&2 != 0
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
