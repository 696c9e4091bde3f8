package media

import (
	"bytes"
	"context"
	"encoding/binary"
	"image/jpeg"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// progressive is a grey progressive JPEG (ITU-T T.81, annex G) of one scan of DC coefficients and some of AC ones. Each
// of those says in runs of 16,384 blocks that nothing follows, so that it takes few bytes, and a look at every block.
func progressive(width, height, scans int) []byte {
	segment := func(b []byte, marker byte, body ...byte) []byte {
		b = append(b, 0xff, marker)
		return append(binary.BigEndian.AppendUint16(b, uint16(len(body)+2)), body...)
	}
	b := []byte{0xff, 0xd8}
	b = segment(b, 0xdb, append([]byte{0}, bytes.Repeat([]byte{1}, 64)...)...) // DQT
	b = segment(b, 0xc2, 8, byte(height>>8), byte(height), byte(width>>8), byte(width), 1, 1, 0x11, 0)
	table := func(class, symbol byte) []byte { // one code of one bit
		return append(append([]byte{class << 4, 1}, make([]byte, 15)...), symbol)
	}
	b = segment(b, 0xc4, append(table(0, 0), table(1, 0xe0)...)...) // DHT
	blocks := ((width + 7) / 8) * ((height + 7) / 8)
	b = segment(b, 0xda, 1, 1, 0, 0, 0, 0)
	b = append(b, make([]byte, (blocks+7)/8)...)
	runs := bits{}
	for range (blocks + 1<<14 - 1) / (1 << 14) {
		runs.add(0, 15) // the code, and fourteen bits of a run's length
	}
	for range scans - 1 {
		b = append(segment(b, 0xda, 1, 1, 0, 1, 63, 0), runs.data...)
	}
	return append(b, 0xff, 0xd9)
}

type bits struct {
	data []byte
	n    int
}

func (b *bits) add(value, n int) {
	for ; n > 0; n-- {
		if b.n%8 == 0 {
			b.data = append(b.data, 0)
		}
		b.data[b.n/8] |= byte(value>>(n-1)&1) << (7 - b.n%8)
		b.n++
	}
}

// A few bytes more are a look at every block more: scans are counted before anything is decoded.
func TestScansAreCountedBeforeDecoding(t *testing.T) {
	for name, c := range map[string]struct {
		width, height, scans int
		fine                 bool
	}{
		"a photograph of ten scans":        {4000, 3000, 10, true},
		"a large photograph of ten scans":  {5472, 3648, 10, true},
		"a small picture of fifty":         {640, 480, 50, true},
		"a small picture of a thousand":    {64, 64, 1000, false},
		"a large photograph of a thousand": {5472, 3648, 1000, false},
		"a large photograph of forty":      {5472, 3648, 40, false},
	} {
		data := progressive(c.width, c.height, c.scans)
		require.Equal(t, c.scans, scansOf(data), name)
		_, err := jpeg.DecodeConfig(bytes.NewReader(data))
		require.NoError(t, err, name)
		_, _, err = Encode(t.Context(), data)
		if c.fine {
			require.NoError(t, err, name)
		} else {
			require.ErrorContains(t, err, "drawn", name)
		}
	}
}

// Scans in a thumbnail (Exif), and in a second picture behind the first, are none of the picture's own.
func TestScansOfThumbnailsAreNotCounted(t *testing.T) {
	inner := progressive(16, 16, 3)
	outer := progressive(64, 64, 2)
	app := append([]byte{0xff, 0xe1, byte((len(inner) + 2) >> 8), byte(len(inner) + 2)}, inner...)
	whole := append(append(append([]byte{}, outer[:2]...), app...), outer[2:]...)
	require.Equal(t, 2, scansOf(append(whole, inner...)))
}

// Anyone who leaves, or has waited too long, leaves no work behind.
func TestDecodingEndsWithItsReader(t *testing.T) {
	data := progressive(5472, 3648, 400)
	ctx, cancel := context.WithTimeout(t.Context(), 300*time.Millisecond)
	defer cancel()
	_, err := decode(ctx, data, "jpeg")
	require.ErrorIs(t, err, context.DeadlineExceeded)
}
