package script

import (
	"crypto/sha256"
	"encoding/json"
	"sync"

	"omphalos/app/page"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// drawingCache remembers the questions that were drawn last: after an edit nearly all of a long script is as it was.
type drawingCache struct {
	mu     sync.Mutex
	blocks map[[sha256.Size]byte]workbench.Block
}

// maxDrawn bounds how many questions are remembered, some 20 kB each.
const maxDrawn = 2000

func (d *drawingCache) find(key [sha256.Size]byte) (workbench.Block, bool) {
	d.mu.Lock()
	defer d.mu.Unlock()
	b, ok := d.blocks[key]
	return b, ok
}

func (d *drawingCache) put(key [sha256.Size]byte, b workbench.Block) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.blocks == nil || len(d.blocks) >= maxDrawn {
		d.blocks = map[[sha256.Size]byte]workbench.Block{}
	}
	d.blocks[key] = b
}

func blocks(view any) []workbench.Block { return view.(*sheet).Blocks }

func block(key, name string, data any) workbench.Block {
	return workbench.NewBlock(key, page.Execute(templates, name, data))
}

// draw puts the pieces of the script in reading order; lines are those of the questions.
func (s *sheet) draw(lines []workbench.Block) {
	before, after := []string{"widths", "heads", "opening"}, []string{"adds", "contactstep", "formulas", "wholequiz"}
	switch {
	case s.Compact:
		before, after = before[:2], nil
	case s.Bare: // an empty quiz begins with words: the rest comes with the first question
		before, after = before[:1], after[:1]
	}
	for _, name := range before {
		s.Blocks = append(s.Blocks, block(name, name, s))
	}
	s.Blocks = append(s.Blocks, lines...)
	for _, name := range after {
		s.Blocks = append(s.Blocks, block(name, name, s))
	}
}

// question draws a question, unless it was drawn before as it is. What its lines are made of is the question itself,
// its place, the columns, and what the rest of the document says about it: where branches lead, which id is free, how
// deep a colour is.
func (h *Handler) question(s *sheet, d *quiz.Document, i int, top map[string]rule.Number, open bool) workbench.Block {
	q := &d.Questions[i]
	draw := func() workbench.Block {
		v := s.question(d, i, top)
		if open {
			v.Settings = settingsOf(d, i)
		}
		return block("q:"+q.ID, "question", &v)
	}
	if open {
		return draw()
	}
	said := []any{
		q,
		i,
		i == len(d.Questions)-1,
		s.Compact,
		s.Fresh,
		top,
		branchesOf(d, q),
		visibleOf(d, q),
		d.At("questions", i),
	}
	for n := range s.Columns {
		said = append(said, s.Columns[n].ID, s.Columns[n].Group)
	}
	for n := range q.Branches {
		said = append(said, workbench.TargetName(d, q.Branches[n].Go))
	}
	text, err := json.Marshal(said)
	if err != nil {
		return draw()
	}
	key := sha256.Sum256(text)
	if b, ok := h.drawn.find(key); ok {
		return b
	}
	b := draw()
	h.drawn.put(key, b)
	return b
}
