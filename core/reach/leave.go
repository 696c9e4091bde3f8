package reach

import (
	"context"
	"time"

	"omphalos/core/walk"
)

// moved writes, for each question, the share of all respondents who would end elsewhere if it gave no points and no
// votes.
func (k *checker) moved() error {
	if k.counted != nil && k.odds != nil {
		shares, err := k.c.leftOut(k.within, k.counted, k.final, k.odds, spend{k.o.Budget, k.o.Memory - k.c.bytes})
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

// leftOut is counted once for a pass.
func (c *Counter) leftOut(ctx context.Context, of *counted, f *final, o *odds, most spend) ([]float64, error) {
	if c.left != nil {
		return c.left, nil
	}
	s, err := newShadows(ctx, of, o, most)
	if err != nil {
		return nil, err
	}
	type start struct {
		q     int
		pair  arrow
		share float64
	}
	n := of.p.m.n()
	starts := make([]start, 0, of.work)
	for t := range n {
		s.leave(t, func(pair arrow, share float64) { starts = append(starts, start{t, pair, share}) })
		s.follow(t)
		if err := s.over(ctx); err != nil {
			return nil, err
		}
	}
	if err := s.chances(ctx, f); err != nil {
		return nil, err
	}
	c.left = make([]float64, n)
	for _, from := range starts {
		c.left[from.q] += from.share * s.apart[from.pair.layer][from.pair.to]
	}
	return c.left, nil
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
