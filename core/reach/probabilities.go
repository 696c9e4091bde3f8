package reach

import (
	"context"
	"math"
)

// decides is what a question decides.
type decides struct {
	bits    float64 // mutual information of answer and outcome, given that it is asked
	of      float64 // entropy of the outcome, given that it is asked
	matters bool    // some answer changes the odds of some outcome for someone
}

// probabilities are the probabilities of the outcomes from each state on. The last outcome is not among them: it has
// the rest.
type probabilities struct {
	outs  int
	list  [][][]float64 // by layer, outcome and state; before the first layer those of being at an outcome
	ahead []float64     // of one outcome, by position of a straight layer: room to work in
	joint []float64     // of the effects of a question with the outcomes: the same
}

// atLayer are the odds at a layer, by outcome and state; those behind a branch to an outcome at layer -1.
func (o *probabilities) atLayer(layer int) [][]float64 { return o.list[layer+1] }

// newOdds makes room for the odds, in one piece.
func (c *counted) newOdds() *probabilities {
	outs, states := len(c.outcome)-1, len(c.outcome)
	for t := range c.tables {
		states += c.tables[t].size()
	}
	room, lists := make([]float64, states*outs), make([][]float64, outs*(len(c.tables)+1))
	o := &probabilities{outs: outs, list: make([][][]float64, 0, len(c.tables)+1)}
	add := func(states int) {
		for k := range outs {
			lists[k], room = room[:states:states], room[states:]
		}
		o.list, lists = append(o.list, lists[:outs:outs]), lists[outs:]
	}
	add(len(c.outcome))
	for k, list := range o.atLayer(-1) {
		list[k] = 1
	}
	for t := range c.tables {
		add(c.tables[t].size())
	}
	return o
}

// settled is the outcome that a state is settled on, whatever is answered from there; -1 where it is open.
func (o *probabilities) settled(t, s int) int {
	sum := 0.0
	for k, list := range o.atLayer(t) {
		if list[s] >= 1-sameOdds {
			return k
		}
		sum += list[s]
	}
	if sum <= sameOdds {
		return o.outs
	}
	return -1
}

// differ reports whether two states or outcomes have different odds.
func (o *probabilities) differ(a, b arrow) bool {
	there := o.atLayer(int(b.layer))
	for k, list := range o.atLayer(int(a.layer)) {
		if math.Abs(list[a.to]-there[k][b.to]) > sameOdds {
			return true
		}
	}
	return false
}

// influence goes backwards over the kept layers: from the odds of each outcome at every state, what each question
// decides. It ends with the context's error.
func (c *counted) influence(ctx context.Context, f *final) ([]decides, *probabilities, error) {
	n, o := c.p.m.n(), c.newOdds()
	for s, v := range f.verdicts {
		if v.outcome < o.outs {
			o.atLayer(n)[v.outcome][s] = 1
		}
	}
	out := make([]decides, n)
	for t := n - 1; t >= 0; t-- {
		if ctx.Err() != nil {
			return nil, nil, ctx.Err()
		}
		joint := c.weigh(t, o)
		out[t].matters = c.matters(t, o)
		asked := 0.0
		for _, p := range c.tables[t].p {
			asked += p
		}
		if asked > 0 {
			out[t].bits, out[t].of = c.information(t, joint, asked)
		}
	}
	return out, o, nil
}

// weigh fills in the odds at layer t, and returns the joint distribution of its effects with the outcomes, without the
// last of them, until it is called again. One outcome is taken after the other, so that its sum stays at hand.
func (c *counted) weigh(t int, o *probabilities) []float64 {
	effects, on := c.p.effects[t], &c.straight[t]
	o.joint = zeroed(o.joint, len(effects)*(o.outs+1))
	for k := range o.outs {
		if on.is {
			o.ahead = on.spread(o.ahead, o.atLayer(t + 1)[k])
		}
		for e := range effects {
			sum := 0.0
			if on.is {
				sum = c.weighStraight(t, e, k, o)
			} else {
				sum = c.weighWays(t, e, k, o)
			}
			o.joint[e*(o.outs+1)+k] = effects[e].p * sum
		}
	}
	return o.joint
}

// weighWays adds the odds of an outcome behind an effect to those of the states of layer t, and returns their sum over
// all who are there.
func (c *counted) weighWays(t, effect, outcome int, o *probabilities) (sum float64) {
	share, probs, here := c.p.effects[t][effect].p, c.tables[t].p, o.atLayer(t)[outcome]
	layer, behind := int32(t), here
	for s, way := range c.arrowsOf(t, effect) {
		if way.layer != layer { // most of them lead to the same one
			layer, behind = way.layer, o.atLayer(int(way.layer))[outcome]
		}
		v := behind[way.to]
		here[s] += share * v
		sum += probs[s] * v
	}
	return sum
}

// weighStraight is weighWays for a straight layer.
func (c *counted) weighStraight(t, effect, outcome int, o *probabilities) (sum float64) {
	share, keys, on, ahead := c.p.effects[t][effect].p, c.tables[t].keys, &c.straight[t], o.ahead
	probs, here, gives := c.tables[t].p[:len(keys)], o.atLayer(t)[outcome][:len(keys)], on.gives[effect]
	for s, k := range keys {
		v := ahead[on.position(k, gives)]
		here[s] += share * v
		sum += probs[s] * v
	}
	return sum
}

// roundingShare is what the rest of a sum may be that is nothing but rounding.
const roundingShare = 1e-15

// sameOdds is how close two odds are that differ by rounding alone.
const sameOdds = 1e-12

// matters reports whether some answer to question t changes the odds of someone.
func (c *counted) matters(t int, o *probabilities) bool {
	for s := range c.tables[t].people() {
		first := c.way(t, 0, s)
		for e := 1; e < len(c.p.effects[t]); e++ {
			if way := c.way(t, e, s); way != first && o.differ(first, way) {
				return true
			}
		}
	}
	return false
}

// information is that of the answers to question t with the outcomes, from their joint distribution among those who are
// asked. It fills in the last outcome, which has the rest.
func (c *counted) information(t int, joint []float64, asked float64) (mutual, entropy float64) {
	effects, outs := c.p.effects[t], len(c.outcome)
	for e := range effects {
		row := joint[e*outs : (e+1)*outs]
		rest := asked * effects[e].p
		for _, v := range row {
			rest -= v
		}
		if rest >= asked*roundingShare {
			row[outs-1] = rest
		}
	}
	return information(joint, len(effects), outs, asked)
}

// information is the mutual information in bits of a joint distribution that sums to total, and the entropy of its
// columns (Shannon 1948, section 9 and 12).
func information(joint []float64, rows, columns int, total float64) (mutual, entropy float64) {
	var few [32]float64
	sums := zeroed(few[:0], rows+columns)
	row, col := sums[:rows], sums[rows:]
	for r := range rows {
		for c := range columns {
			v := joint[r*columns+c] / total
			row[r] += v
			col[c] += v
		}
	}
	for r := range rows {
		for c := range columns {
			if v := joint[r*columns+c] / total; v > 0 {
				mutual += v * math.Log2(v/(row[r]*col[c]))
			}
		}
	}
	for _, v := range col {
		if v > 0 {
			entropy -= v * math.Log2(v)
		}
	}
	return max(0, mutual), entropy
}
