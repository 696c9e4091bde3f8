package reach

import "slices"

// firstState is the state before the first question of a visitor.
func (p *pass) firstState(s start) []int64 {
	vec := make([]int64, p.end)
	for r := range p.roots {
		vec[r] = int64(p.roots[r].tree)
	}
	for i := range p.nScales {
		v, _ := p.m.scale[i].integer(p.m.d.Scales[i].Start) // checked by planForm
		vec[p.scale0+i] = v
	}
	for k := range p.nKeys {
		vec[p.key0+k] = p.startVotes(k)
	}
	for slot, k := range s.options {
		for _, r := range p.bySlot[slot] {
			vec[r] = int64(p.settle(int32(vec[r]), slot, p.m.classOf[slot][k]))
		}
	}
	return vec
}

// pass continues from layer t over questions that are hidden, and returns where it stops.
func (c *counted) pass(vec []int64, t int) int {
	p := c.p
	for t < p.m.n() {
		r := p.rootOf[t]
		if r < 0 {
			return t
		}
		if p.evaluate(int32(vec[r]), vec) {
			c.truth[r][1] = true
			return t
		}
		c.truth[r][0] = true
		p.skip(t, vec)
		t++
	}
	return t
}

// skip settles a question that the walk does not ask.
func (p *pass) skip(q int, vec []int64) {
	s := p.m.visitors + q
	for _, r := range p.bySlot[s] {
		vec[r] = int64(p.settle(int32(vec[r]), s, 0))
	}
}

// dropped marks a keyword that can lead no more.
const dropped = token + 1<<40

// apply adds an answer's effect.
func (p *pass) apply(q int, e *effect, vec []int64) {
	l := &p.layers[q]
	for _, f := range l.live {
		at := p.m.forms[f].at
		switch p.m.forms[f].kind {
		case formScale:
			add(&vec[p.scale0+at], e.o.points[at])
		case formPercent:
			if add(&vec[p.earn0+at], e.o.points[at]) {
				vec[p.most0+at] += p.m.slots[p.m.visitors+q].most[at]
			}
		case formKeyword:
			add(&vec[p.key0+at], e.o.votes[at])
		}
	}
	if l.led {
		p.vote(q, e.o.votes, vec)
	}
	s := p.m.visitors + q
	if at := p.answerAt[s]; at >= 0 {
		vec[at] = int64(e.o.value)
	}
	p.settleConditions(q, e, vec)
}

// add adds to a number that is not settled yet, and reports whether it is.
func add(v *int64, n int64) bool {
	if *v >= token/2 {
		return false
	}
	*v += n
	return true
}

// severalVotes is what stands in the place of the one keyword that an answer votes for where it votes for more.
const severalVotes = -1

// vote adds votes to the keywords that are compared, and notes what ties are broken by.
func (p *pass) vote(q int, votes, vec []int64) {
	for k, v := range votes {
		if v == 0 {
			continue
		}
		if p.led[k] {
			add(&vec[p.key0+k], v)
		}
		if p.latest && v > 0 && p.led[k] {
			vec[p.recent0+k] = int64(p.nKeys) + 1
			if vec[p.voter] == 0 {
				vec[p.voter] = int64(k) + 1
			} else {
				vec[p.voter] = severalVotes
			}
		}
		if p.voting {
			vec[p.voted0+k] = 1
		}
	}
	for i, tie := range p.tieQuestions {
		if tie == q {
			copy(vec[p.tie0+i*p.nKeys:], votes)
		}
	}
}

// settleConditions leaves of each condition what an answer leaves of it.
func (p *pass) settleConditions(q int, e *effect, vec []int64) {
	s := p.m.visitors + q
	for _, r := range p.bySlot[s] {
		vec[r] = int64(p.settle(int32(vec[r]), s, e.class))
	}
}

// settleNumbers puts one value in the place of all that the future cannot tell apart.
func (p *pass) settleNumbers(t int, vec []int64, scratch []int64) {
	l := &p.layers[t]
	for _, f := range l.live {
		frm := &p.m.forms[f]
		switch frm.kind {
		case formScale:
			vec[p.scale0+frm.at] = p.settleSum(l, f, vec[p.scale0+frm.at])
		case formPercent:
			p.settlePercent(l, f, vec)
		case formKeyword:
			if vec[p.key0+frm.at] != dropped {
				vec[p.key0+frm.at] = p.settleSum(l, f, vec[p.key0+frm.at])
			}
		}
	}
	if l.led {
		p.settleLead(l, vec, scratch)
	}
}

func (p *pass) settleSum(l *layer, f int, v int64) int64 {
	if l.free[f] {
		return v
	}
	if l.dead[f] {
		return 0
	}
	met, unmet := -1, len(p.m.forms[f].thresholds)
	if v >= token/2 {
		for _, lim := range l.limits[f] {
			if int64(lim.j) < v-token {
				met = lim.j
			}
		}
		return token + int64(met) + 1
	}
	for _, lim := range l.limits[f] {
		switch {
		case v+lim.lo >= lim.at:
			met = max(met, lim.j)
		case v+lim.hi < lim.at:
			unmet = min(unmet, lim.j)
		default:
			return v
		}
	}
	if met > unmet || met < p.below[f] { // settled at different places, so that no one value stands for it; or wanted
		return v
	}
	return token + int64(met) + 1
}

func (p *pass) settlePercent(l *layer, f int, vec []int64) {
	at := p.m.forms[f].at
	e, most := vec[p.earn0+at], vec[p.most0+at]
	if l.free[f] {
		return
	}
	if l.dead[f] {
		vec[p.earn0+at], vec[p.most0+at] = 0, 0
		return
	}
	if e >= token/2 {
		vec[p.earn0+at] = p.settleSum(l, f, e)
		return
	}
	met, unmet := -1, len(p.m.forms[f].thresholds)
	for _, lim := range l.limits[f] {
		v := percentForm(e, most, lim.at)
		need := lim.at & 1 // strictly over, or at least
		switch {
		case v+lim.lo >= need && most+lim.mlo >= 1:
			met = max(met, lim.j)
		case v+lim.hi < need || most+lim.mhi < 1:
			unmet = min(unmet, lim.j)
		default:
			return
		}
	}
	if met <= unmet && met >= p.below[f] {
		vec[p.earn0+at], vec[p.most0+at] = token+int64(met)+1, 0
	}
}

// settleLead drops keywords that can lead no more, and keeps of the others what they are ahead of each other.
func (p *pass) settleLead(l *layer, vec []int64, level []int64) {
	votes := vec[p.key0 : p.key0+p.nKeys]
	if !p.pinned {
		p.dropTrailing(l, votes, vec)
	}
	top, live := p.levelVotes(l, vec, votes)
	for _, at := range l.ranks {
		p.compressRanks(votes, vec[at:at+p.nKeys], live, level)
	}
	if p.latest && p.steady {
		p.markLatest(votes, vec, top, live)
	}
}

// isCompared reports whether a keyword is compared and not dropped.
func (p *pass) isCompared(votes []int64, i int) bool { return p.led[i] && votes[i] < token/2 }

// eligible reports whether a keyword can lead as things are: it has votes above 0 of its own. Where no keyword has a
// start, the one with the most votes tells, and positive says that it has some; then all are.
func (p *pass) eligible(vec []int64, k int) bool {
	switch {
	case p.voting:
		return vec[p.voted0+k] != 0
	case p.pinned:
		return vec[p.key0+k]-p.startVotes(k) > 0
	}
	return vec[p.positive] != 0 || vec[p.key0+k] > 0
}

// trailing marks a keyword to be dropped once all are compared.
const trailing = -token

// dropTrailing drops keywords that cannot come out on top: those that will never have a vote, and those that trail
// another by more than they can still gain on it.
func (p *pass) dropTrailing(l *layer, votes, vec []int64) {
	top, drops := trailing, false
	for _, i := range p.compared {
		if v := votes[i]; v < token/2 {
			top = max(top, v)
		}
	}
	for _, i := range p.compared {
		v := votes[i]
		if v >= token/2 {
			continue
		}
		hopeless := p.voting && vec[p.voted0+i] == 0 && l.keyHi[i] <= 0
		if !p.voting && vec[p.positive] == 0 {
			hopeless = v+l.keyHi[i] <= 0
		}
		if hopeless || v+l.leastGain[i] < top && p.trails(l, i, votes, vec) {
			votes[i], drops = trailing, true
		}
	}
	if !drops {
		return
	}
	for _, i := range p.compared {
		if votes[i] == trailing {
			votes[i] = dropped
			vec[p.voted0+i] = 0
		}
	}
}

// trails reports whether a keyword is too far behind another.
func (p *pass) trails(l *layer, i int, votes, vec []int64) bool {
	for _, j := range p.compared {
		if v := votes[j]; p.dominates[i][j] && v < token/2 && v > trailing && votes[i]+l.gain[i][j] < v &&
			(!p.voting || vec[p.voted0+j] != 0) {
			return true
		}
	}
	return false
}

// levelVotes keeps only what keywords are ahead of the last of them, once it is sure that the first gets over 0. It
// returns what the first has then, and how many are compared.
func (p *pass) levelVotes(l *layer, vec, votes []int64) (top int64, live int) {
	least, sure := token, p.voting || vec[p.positive] != 0
	top = trailing
	for _, i := range p.compared {
		v := votes[i]
		if v >= token/2 {
			continue
		}
		live++
		least = min(least, v)
		sure = sure || v+l.keyLo[i] > 0
		if !p.voting || vec[p.voted0+i] != 0 {
			top = max(top, v)
		}
	}
	if p.pinned || !sure || live == 0 {
		return top, live
	}
	vec[p.positive] = 1
	if least != 0 {
		for _, i := range p.compared {
			if votes[i] < token/2 {
				votes[i] -= least
			}
		}
	}
	return top - least, live
}

// compressRanks keeps the order of ranks, and 0 for keywords whose rank decides nothing. level is room to work in. A
// recency of 0 is "no vote yet": it stays apart from the oldest vote only by order, which is all that matters.
func (p *pass) compressRanks(votes, ranks []int64, live int, level []int64) {
	counts := func(i int) bool { return live >= 2 && p.isCompared(votes, i) }
	level = level[:0]
	for i := range ranks {
		if !counts(i) {
			ranks[i] = 0
		} else if !slices.Contains(level, ranks[i]) {
			level = append(level, ranks[i])
		}
	}
	slices.Sort(level)
	for i := range ranks {
		if counts(i) {
			ranks[i] = int64(slices.Index(level, ranks[i]))
		}
	}
}

// markLatest keeps of recency only who would win now, counted from 1. Where votes only ever add up, a keyword below
// the top needs another vote to tie, which will be its latest; and a vote for one at the top leaves the others
// below. So among those at the top nothing matters but which of them got the latest vote, the first of several.
func (p *pass) markLatest(votes, vec []int64, top int64, live int) {
	voter, before := vec[p.voter], vec[p.latest0]
	switch {
	case live < 2:
		vec[p.latest0] = 0
	case voter > 0 && votes[voter-1] == top:
		vec[p.latest0] = voter
	case voter != severalVotes && before > 0 && votes[before-1] == top: // it stays the latest of those at the top
	default:
		vec[p.latest0] = p.latestAt(top, votes, vec)
	}
}

// latestAt is the keyword, counted from 1, that got the latest vote of those that have so many; the first of several.
func (p *pass) latestAt(top int64, votes, vec []int64) int64 {
	recent := vec[p.recent0 : p.recent0+p.nKeys]
	if before := vec[p.latest0] - 1; before >= 0 && recent[before] == 0 {
		recent[before] = 1 // behind the votes of this answer
	}
	winner := -1
	for _, i := range p.compared {
		if votes[i] == top && (!p.voting || vec[p.voted0+i] != 0) && (winner < 0 || recent[i] > recent[winner]) {
			winner = i
		}
	}
	return int64(winner) + 1
}

// hasRoomFor reports whether the numbers of a state are within what the fields of a layer are planned for: others would
// be packed as those of another state.
func (p *pass) hasRoomFor(t int, vec []int64) bool {
	for i := range p.layers[t].fields {
		if f := &p.layers[t].fields[i]; !f.root {
			if v := f.packed(vec[f.comp]); v < 0 || v >= f.span || vec[f.comp] < token/2 && v >= f.first {
				return false
			}
		}
	}
	return true
}

func (p *pass) pack(t int, vec []int64) key {
	var k key
	for i := range p.layers[t].fields {
		f := &p.layers[t].fields[i]
		v := vec[f.comp]
		if f.root {
			v = int64(p.roots[f.comp].index[v])
		} else {
			v = f.packed(v)
		}
		k[f.word] |= (uint64(v) & f.mask) << f.shift
	}
	return k
}

func (p *pass) unpack(t int, k key, vec []int64) {
	copy(vec, p.layers[t].blank)
	for i := range p.layers[t].fields {
		f := &p.layers[t].fields[i]
		v := int64(k[f.word] >> f.shift & f.mask)
		switch {
		case f.root:
			vec[f.comp] = int64(p.roots[f.comp].all[v])
		case v < f.first:
			vec[f.comp] = v + f.min
		case v == f.span-1 && f.comp >= p.key0:
			vec[f.comp] = dropped
		default:
			vec[f.comp] = token + v - f.first
		}
	}
}
