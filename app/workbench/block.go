package workbench

import (
	"crypto/sha256"
	"encoding/base64"
	"html/template"
	"strings"
)

// Block is a piece of a long sheet: one element, which a window keeps as it is while its stamp stays the same.
type Block struct {
	Key   string        `json:"key"`
	Stamp string        `json:"stamp"`
	HTML  template.HTML `json:"html,omitempty"` // left out of an answer when the window has it
}

// NewBlock makes a block of an element that carries an empty data-stamp.
func NewBlock(key string, html []byte) Block {
	sum := sha256.Sum256(html)
	stamp := base64.RawURLEncoding.EncodeToString(sum[:9])
	return Block{
		key,
		stamp,
		template.HTML(strings.Replace(string(html), `data-stamp=""`, `data-stamp="`+stamp+`"`, 1)),
	}
}

// missing leaves out of blocks what a window has already.
func missing(blocks []Block, have map[string]string) []Block {
	out := make([]Block, len(blocks))
	for i, b := range blocks {
		if out[i] = b; have[b.Key] == b.Stamp {
			out[i].HTML = ""
		}
	}
	return out
}
