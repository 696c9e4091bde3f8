package quiz

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"omphalos/core/rule"
)

// Limits of a document.
const (
	MaxBytes     = 8 << 20
	MaxQuestions = 500
	MaxChecks    = 1000
)

// Read reads a whole document strictly: unknown fields, wrong types, numbers finer than 4 decimals, duplicate ids,
// dangling references and backwards branches are Problems.
func Read(data []byte) (*Document, error) {
	d, err := ReadDraft(data)
	if err != nil {
		return nil, err
	}
	if ps := d.Validate(); len(ps) > 0 {
		return nil, ps.err()
	}
	return d, nil
}

// ReadDraft reads a document that is still being written: its form must be right (JSON, known fields, types, exact
// numbers, unique ids), but references may dangle and parts may be missing, as Validate will tell.
func ReadDraft(data []byte) (*Document, error) {
	if err := fits(data); err != nil {
		return nil, err
	}
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	if ps := checkSyntax(data); len(ps) > 0 {
		return nil, ps.err()
	}
	tree, err := decode(data)
	if err != nil {
		return nil, Problems{{Message: "this isn’t valid JSON: " + err.Error()}}
	}
	return readForm(data, tree)
}

// fits refuses a text that is larger than a document may be.
func fits(data []byte) error {
	if len(data) <= MaxBytes {
		return nil
	}
	return Problems{{
		Message: fmt.Sprintf("it is larger than %d MB", MaxBytes>>20),
		Mend:    "Upload pictures separately instead of embedding them.",
	}}
}

// readForm reads a draft whose syntax is right; tree is the same text as plain JSON.
func readForm(data []byte, tree any) (*Document, error) {
	var form conformer
	if form.value(compiledSchema(), tree, ""); len(form.ps) > 0 {
		return nil, form.ps.err()
	}
	var d Document
	if err := json.Unmarshal(data, &d); err != nil {
		return nil, Problems{{Message: err.Error()}}
	}
	d.keepReferences(nil, tree)
	var ps Problems
	d.checkForm(&ps)
	return &d, ps.err()
}

// ReadStored reads a draft that this program has checked before, when it was stored.
func ReadStored(data []byte) (*Document, error) {
	var d Document
	err := json.Unmarshal(data, &d)
	d.keepReferences(data, nil)
	return &d, err
}

var typeWords = map[string]string{"string": "text in quotes", "number": "a number", "integer": "a whole number",
	"object": "an object {…}", "array": "a list […]", "boolean": "true or false", "null": "null"}

func typeWord(types ...string) string {
	words := make([]string, len(types))
	for i, t := range types {
		words[i] = FirstOf(typeWords[t], t)
	}
	return strings.Join(words, " or ")
}

func list(values []any) string {
	words := make([]string, len(values))
	for i, v := range values {
		words[i] = shortened(v)
	}
	return strings.Join(words, ", ")
}

// ValidID allows the characters that keep an id usable in form fields, addresses, texts and CSV heads.
func ValidID(id string) bool {
	return id != "" && len(id) <= 64 && strings.IndexFunc(id, func(r rune) bool {
		return !(r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '_' || r == '-')
	}) < 0
}

// idSet checks the form of ids and that each is used once.
type idSet struct {
	what string
	seen map[string]string
	ps   *Problems
}

func (d *Document) ids(ps *Problems, what string) *idSet {
	return &idSet{what: what, seen: map[string]string{}, ps: ps}
}

func (s *idSet) add(at, id string) {
	if !ValidID(id) {
		s.ps.add(
			at+"/id",
			useLettersZDigits.With(), idCantUsed.With(id, s.what),
		)
		return
	}
	if first, twice := s.seen[id]; twice {
		taken := problem(at+"/id", giveItUniqueID.With(), idIsTaken.With(id, first))
		taken.Code, taken.Written = CodeIDTaken, true
		s.ps.put(taken)
		return
	}
	s.seen[id] = at
}

// checkForm checks what every stored draft keeps to: ids and exact numbers.
func (d *Document) checkForm(ps *Problems) {
	d.checkIDs(ps)
	for i := range d.Scales {
		exact(ps, Pointer("scales", i, "start"), d.Scales[i].Start)
		d.Scales[i].Norm.checkForm(ps, Pointer("scales", i, "norm"))
	}
	for i := range d.Keywords {
		exact(ps, Pointer("keywords", i, "start"), d.Keywords[i].Start)
	}
	for i := range d.Questions {
		checkQuestionForm(&d.Questions[i], ps, Pointer("questions", i), d)
	}
	d.checkTranslations(ps)
	fine := func(at string, c *rule.Condition) {
		if c.Value != nil {
			for _, s := range c.Value.List {
				exact(ps, at+"/value", s.Num)
			}
		}
	}
	d.EachCondition(fine)
	d.EachMessageCondition(fine)
	for i := range d.Verdicts {
		checkVerdictForm(&d.Verdicts[i], ps, Pointer("verdicts", i))
	}
}

// checkIDs checks that what has an id has one of its own, and that there is not too much of it.
func (d *Document) checkIDs(ps *Problems) {
	each := func(what, field string, n int, id func(i int) string) {
		ids := d.ids(ps, what)
		for i := range n {
			ids.add(Pointer(field, i), id(i))
		}
	}
	each("scale", "scales", len(d.Scales), func(i int) string { return d.Scales[i].ID })
	each("keyword", "keywords", len(d.Keywords), func(i int) string { return d.Keywords[i].ID })
	each("question", "questions", len(d.Questions), func(i int) string { return d.Questions[i].ID })
	each("section", "sections", len(d.Sections), func(i int) string { return d.Sections[i].ID })
	each("computed value", "computed", len(d.Computed), func(i int) string { return d.Computed[i].ID })
	each("outcome", "outcomes", len(d.Outcomes), func(i int) string { return d.Outcomes[i].ID })
	each("check", "checks", len(d.Checks), func(i int) string { return d.Checks[i].ID })
	each("message", "messages", len(d.Messages), func(i int) string { return d.Messages[i].ID })
	if d.Contact != nil {
		fields := d.ids(ps, "contact field")
		for i := range d.Contact.Fields {
			fields.add(Pointer("contact", "fields", i), d.Contact.Fields[i].ID)
		}
	}
	if len(d.Questions) > MaxQuestions {
		ps.add("/questions", splitTheQuiz.With(), thereMoreThanQuestions.With(MaxQuestions))
	}
	if len(d.Checks) > MaxChecks {
		ps.add("/checks", removeDuplicateChecks.With(), thereMoreThanChecks.With(MaxChecks))
	}
	if len(d.Messages) > MaxMessages {
		ps.add("/messages", combineMessagesWithSameContent.With(), thereMoreThanMessages.With(MaxMessages))
	}
}

// checkVerdictForm checks the numbers that stand in a line.
func checkVerdictForm(v *Verdict, ps *Problems, at string) {
	if line := v.Line(); line != nil {
		line.Numbers(func(place []any, n rule.Number) { exact(ps, at+Pointer(place...), n) })
	}
}

func checkQuestionForm(q *Question, ps *Problems, at string, d *Document) {
	choices, rows := d.ids(ps, "choice"), d.ids(ps, "row")
	for i, c := range q.Choices {
		choices.add(at+Pointer("choices", i), c.ID)
		exactMap(ps, c.Points, at, "choices", i, "points")
		exactMap(ps, c.Votes, at, "choices", i, "votes")
	}
	for i, r := range q.Rows {
		rows.add(at+Pointer("rows", i), r.ID)
	}
	for _, n := range []struct {
		name string
		n    *rule.Number
	}{{"weight", q.Weight}, {"from", q.From}, {"to", q.To}, {"step", q.Step}} {
		if n.n != nil {
			exact(ps, at+Pointer(n.name), *n.n)
		}
	}
	for _, id := range sortedKeys(q.Linear) {
		exact(ps, at+Pointer("linear", id, "factor"), q.Linear[id].Factor)
		exact(ps, at+Pointer("linear", id, "offset"), q.Linear[id].Offset)
	}
	for i, n := range q.Places {
		exact(ps, at+Pointer("places", i), n)
	}
	for i, s := range q.Steps {
		exact(ps, at+Pointer("steps", i, "from"), s.From)
		exactMap(ps, s.Points, at, "steps", i, "points")
		exactMap(ps, s.Votes, at, "steps", i, "votes")
	}
}

func exact(ps *Problems, at string, n rule.Number) {
	if places, ok := n.Places(); !ok || places > rule.MaxPlaces {
		ps.add(
			at,
			roundItTo.With(n.Round(rule.MaxPlaces).String()), hasMoreThanDecimals.With(n, rule.MaxPlaces),
		)
	}
	if tooLarge(n) {
		ps.add(at, useSmallerNumber.With(), isTooLarge.With(n))
	}
}

func tooLarge(n rule.Number) bool {
	return n.Abs().Cmp(rule.Largest) > 0
}

// exactMap checks the numbers of an object; where it stands is written only if one is wrong.
func exactMap(ps *Problems, m map[string]rule.Number, at string, segments ...any) {
	wrong := false
	for _, n := range m {
		places, ok := n.Places()
		wrong = wrong || !ok || places > rule.MaxPlaces || tooLarge(n)
	}
	if !wrong {
		return
	}
	for _, id := range sortedKeys(m) {
		exact(ps, at+Pointer(segments...)+Pointer(id), m[id])
	}
}

func sortedKeys[V any](m map[string]V) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
}

// EachCondition calls f for every condition of the document but those of lines that are turned off, with those
// nested in others, and its JSON Pointer.
func (d *Document) EachCondition(f func(at string, c *rule.Condition)) {
	for i := range d.Questions {
		q := &d.Questions[i]
		if q.VisibleIf != nil {
			q.VisibleIf.Each(Pointer("questions", i, "visible_if"), f)
		}
		for j := range q.Branches {
			q.Branches[j].When.Each(Pointer("questions", i, "branches", j, "when"), f)
		}
	}
	for i := range d.Verdicts {
		if d.Verdicts[i].When != nil && !d.Verdicts[i].Off {
			d.Verdicts[i].When.Each(Pointer("verdicts", i, "when"), f)
		}
	}
	if d.Recommendations != nil {
		for i := range d.Recommendations.Lines {
			if w := d.Recommendations.Lines[i].When; w != nil {
				w.Each(Pointer("recommendations", "lines", i, "when"), f)
			}
		}
	}
}
