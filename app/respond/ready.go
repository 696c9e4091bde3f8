package respond

import (
	"bytes"
	"compress/flate"
	"crypto/rand"
	"encoding/binary"
	"hash/crc32"
	"strconv"
)

// ready is a page written ahead, cut where a respondent's own token and progress belong, and compressed ahead too:
// each part stands as it is and as a piece of a DEFLATE stream (RFC 1951) that ends at a byte.
type ready []piece

type piece struct {
	plain []byte
	small []byte // compressed; nil for a slot, and for what is too short
	slot  slot
}

// slot is what belongs between two parts.
type slot int

const (
	noSlot slot = iota
	slotToken
	slotDone
)

// marks are what a page is written with in the places of slots, and cut at. They are random for each page, so that no
// text of an owner can hold one.
type marks struct{ token, done string }

func newMarks() marks { return marks{token: rand.Text(), done: rand.Text()} }

// worthwhile is the size from which a part is compressed: below, a table of codes of its own costs more than it saves.
const worthwhile = 400

func (m marks) cut(b []byte) ready {
	var out ready
	for len(b) > 0 {
		at, length, s := len(b), 0, noSlot
		for text, kind := range map[string]slot{m.token: slotToken, m.done: slotDone} {
			if i := bytes.Index(b, []byte(text)); i >= 0 && i < at {
				at, length, s = i, len(text), kind
			}
		}
		p := piece{plain: b[:at]}
		if at >= worthwhile {
			p.small = deflated(p.plain)
		}
		out = append(out, p)
		if s != noSlot {
			out = append(out, piece{slot: s})
		}
		b = b[at+length:]
	}
	return out
}

// size is how many bytes the page takes in memory.
func (r ready) size() int {
	n := 0
	for _, p := range r {
		n += len(p.plain) + len(p.small)
	}
	return n
}

// packedSize is about how many bytes the page is when compressed.
func (r ready) packedSize() int {
	n := 0
	for _, p := range r {
		if n += len(p.small); p.small == nil {
			n += len(p.plain) + 5
		}
	}
	return n
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

func (p piece) text(token, done []byte) []byte {
	switch p.slot {
	case slotToken:
		return token
	case slotDone:
		return done
	}
	return p.plain
}

// fill puts a respondent's own into a page written ahead.
func (r ready) fill(token string, done int) []byte {
	own, progress := []byte(token), strconv.AppendInt(nil, int64(done), 10)
	out := make([]byte, 0, r.size())
	for _, p := range r {
		out = append(out, p.text(own, progress)...)
	}
	return out
}

// gzip is fill as a gzip file (RFC 1952): the parts that were compressed ahead, with a respondent's own stored
// between them.
func (r ready) gzip(token string, done int) []byte {
	own, progress := []byte(token), strconv.AppendInt(nil, int64(done), 10)
	out := make([]byte, 0, r.packedSize()+2*len(own)+64)
	out = append(out, 0x1f, 0x8b, 8, 0, 0, 0, 0, 0, 0, 255)
	sum, size := uint32(0), uint32(0)
	for _, p := range r {
		text := p.text(own, progress)
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
