package workbench

import (
	"crypto/sha256"
	"encoding/base64"
	"html/template"
	"strings"
	"sync"

	"omphalos/app/store"
	"omphalos/core/quiz"
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
	return Block{key, stamp, template.HTML(strings.Replace(string(html), `data-stamp=""`, `data-stamp="`+stamp+`"`, 1))}
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

// latest remembers the drafts that were read last: an edit, the count after it and the next edit are about the same one.
// Documents are never changed once they are read, so that all of them can share it.
type latest struct {
	mu   sync.Mutex
	read map[string]readDraft // by quiz
}

type readDraft struct {
	revision int
	doc      *quiz.Document
}

// maxLatest bounds how many drafts are remembered.
const maxLatest = 32

func (l *latest) document(q *store.Quiz) (*quiz.Document, error) {
	l.mu.Lock()
	known, ok := l.read[q.ID]
	l.mu.Unlock()
	if ok && known.revision == q.Revision {
		return known.doc, nil
	}
	doc, err := q.Read, error(nil)
	if doc == nil {
		if doc, err = quiz.ReadStored(q.Document); err != nil {
			return nil, err
		}
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.read == nil || len(l.read) >= maxLatest {
		l.read = map[string]readDraft{}
	}
	l.read[q.ID] = readDraft{q.Revision, doc}
	return doc, nil
}
