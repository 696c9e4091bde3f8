package score

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/kind"
	"omphalos/core/quiztest"
	"omphalos/core/walk"
)

// This file reads the document a second time, from its raw JSON and the nine sentences of its meaning alone, sharing
// no code with the packages under test. Every row that Table scores must equal what it finds.

type obj = map[string]any

type reading struct {
	doc     obj
	row     map[string]string // cells by column
	reached map[string]bool
	scale   map[string]*big.Rat
	earned  map[string]*big.Rat
	most    map[string]*big.Rat
	votes   map[string]*big.Rat
	perAsk  []map[string]*big.Rat
	path    []string
}

func rat(v any) *big.Rat {
	r := new(big.Rat)
	if n, ok := v.(json.Number); ok {
		r.SetString(n.String())
	}
	return r
}

func list(v any) []any        { l, _ := v.([]any); return l }
func object(v any) obj        { o, _ := v.(obj); return o }
func text(v any) string       { return fmt.Sprint(v) }
func flag(v any) bool         { b, _ := v.(bool); return b }
func whole(v any) int         { n, _ := v.(json.Number); i, _ := n.Int64(); return int(i) }
func id(v any) string         { return text(object(v)["id"]) }
func is(v any, s string) bool { return v != nil && text(v) == s }

func weight(q obj) *big.Rat {
	if q["weight"] == nil {
		return big.NewRat(1, 1)
	}
	return rat(q["weight"])
}

// picks are the ids picked in question q: of a grid, one in each answered row.
func (r *reading) picks(q obj) []string {
	var out []string
	if is(q["kind"], "grid") {
		for _, row := range list(q["rows"]) {
			if c := r.row[id(q)+"."+id(row)]; c != "" {
				out = append(out, c)
			}
		}
		return out
	}
	if cell := r.row[id(q)]; cell != "" {
		out = strings.Split(cell, "|")
	}
	return out
}

// gains sums one map ("points" or "votes") over an answer, by id, before the question's weight.
func (r *reading) gains(q obj, what, target string) *big.Rat {
	sum := new(big.Rat)
	switch text(q["kind"]) {
	case "single", "multiple", "grid":
		for _, p := range r.picks(q) {
			for _, c := range list(q["choices"]) {
				if id(c) == p {
					sum.Add(sum, rat(object(object(c)[what])[target]))
				}
			}
		}
	case "ranking":
		for i, p := range r.picks(q) {
			for _, c := range list(q["choices"]) {
				if id(c) == p {
					sum.Add(sum, new(big.Rat).Mul(placeOf(q, i), rat(object(object(c)[what])[target])))
				}
			}
		}
	case "rating", "number":
		if cell := r.row[id(q)]; cell != "" {
			v, _ := new(big.Rat).SetString(cell)
			sum.Add(sum, valueGain(q, what, target, v))
		}
	}
	return sum
}

// placeOf is what the place of a ranking at a position counts.
func placeOf(q obj, i int) *big.Rat {
	places := list(q["places"])
	switch {
	case len(places) == 0:
		return big.NewRat(1, 1)
	case i < len(places):
		return rat(places[i])
	}
	return new(big.Rat)
}

// eachOrder tries all orders of the choices that begin with some.
func eachOrder(q obj, first []int, f func(order []int)) {
	f(first)
	for j := range list(q["choices"]) {
		if !slices.Contains(first, j) {
			eachOrder(q, append(slices.Clone(first), j), f)
		}
	}
}

func valueGain(q obj, what, target string, v *big.Rat) *big.Rat {
	sum := new(big.Rat)
	if l := object(object(q["linear"])[target]); l != nil && what == "points" {
		sum.Add(new(big.Rat).Mul(rat(l["factor"]), v), rat(l["offset"]))
	}
	var own obj
	for _, s := range list(q["steps"]) {
		if v.Cmp(rat(object(s)["from"])) >= 0 {
			own = object(s)
		}
	}
	return sum.Add(sum, rat(object(own[what])[target]))
}

// greatest is the most that a valid answer to q could have earned on a scale, by trying them all.
func greatest(q obj, scale string) *big.Rat {
	w := weight(q)
	var best *big.Rat
	offer := func(n *big.Rat) {
		n = new(big.Rat).Mul(n, w)
		if best == nil || n.Cmp(best) > 0 {
			best = n
		}
	}
	if !flag(q["required"]) {
		offer(new(big.Rat))
	}
	choices := list(q["choices"])
	worth := func(c any) *big.Rat { return rat(object(object(c)["points"])[scale]) }
	switch text(q["kind"]) {
	case "single", "grid":
		for _, c := range choices {
			offer(worth(c))
		}
		if is(q["kind"], "grid") {
			best.Mul(best, big.NewRat(int64(len(list(q["rows"]))), 1))
		}
	case "multiple":
		least, most := max(1, whole(q["least"])), whole(q["most"])
		if most == 0 {
			most = len(choices)
		}
		for set := 1; set < 1<<len(choices); set++ {
			sum, n, alone := new(big.Rat), 0, true
			for j, c := range choices {
				if set>>j&1 == 1 {
					sum.Add(sum, worth(c))
					n++
					alone = alone && !flag(object(c)["exclusive"])
				}
			}
			if n >= least && n <= most && (alone || n == 1) {
				offer(sum)
			}
		}
	case "ranking":
		most, least := whole(q["most"]), whole(q["least"])
		if most == 0 {
			most = len(choices)
		}
		if least == 0 {
			least = most
		}
		eachOrder(q, nil, func(order []int) {
			sum := new(big.Rat)
			for i, j := range order {
				sum.Add(sum, new(big.Rat).Mul(placeOf(q, i), worth(choices[j])))
			}
			if len(order) > 0 && len(order) >= least && len(order) <= most {
				offer(sum)
			}
		})
	case "rating", "number":
		for v := rat(q["from"]); v.Cmp(rat(q["to"])) <= 0; v = new(big.Rat).Add(v, big.NewRat(1, 1)) {
			offer(valueGain(q, "points", scale, v))
		}
	}
	if best == nil {
		return new(big.Rat)
	}
	return best
}

// fact returns a string, a *big.Rat, a []string, or nil for blank.
func (r *reading) fact(name string) any {
	root, rest, _ := strings.Cut(name, ".")
	switch root {
	case "answer":
		qid, rowID, inRow := strings.Cut(rest, ".")
		if !r.reached[qid] {
			return nil
		}
		for _, q := range list(r.doc["questions"]) {
			if id(q) != qid {
				continue
			}
			cell := r.row[rest]
			if is(object(q)["kind"], "ranking") {
				picks := r.picks(object(q))
				switch {
				case len(picks) == 0:
					return nil
				case inRow:
					return picks[0]
				}
				return picks
			}
			switch kind := text(object(q)["kind"]); {
			case kind == "grid" && !inRow:
				if p := r.picks(object(q)); len(p) > 0 {
					return p
				}
				return nil
			case cell == "":
				return nil
			case kind == "multiple":
				return strings.Split(cell, "|")
			case kind == "rating" || kind == "number":
				v, _ := new(big.Rat).SetString(cell)
				return v
			}
			_ = rowID
			return cell
		}
	case "scale":
		return r.scale[rest]
	case "percent":
		return r.percent(rest)
	case "percentile":
		if p := r.percentile(rest); p != nil {
			return p
		}
	case "keyword":
		return r.sum(rest)
	case "leader":
		if l := r.leader(); l != "" {
			return l
		}
	case "visitor", "param":
		if cell := r.row[name]; cell != "" {
			return cell
		}
	}
	return nil
}

func (r *reading) percent(s string) *big.Rat {
	if r.most[s].Sign() <= 0 || r.earned[s].Sign() < 0 {
		return new(big.Rat)
	}
	p := new(big.Rat).Mul(big.NewRat(100, 1), r.earned[s])
	return p.Quo(p, r.most[s])
}

// percentile is nil without a norm.
func (r *reading) percentile(scale string) *big.Rat {
	for _, s := range list(r.doc["scales"]) {
		if id(s) != scale || object(s)["norm"] == nil {
			continue
		}
		p := new(big.Rat)
		for _, point := range list(object(s)["norm"]) {
			share := new(big.Rat).Mul(rat(list(point)[1]), big.NewRat(100, 1))
			switch rat(list(point)[0]).Cmp(r.scale[scale]) {
			case -1:
				p.Add(p, share)
			case 0:
				p.Add(p, share.Quo(share, big.NewRat(2, 1)))
			}
		}
		return p
	}
	return nil
}

// sum is a keyword's start and votes.
func (r *reading) sum(keyword string) *big.Rat {
	for _, k := range list(r.doc["keywords"]) {
		if id(k) == keyword {
			return new(big.Rat).Add(rat(object(k)["start"]), r.votes[keyword])
		}
	}
	return nil
}

// level are the keywords with the greatest sum among those listed with votes of their own.
func (r *reading) level(listed func(keyword string) bool) []string {
	var level []string
	for _, k := range list(r.doc["keywords"]) {
		if !listed(id(k)) || r.votes[id(k)].Sign() <= 0 {
			continue
		}
		switch {
		case len(level) == 0 || r.sum(id(k)).Cmp(r.sum(level[0])) > 0:
			level = []string{id(k)}
		case r.sum(id(k)).Cmp(r.sum(level[0])) == 0:
			level = append(level, id(k))
		}
	}
	return level
}

func (r *reading) leader() string {
	if level := r.level(func(string) bool { return true }); len(level) > 0 {
		return level[0]
	}
	return ""
}

func (r *reading) holds(c obj) bool {
	if l, ok := c["all"]; ok {
		for _, sub := range list(l) {
			if !r.holds(object(sub)) {
				return false
			}
		}
		return true
	}
	for word, want := range map[string]bool{"any": true, "none": false} {
		if l, ok := c[word]; ok {
			for _, sub := range list(l) {
				if r.holds(object(sub)) {
					return want
				}
			}
			return !want
		}
	}
	if l, ok := c["of"]; ok {
		n := 0
		for _, sub := range list(l) {
			if r.holds(object(sub)) {
				n++
			}
		}
		return big.NewRat(int64(n), 1).Cmp(rat(c["at_least"])) >= 0
	}
	v, op := r.fact(text(c["fact"])), text(c["op"])
	if op == "blank" || op == "answered" {
		return (v == nil) == (op == "blank")
	}
	if v == nil {
		return false
	}
	equal := func(want any) bool {
		if n, ok := v.(*big.Rat); ok {
			w, isNum := want.(json.Number)
			return isNum && n.Cmp(rat(w)) == 0
		}
		return text(v) == text(want)
	}
	number, _ := v.(*big.Rat)
	switch op {
	case "is":
		return equal(c["value"])
	case "is_not":
		return !equal(c["value"])
	case "in", "not_in":
		for _, want := range list(c["value"]) {
			if equal(want) {
				return op == "in"
			}
		}
		return op == "not_in"
	case "has":
		for _, p := range v.([]string) {
			if p == text(c["value"]) {
				return true
			}
		}
		return false
	case "lt":
		return number.Cmp(rat(c["value"])) < 0
	case "le":
		return number.Cmp(rat(c["value"])) <= 0
	case "gt":
		return number.Cmp(rat(c["value"])) > 0
	case "ge":
		return number.Cmp(rat(c["value"])) >= 0
	case "between":
		b := list(c["value"])
		return number.Cmp(rat(b[0])) >= 0 && number.Cmp(rat(b[1])) <= 0
	}
	panic("comparison " + op)
}

// read walks the row and returns the outcome and the deciding line.
func (r *reading) read() (outcome, line string) {
	r.reached, r.votes = map[string]bool{}, map[string]*big.Rat{}
	r.scale, r.earned, r.most = map[string]*big.Rat{}, map[string]*big.Rat{}, map[string]*big.Rat{}
	for _, s := range list(r.doc["scales"]) {
		r.scale[id(s)], r.earned[id(s)], r.most[id(s)] = rat(object(s)["start"]), new(big.Rat), new(big.Rat)
	}
	for _, k := range list(r.doc["keywords"]) {
		r.votes[id(k)] = new(big.Rat)
	}
	questions := list(r.doc["questions"])
walk:
	for i := 0; i < len(questions); i++ {
		q := object(questions[i])
		if v := object(q["visible_if"]); v != nil && !r.holds(v) {
			continue
		}
		r.reached[id(q)] = true
		r.path = append(r.path, id(q))
		for s := range r.scale {
			gain := new(big.Rat).Mul(r.gains(q, "points", s), weight(q))
			if is(q["kind"], "rating") || is(q["kind"], "number") {
				if r.row[id(q)] == "" {
					gain = new(big.Rat)
				}
			}
			r.scale[s] = new(big.Rat).Add(r.scale[s], gain)
			r.earned[s] = new(big.Rat).Add(r.earned[s], gain)
			r.most[s] = new(big.Rat).Add(r.most[s], greatest(q, s))
		}
		got := map[string]*big.Rat{}
		for k := range r.votes {
			got[k] = new(big.Rat).Mul(r.gains(q, "votes", k), weight(q))
			r.votes[k] = new(big.Rat).Add(r.votes[k], got[k])
		}
		r.perAsk = append(r.perAsk, got)
		for _, b := range list(q["branches"]) {
			if !r.holds(object(object(b)["when"])) {
				continue
			}
			where, target, _ := strings.Cut(text(object(b)["go"]), ":")
			if where == "outcome" {
				return target, "branch"
			}
			if where == "finish" {
				break walk
			}
			for j := range questions {
				if id(questions[j]) == target {
					i = j - 1
				}
			}
			break
		}
	}
	for n, v := range list(r.doc["verdicts"]) {
		if o := r.verdict(object(v)); o != "" && object(v)["off"] != true {
			return o, fmt.Sprint(n + 1)
		}
	}
	return text(r.doc["otherwise"]), "0"
}

func (r *reading) verdict(v obj) string {
	if w := object(v["when"]); w != nil && !r.holds(w) {
		return ""
	}
	if t := object(v["table"]); t != nil {
	rows:
		for _, row := range list(t["rows"]) {
			for i, f := range list(t["facts"]) {
				if cell := list(object(row)["cells"])[i]; cell != nil && !r.holds(obj{"fact": f, "op": "in", "value": cell}) {
					continue rows
				}
			}
			return text(object(row)["outcome"])
		}
		return ""
	}
	if c := object(v["closest"]); c != nil {
		out := ""
		var least *big.Rat
		for _, o := range list(r.doc["outcomes"]) {
			profile := list(object(c["profiles"])[id(o)])
			if profile == nil {
				continue
			}
			sum := new(big.Rat)
			for i, on := range list(c["on"]) {
				apart := new(big.Rat).Sub(r.fact(text(on)).(*big.Rat), rat(profile[i]))
				sum.Add(sum, apart.Mul(apart, apart))
			}
			if least == nil || sum.Cmp(least) < 0 {
				out, least = id(o), sum
			}
		}
		return out
	}
	if b := object(v["bands"]); b != nil {
		value, out := r.fact(text(b["on"])), ""
		for _, c := range list(b["cuts"]) {
			if value != nil && value.(*big.Rat).Cmp(rat(object(c)["from"])) >= 0 {
				out = text(object(c)["outcome"])
			}
		}
		return out
	}
	if m := object(v["matrix"]); m != nil {
		d, a := r.band(object(m["down"])), r.band(object(m["across"]))
		if d < 0 || a < 0 || list(list(m["outcomes"])[d])[a] == nil {
			return ""
		}
		return text(list(list(m["outcomes"])[d])[a])
	}
	if l := object(v["leader"]); l != nil {
		return r.lead(l)
	}
	return text(v["outcome"])
}

// band is the band that owns the value of an edge, or -1.
func (r *reading) band(edge obj) int {
	value, band := r.fact(text(edge["on"])), -1
	for i, cut := range list(edge["cuts"]) {
		if value != nil && value.(*big.Rat).Cmp(rat(cut)) >= 0 {
			band = i
		}
	}
	return band
}

func (r *reading) lead(l obj) string {
	level := r.level(func(keyword string) bool { return object(l["outcomes"])[keyword] != nil })
	if len(level) == 0 {
		return ""
	}
	winner, ties := level[0], ""
	if l["ties"] != nil {
		ties = text(l["ties"])
	}
	if qid, by := strings.CutPrefix(ties, "question:"); by {
		for i, asked := range r.path {
			if asked == qid {
				for _, k := range level[1:] {
					if r.perAsk[i][k].Cmp(r.perAsk[i][winner]) > 0 {
						winner = k
					}
				}
			}
		}
	}
	if ties == "latest" {
		last := -1
		for i := range r.perAsk {
			for _, k := range level {
				if r.perAsk[i][k].Sign() > 0 && i > last {
					winner, last = k, i
				}
			}
		}
	}
	return text(object(l["outcomes"])[winner])
}

func TestTableEqualsAnIndependentReading(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 11))
	rows := 0
	for quizNumber := range 1500 {
		d := quiztest.Random(r, quiztest.Size{Questions: 6, Choices: 4, Visitor: true, Text: true})
		c, err := walk.New(d)
		require.NoError(t, err)
		var head []string
		for i := range d.Questions {
			head = append(head, kind.FieldNames(&d.Questions[i])...)
		}
		head = append(head, "visitor.country", "param.src", "note")
		var in bytes.Buffer
		w := csv.NewWriter(&in)
		require.NoError(t, w.Write(head))
		var asked []map[string]string
		for range 12 {
			cells := map[string]string{"note": "kept", "visitor.country": []string{"", "IE", "GB", "FR"}[r.IntN(4)], "param.src": []string{"", "IE"}[r.IntN(2)]}
			for i := range d.Questions {
				q := &d.Questions[i]
				all := quiztest.Answers(q)
				for field, values := range all[r.IntN(len(all))].Fields(q) {
					cells[field] = strings.Join(values, "|")
				}
			}
			record := make([]string, len(head))
			for i, name := range head {
				record[i] = cells[name]
			}
			asked = append(asked, cells)
			require.NoError(t, w.Write(record))
		}
		w.Flush()
		var out bytes.Buffer
		bad, err := Table(c, &in, &out, "2026-03-01")
		require.NoError(t, err)
		require.Empty(t, bad)
		got, err := csv.NewReader(&out).ReadAll()
		require.NoError(t, err)
		raw, err := json.Marshal(d)
		require.NoError(t, err)
		for i, cells := range asked {
			dec := json.NewDecoder(bytes.NewReader(raw))
			dec.UseNumber()
			ref := reading{row: cells}
			require.NoError(t, dec.Decode(&ref.doc))
			outcome, line := ref.read()
			want := map[string]string{"outcome": outcome, "verdict": line, "leader": ref.leader(), "path": strings.Join(ref.path, "|")}
			numbers := map[string]*big.Rat{}
			for s := range ref.scale {
				numbers["scale."+s], numbers["percent."+s] = ref.scale[s], ref.percent(s)
			}
			for k := range ref.votes {
				numbers["keyword."+k] = ref.sum(k)
			}
			for col, name := range got[0] {
				cell := got[i+1][col]
				if n, ok := numbers[name]; ok {
					f, _ := n.Float64()
					v, ok := new(big.Rat).SetString(cell)
					require.True(t, ok, "quiz %d: %s %q", quizNumber, name, cell)
					g, _ := v.Float64()
					require.Equal(t, f, g, "quiz %d, %s\n%s\n%v", quizNumber, name, raw, cells)
				} else if expected, ok := want[name]; ok {
					require.Equal(t, expected, cell, "quiz %d, %s\n%s\n%v", quizNumber, name, raw, cells)
				} else {
					require.Equal(t, cells[name], cell)
				}
			}
			rows++
		}
	}
	require.Equal(t, 1500*12, rows)
}
