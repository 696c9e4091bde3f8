package reach

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/verdict"
)

// Leveled is starts of keywords that come closest to wanted shares, and what they give.
type Leveled struct {
	Starts []rule.Number      // by keyword
	Shares map[string]float64 // by outcome, of those whom the line decides
	Off    float64            // the sum of the distances from what was wanted
	Exact  bool
}

// levelRounds bounds how often starts are counted.
const levelRounds = 120

// LevelStarts looks for starts of the keywords of a leader line (1-based) with which the shares of its outcomes,
// among those whom the line decides, come closest to the wanted ones. It goes from the starts as they are, a step of
// half the finest vote at a time and always the step that helps most; of steps that help as much the first keyword's
// is taken, and up before down.
func LevelStarts(
	ctx context.Context,
	d *quiz.Document,
	line int,
	wanted map[string]float64,
	o Options,
) (*Leveled, error) {
	if line < 1 || line > len(d.Verdicts) || d.Verdicts[line-1].Leader == nil || d.Verdicts[line-1].Off {
		return nil, fmt.Errorf("line %d doesn’t use keywords", line)
	}
	target, err := scaled(wanted)
	if err != nil {
		return nil, err
	}
	o.Only = true
	at := d.Clone()
	best, err := sharesOf(ctx, at, line, target, o)
	if err != nil {
		return nil, err
	}
	half := rule.Ratio(rule.Unscaled(1, d.Finest()), rule.Int(2))
	if places, ok := half.Places(); !ok || places > rule.MaxPlaces {
		half = rule.Unscaled(1, rule.MaxPlaces)
	}
	for rounds := 0; rounds < levelRounds && best.Off > levelEnough; {
		move, to := -1, rule.Number{}
		next := best
		for i := range at.Keywords {
			if _, listed := at.Verdicts[line-1].Leader.Outcomes[at.Keywords[i].ID]; !listed {
				continue
			}
			from := at.Keywords[i].Start
			for _, step := range []rule.Number{half, half.Neg()} {
				at.Keywords[i].Start = from.Add(step)
				got, err := sharesOf(ctx, at, line, target, o)
				if rounds++; err != nil {
					return nil, err
				}
				if got.Off < next.Off-sameOdds {
					next, move, to = got, i, at.Keywords[i].Start
				}
			}
			at.Keywords[i].Start = from
		}
		if move < 0 {
			break
		}
		at.Keywords[move].Start = to
		best = next
	}
	return best, nil
}

// levelEnough is the distance from what is wanted at which nothing better is looked for.
const levelEnough = 0.002

// scaled are wanted shares that sum to 1.
func scaled(wanted map[string]float64) (map[string]float64, error) {
	total := 0.0
	for _, w := range wanted {
		if w < 0 || math.IsNaN(w) || math.IsInf(w, 0) {
			return nil, errors.New("a target share can’t be negative")
		}
		total += w
	}
	if len(wanted) < 2 || total <= 0 {
		return nil, errors.New("set a target share for at least two outcomes")
	}
	out := map[string]float64{}
	for id, w := range wanted {
		out[id] = w / total
	}
	return out, nil
}

// sharesOf counts the outcomes of a line.
func sharesOf(ctx context.Context, d *quiz.Document, line int, target map[string]float64, o Options) (*Leveled, error) {
	r, err := Check(ctx, d, o)
	if err != nil {
		return nil, err
	}
	out := &Leveled{Shares: map[string]float64{}, Exact: r.Exact}
	total := 0.0
	for _, t := range r.Takes {
		if t.Line == line {
			out.Shares[t.Outcome] += t.Share
			total += t.Share
		}
	}
	if total == 0 {
		return nil, fmt.Errorf("line %d decides for no respondents", line)
	}
	for id := range out.Shares {
		out.Shares[id] /= total
	}
	for id, want := range target {
		out.Off += math.Abs(out.Shares[id] - want)
	}
	for i := range d.Keywords {
		out.Starts = append(out.Starts, d.Keywords[i].Start)
	}
	return out, nil
}

// LeveledCuts is cut points of a matrix that come closest to wanted shares, and what they give.
type LeveledCuts struct {
	Across, Down []rule.Number
	Shares       map[string]float64 // by outcome, of those who come to the matrix; "" is those who fall in no cell
	Off          float64
	Samples      int
}

// LevelCuts looks for cut points of a matrix (1-based line), as many as it has, with which the shares of its outcomes
// among those who come to it are closest to the wanted ones. A lowest one that lets everyone in stays; every other is
// taken to each value between its neighbours in turn, as long as one of them helps.
func LevelCuts(
	ctx context.Context,
	d *quiz.Document,
	line int,
	wanted map[string]float64,
	o Options,
) (*LeveledCuts, error) {
	target, err := scaled(wanted)
	if err != nil {
		return nil, err
	}
	x, err := Cross(ctx, d, line, o)
	if err != nil {
		return nil, err
	}
	if x.Came == 0 {
		return nil, fmt.Errorf("no respondents reach line %d", line)
	}
	m := d.Verdicts[line-1].Matrix
	best := &LeveledCuts{Across: slices.Clone(m.Across.Cuts), Down: slices.Clone(m.Down.Cuts), Samples: x.Samples}
	best.count(m, x, target)
	for better := true; better; {
		better = false
		for _, edge := range []struct {
			cuts   *[]rule.Number
			values []Point
		}{{&best.Across, x.Across}, {&best.Down, x.Down}} {
			for i := range *edge.cuts {
				if i == 0 && len(edge.values) > 0 && (*edge.cuts)[0].Cmp(edge.values[0].Value) <= 0 {
					continue // it lets everyone in, and stays
				}
				if ctx.Err() != nil {
					return nil, ctx.Err()
				}
				better = best.improve(m, x, target, *edge.cuts, i, edge.values) || better
			}
		}
	}
	return best, nil
}

// improve takes one cut point to the value that helps most.
func (l *LeveledCuts) improve(
	m *quiz.Matrix,
	x *Crossing,
	target map[string]float64,
	cuts []rule.Number,
	i int,
	values []Point,
) bool {
	from, off := cuts[i], l.Off
	to := from
	for _, v := range values {
		cut := PlainCut(values, v.Value)
		if i > 0 && cut.Cmp(cuts[i-1]) <= 0 || i+1 < len(cuts) && cut.Cmp(cuts[i+1]) >= 0 {
			continue
		}
		cuts[i] = cut
		if l.count(m, x, target); l.Off < off-sameOdds {
			to, off = cut, l.Off
		}
	}
	cuts[i] = to
	l.count(m, x, target)
	return to.Cmp(from) != 0
}

// count sums the shares up.
func (l *LeveledCuts) count(m *quiz.Matrix, x *Crossing, target map[string]float64) {
	l.Shares, l.Off = map[string]float64{}, 0
	for _, p := range x.Joint {
		a := verdict.OwningBand(l.Across, rule.NumValue(p.Across))
		d := verdict.OwningBand(l.Down, rule.NumValue(p.Down))
		l.Shares[m.Cell(d, a)] += p.Share / x.Came
	}
	for id, want := range target {
		l.Off += math.Abs(l.Shares[id] - want)
	}
}
