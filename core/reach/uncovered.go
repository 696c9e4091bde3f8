package reach

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// uncovered finds the values that no cut point owns and that fall through to everyone else.
func (k *checker) uncovered() {
	if k.final.restAt < 0 {
		return
	}
	for i, l := range k.m.lines {
		if l.bands == nil || l.bands.blank {
			continue
		}
		if values, share, example := k.counted.fallThrough(i); example >= 0 {
			k.findUncovered(&l, values, share, example)
		}
	}
}

// fallThrough are the values of bands line i with which walks come to it and continue to everyone else, in order, with
// their share and a state that shows it; −1 where there is none.
func (c *counted) fallThrough(i int) (values []rule.Number, share float64, example int) {
	bands := c.p.m.lines[i].bands
	seen := map[string]rule.Number{}
	example = -1
	n := c.p.m.n()
	vec := make([]int64, c.p.end)
	for s := range c.tables[n].people() {
		c.p.unpack(n, c.tables[n].key(s), vec)
		if c.p.decide(vec).line >= 0 || !c.p.evaluate(int32(vec[c.p.lineAt[i]]), vec) {
			continue
		}
		v := c.p.value(bands, vec)
		if v.Kind != rule.Num {
			continue
		}
		seen[v.Num.String()] = v.Num
		share += c.tables[n].p[s]
		if example < 0 {
			example = s
		}
	}
	return slices.SortedFunc(maps.Values(seen), rule.Number.Cmp), share, example
}

// listedValues is how many values a message lists; more are told by the first and the last.
const listedValues = 6

func (k *checker) findUncovered(l *line, values []rule.Number, share float64, example int) {
	names := make([]string, len(values))
	for j, v := range values {
		names[j] = v.String()
	}
	said := strings.Join(names[:min(listedValues, len(names))], ", ")
	if len(names) > listedValues {
		said = fmt.Sprintf("%s to %s", names[0], names[len(names)-1])
	}
	in := k.counted.traceFinal(example)
	k.find(Finding{
		Code:     "uncovered_value",
		Severity: Note,
		Where:    quiz.Pointer("verdicts", l.number-1, "bands"),
		Share:    &share,
		Values:   names,
		Said:     belowLowestCutPointIn.With(k.m.d.FactName(l.bands.on), said, l.number, Percent(share)),
		Witness:  k.witness(in, func(r *walk.Result) bool { return r.Reason.Line == walk.LineOtherwise }),
	})
}

// value is what the bands look at, on a state that holds it exactly.
func (p *pass) value(b *bandsLine, vec []int64) rule.Value {
	if b.form < 0 {
		return p.compute(b.computed, vec)
	}
	f := &p.m.forms[b.form]
	switch f.kind {
	case formScale:
		score := p.m.scale[f.at].number(vec[p.scale0+f.at])
		switch standing, there := b.norm.Percentile(score); {
		case there:
			return rule.NumValue(standing)
		case b.blank:
			return rule.Value{}
		}
		return rule.NumValue(score)
	case formPercent:
		u := p.m.scale[f.at]
		return rule.NumValue(
			walk.Percent{Earned: u.number(vec[p.earn0+f.at]), Most: u.number(vec[p.most0+f.at])}.Number(),
		)
	}
	return rule.NumValue(p.m.keyword[f.at].number(vec[p.key0+f.at]))
}
