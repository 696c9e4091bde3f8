package respond

import (
	"bytes"
	"compress/flate"
	"encoding/binary"
	"fmt"
	"hash/crc32"
)

// ready is a page written ahead, cut where a respondent's own place, way back and progress belong, and compressed ahead too:
// each part stands as it is and as a piece of a DEFLATE stream (RFC 1951) that ends at a byte.
type ready []piece

type piece struct {
	plain []byte
	small []byte // compressed; nil for a slot
	slot  string
}

// The marks at which a page is cut. They stand in attributes only, and no document can hold them: they are random.
const (
	slotToken = "slotTokenJQ7XK2ZD"
	slotBack  = "slotBackJQ7XK2ZD"
	slotDone  = "40417317" // of a thousand; a number, as it stands in a number's place
)

// worthwhile is the size from which a part is compressed: below, a table of codes of its own costs more than it saves.
const worthwhile = 400

func cut(b []byte) ready {
	for _, slot := range []string{slotToken, slotBack, slotDone} {
		b = bytes.ReplaceAll(b, []byte(slot), []byte("\x00"+slot+"\x00"))
	}
	var out ready
	for part := range bytes.SplitSeq(b, []byte("\x00")) {
		switch s := string(part); s {
		case slotToken, slotBack, slotDone:
			out = append(out, piece{slot: s})
		default:
			p := piece{plain: part}
			if len(part) >= worthwhile {
				p.small = deflated(part)
			}
			out = append(out, p)
		}
	}
	return out
}

// deflated compresses a part by itself, up to a byte boundary, without ending the stream.
func deflated(part []byte) []byte {
	var b bytes.Buffer
	w, err := flate.NewWriter(&b, flate.BestCompression)
	if err != nil {
		panic(err) // the level is a constant
	}
	_, _ = w.Write(part) // a buffer takes everything
	_ = w.Flush()
	return b.Bytes()
}

func (p piece) text(token, back string, done int) []byte {
	switch p.slot {
	case slotToken:
		return []byte(token)
	case slotBack:
		return []byte(back)
	case slotDone:
		return fmt.Append(nil, done)
	}
	return p.plain
}

// fill puts a respondent's own into a page written ahead.
func (r ready) fill(token, back string, done int) []byte {
	var out []byte
	for _, p := range r {
		out = append(out, p.text(token, back, done)...)
	}
	return out
}

// gzip is fill as a gzip file (RFC 1952): the parts that were compressed ahead, with a respondent's own stored between them.
func (r ready) gzip(token, back string, done int) []byte {
	out := []byte{0x1f, 0x8b, 8, 0, 0, 0, 0, 0, 0, 255}
	sum, size := uint32(0), uint32(0)
	for _, p := range r {
		text := p.text(token, back, done)
		sum = crc32.Update(sum, crc32.IEEETable, text)
		size += uint32(len(text))
		if p.small != nil {
			out = append(out, p.small...)
			continue
		}
		for len(text) > 0 { // stored blocks, of at most 65535 bytes
			n := min(len(text), 0xffff)
			out = append(out, 0, byte(n), byte(n>>8), byte(^n), byte(^n>>8))
			out, text = append(out, text[:n]...), text[n:]
		}
	}
	out = append(out, 1, 0, 0, 0xff, 0xff) // the last block, empty
	out = binary.LittleEndian.AppendUint32(out, sum)
	return binary.LittleEndian.AppendUint32(out, size)
}
