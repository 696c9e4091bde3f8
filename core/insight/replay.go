package insight

import "slices"

// Replayed is how many responses would end elsewhere in another document.
type Replayed struct {
	Rows     int    `json:"rows"` // that both documents take
	Moved    int    `json:"moved"`
	Moves    []Move `json:"moves"` // the most frequent first, then in the order in which they came
	Unusable []int  `json:"unusable,omitempty"`
}

// Move is one way in which responses moved.
type Move struct {
	From  string `json:"from"`
	To    string `json:"to"`
	Count int    `json:"count"`
	Rows  []int  `json:"rows"` // the first of them, from 1
}

// maxRows is how many rows of a move are named.
const maxRows = 20

// Replay gathers where responses end in two documents.
type Replay struct {
	out Replayed
	at  map[[2]string]int
}

// Add adds a row that ends at one outcome in the one document and at another, or the same, in the other.
func (r *Replay) Add(row int, from, to string) {
	r.out.Rows++
	if from == to {
		return
	}
	r.out.Moved++
	if r.at == nil {
		r.at = map[[2]string]int{}
	}
	k, known := r.at[[2]string{from, to}]
	if !known {
		k = len(r.out.Moves)
		r.at[[2]string{from, to}] = k
		r.out.Moves = append(r.out.Moves, Move{From: from, To: to})
	}
	m := &r.out.Moves[k]
	if m.Count++; len(m.Rows) < maxRows {
		m.Rows = append(m.Rows, row)
	}
}

// Unusable adds a row that one of the two documents cannot take.
func (r *Replay) Unusable(row int) { r.out.Unusable = append(r.out.Unusable, row) }

// Replayed is what came of the rows so far.
func (r *Replay) Replayed() *Replayed {
	out := r.out
	out.Moves = slices.Clone(r.out.Moves)
	if out.Moves == nil {
		out.Moves = []Move{}
	}
	slices.SortStableFunc(out.Moves, func(a, b Move) int { return b.Count - a.Count })
	return &out
}
