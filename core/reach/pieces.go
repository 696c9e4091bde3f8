package reach

// pieces shares many small lists of zeros from a few large ones, since making each by itself takes longer than
// filling it.
type pieces[T any] struct {
	room []T
	last int // how large the last one was
}

// A list is as large as two of the one before, within these bounds.
const (
	firstPieces = 32
	mostPieces  = 512
)

// roomOf is pieces of which the first n are made at once.
func roomOf[T any](n int) *pieces[T] { return &pieces[T]{room: make([]T, n)} }

// take shares a list of n. What is appended to it goes elsewhere.
func (p *pieces[T]) take(n int) []T {
	if n > len(p.room) {
		p.last = max(n, min(max(2*p.last, firstPieces), mostPieces))
		p.room = make([]T, p.last)
	}
	piece := p.room[:n:n]
	p.room = p.room[n:]
	return piece
}
