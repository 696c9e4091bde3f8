package reach

import (
	"context"
	"time"

	"omphalos/core/walk"
)

// leaveOutShares writes, for each question, the share of all respondents who would end elsewhere if it gave no points
// and no votes.
func (k *checker) leaveOutShares() error {
	if k.counted != nil {
		shares, err := k.leftOut()
		switch {
		case err == nil:
			for q, share := range shares {
				k.r.Questions[q].Moved = share
			}
			return nil
		case k.ctx.Err() != nil:
			return k.ctx.Err()
		case !beyond(err) && k.within.Err() == nil:
			return err
		}
	}
	return k.simulateMoved()
}

// leftOut counts what moved writes, once for a document: in a plain pass by shifts, and in another one by shadows.
func (k *checker) leftOut() ([]float64, error) {
	if k.c.left != nil {
		return k.c.left, nil
	}
	p, err := newPass(k.within, k.m, purpose{lines: true, shifted: true})
	if err == nil && p.wired == nil {
		p, err = newPass(k.within, k.m, purpose{lines: true, wide: true})
	}
	if err != nil {
		return nil, err
	}
	most := spend{k.o.Budget, k.o.Memory - k.c.bytes}
	c, err := p.run(k.within, most, false)
	if err != nil {
		return nil, err
	}
	most.bytes -= c.bytes
	if p.wired != nil {
		k.c.left, err = newShifts(c).leftOut(k.within, c.finish(), most)
	} else {
		k.c.left, err = c.leftOut(k.within, c.finish(), most)
	}
	return k.c.left, err
}

// leftOut follows the shadows of a pass.
func (c *counted) leftOut(ctx context.Context, f *final, most spend) ([]float64, error) {
	_, odds, err := c.influence(ctx, f)
	if err != nil {
		return nil, err
	}
	s, err := newShadows(ctx, c, odds, most)
	if err != nil {
		return nil, err
	}
	type start struct {
		q     int
		pair  arrow
		share float64
	}
	n := c.p.m.n()
	starts := make([]start, 0, c.work)
	for t := range n {
		s.leave(t, func(pair arrow, share float64) { starts = append(starts, start{t, pair, share}) })
		s.follow(t)
		if err := s.tooMuch(ctx); err != nil {
			return nil, err
		}
	}
	if err := s.chances(ctx, f); err != nil {
		return nil, err
	}
	left := make([]float64, n)
	for _, from := range starts {
		left[from.q] += from.share * s.apart[from.pair.layer][from.pair.to]
	}
	return left, nil
}

// movedSamples is how many simulated respondents are walked once more without each question, as long as movingTime
// is enough for that.
const (
	movedSamples = 400
	movingTime   = time.Second
)

// simulateMoved draws respondents and walks each of them once more without each question.
func (k *checker) simulateMoved() error {
	k.r.Exact = false
	enough, stop := context.WithTimeout(k.ctx, movingTime)
	defer stop()
	moved, n := make([]int, k.m.n()), 0
	draw := newSampler(k.m)
	in := walk.Input{Answers: map[string]walk.Answer{}, Params: map[string]string{}}
	for ; n < movedSamples && (n == 0 || enough.Err() == nil); n++ {
		draw.next(&in)
		r := k.m.c.Walk(in)
		for _, id := range r.Path {
			if enough.Err() != nil {
				break
			}
			if k.m.c.WithoutFrom(in, r, id).Outcome != r.Outcome {
				moved[k.m.c.Position(id)]++
			}
		}
	}
	for q := range moved {
		between := Wilson(moved[q], n)
		k.r.Questions[q].Moved, k.r.Questions[q].MovedBetween = float64(moved[q])/float64(n), &between
	}
	return k.ctx.Err()
}
