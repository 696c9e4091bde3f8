package sheet

import (
	"slices"
	"strings"

	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/say"
)

// Fixed is how many columns stand before the weights.
var Fixed = len(fixed)

// fixed are the columns before the weights.
var fixed = []string{"question", "kind", "text", "required", "from", "to", "answer", "label", "right"}

// Write lays a quiz out as a table: a line for each answer, and for each factor, offset and step of a rating or
// number; after the fixed columns one for each scale (scale.ID) and keyword (keyword.ID).
func Write(d *quiz.Document) [][]string {
	head := slices.Clone(fixed)
	for _, s := range d.Scales {
		head = append(head, "scale."+s.ID)
	}
	for _, k := range d.Keywords {
		head = append(head, "keyword."+k.ID)
	}
	out := [][]string{head}
	for i := range d.Questions {
		q := &d.Questions[i]
		first := true
		line := func(answer, label, right string, points, votes func(id string) rule.Number) {
			row := []string{q.ID, "", "", "", "", "", answer, label, right}
			if first {
				row[1], row[2] = string(q.Kind), q.Text
				if q.Required {
					row[3] = "yes"
				}
				if q.From != nil {
					row[4] = q.From.String()
				}
				if q.To != nil {
					row[5] = q.To.String()
				}
				first = false
			}
			for _, s := range d.Scales {
				row = append(row, figure(points, s.ID))
			}
			for _, k := range d.Keywords {
				row = append(row, figure(votes, k.ID))
			}
			out = append(out, row)
		}
		for _, c := range q.Choices {
			right := ""
			if c.Correct {
				right = "yes"
			}
			line(c.ID, c.Label, right, of(c.Points), of(c.Votes))
		}
		if len(q.Linear) > 0 {
			line("factor", "", "", func(id string) rule.Number { return q.Linear[id].Factor }, nil)
			line("offset", "", "", func(id string) rule.Number { return q.Linear[id].Offset }, nil)
		}
		for _, s := range q.Steps {
			line("from "+s.From.String(), "", "", of(s.Points), of(s.Votes))
		}
		if first {
			line("", "", "", nil, nil)
		}
	}
	return out
}

func of(m map[string]rule.Number) func(string) rule.Number {
	return func(id string) rule.Number { return m[id] }
}

func figure(value func(string) rule.Number, id string) string {
	if value == nil {
		return ""
	}
	if n := value(id); n.Sign() != 0 {
		return n.String()
	}
	return ""
}

// Read reads a table into a quiz: questions that d has by the same id get the sheet's wording, answers and weights
// and keep all else; others are added at the end, and so are scales and keywords that d does not have. d itself is
// not changed.
func Read(d *quiz.Document, table [][]string) (*quiz.Document, []Fault) {
	r := &tableReader{}
	next := *d
	next.Questions = slices.Clone(d.Questions)
	next.Scales = slices.Clone(d.Scales)
	next.Keywords = slices.Clone(d.Keywords)
	r.d = &next
	if len(table) == 0 || !r.head(table[0]) {
		return r.d, r.faults
	}
	for i, row := range table[1:] {
		r.n = i + 2
		r.row(row)
	}
	r.flush()
	if len(r.faults) == 0 && r.read == 0 {
		r.n = 1
		r.fault("", thereNoQuestionsBelowColumn.With())
	}
	return r.d, r.faults
}

type tableReader struct {
	d       *quiz.Document
	n       int
	faults  []Fault
	at      map[string]int // fixed column to its position
	weights []weightColumn
	q       *quiz.Question // being read
	was     []quiz.Choice  // its answers before
	read    int
}

type weightColumn struct {
	position int
	name     string
	id       string
	votes    bool
}

func (r *tableReader) fault(column string, said say.Text) {
	r.faults = append(r.faults, Fault{Line: r.n, Column: column, Message: said.String()})
}

func (r *tableReader) head(row []string) bool {
	r.n, r.at = 1, map[string]int{}
	for i, cell := range row {
		name := strings.TrimSpace(Unguard(cell))
		low := strings.ToLower(name)
		root, id, dotted := strings.Cut(name, ".")
		switch {
		case name == "":
		case slices.Contains(fixed, low):
			if _, twice := r.at[low]; twice {
				r.fault(name, columnAppearsTwice.With())
			}
			r.at[low] = i
		case dotted && strings.EqualFold(root, "scale"):
			r.weights = append(r.weights, weightColumn{i, name, r.scale(id), false})
		case dotted && strings.EqualFold(root, "keyword"):
			r.weights = append(r.weights, weightColumn{i, name, r.keyword(id), true})
		default:
			r.fault(name, unknownColumnUseScaleName.With(strings.Join(fixed, ", ")))
		}
	}
	for _, must := range []string{"text", "label"} {
		if _, ok := r.at[must]; !ok {
			r.fault(must, columnMissingPutColumnNames.With())
		}
	}
	return len(r.faults) == 0
}

func (r *tableReader) scale(name string) string {
	for _, s := range r.d.Scales {
		if s.ID == name || strings.EqualFold(s.Name, name) {
			return s.ID
		}
	}
	id := idOf(name, func(id string) bool { return r.d.Scale(id) != nil })
	r.d.Scales = append(r.d.Scales, quiz.Scale{ID: id, Name: name})
	return id
}

func (r *tableReader) keyword(name string) string {
	for _, k := range r.d.Keywords {
		if k.ID == name || strings.EqualFold(k.Name, name) {
			return k.ID
		}
	}
	id := idOf(name, func(id string) bool { return r.d.Keyword(id) != nil })
	r.d.Keywords = append(r.d.Keywords, quiz.Keyword{ID: id, Name: name})
	return id
}

func (r *tableReader) row(row []string) {
	cell := func(name string) string {
		if i, ok := r.at[name]; ok && i < len(row) {
			return strings.TrimSpace(Unguard(row[i]))
		}
		return ""
	}
	if strings.TrimSpace(strings.Join(row, "")) == "" {
		return
	}
	id, text := cell("question"), cell("text")
	if r.q == nil || id != "" && id != r.q.ID || id == "" && text != "" {
		r.flush()
		if !r.begin(id, text, cell) {
			return
		}
	}
	points, votes := r.figures(row)
	answer, label := cell("answer"), cell("label")
	switch {
	case kind.Of(r.q).About().Range:
		r.values(answer, points, votes)
	case kind.Of(r.q).About().Choices:
		if answer == "" && label == "" {
			return
		}
		r.choice(answer, label, cell("right"), points, votes)
	case answer != "" || label != "":
		r.fault("label", questionTypeCantHaveAnswers.With(r.q.Kind))
	}
}

// begin starts a question; its answers are those of the sheet alone.
func (r *tableReader) begin(id, text string, cell func(string) string) bool {
	q := quiz.Question{ID: id, Kind: quiz.Single, Required: true}
	old := r.d.Question(id)
	if old >= 0 {
		q = r.d.Questions[old]
	} else if id == "" {
		q.ID = quiz.Unused("q", func(id string) bool { return r.d.Question(id) >= 0 })
	} else if q.ID = id; !quiz.ValidID(id) {
		r.fault("question", cantIDStartWithLetter.With(id))
		return false
	}
	if text == "" && old < 0 {
		r.fault("text", questionHasNoText.With())
		return false
	}
	if text != "" {
		q.Text = text
	}
	if name := cell("kind"); name != "" {
		k := kind.Name(strings.ToLower(strings.ReplaceAll(name, " ", "_")))
		if !slices.Contains(kind.Names, k) {
			r.fault("kind", isntQuestionType.With(name))
			return false
		}
		q.Kind = k
	}
	if _, given := r.at["required"]; given {
		required, ok := yes(cell("required"))
		if !ok {
			r.fault("required", useYesOrNo.With())
		}
		q.Required = required
	}
	for _, bound := range []struct {
		name string
		to   **rule.Number
	}{{"from", &q.From}, {"to", &q.To}} {
		if s := cell(bound.name); s != "" {
			n, err := decimal(strings.ReplaceAll(s, ",", "."))
			if err != nil {
				r.fault(bound.name, say.Of(err))
				continue
			}
			*bound.to = &n
		}
	}
	r.q = &q
	r.was = q.Choices
	r.q.Choices, r.q.Linear, r.q.Steps = nil, nil, nil
	r.read++
	return true
}

func yes(s string) (bool, bool) {
	switch strings.ToLower(s) {
	case "yes", "y", "true", "1", "x", "ja", "oui":
		return true, true
	case "", "no", "n", "false", "0", "nein", "non":
		return false, true
	}
	return false, false
}

func (r *tableReader) figures(row []string) (points, votes map[string]rule.Number) {
	points, votes = map[string]rule.Number{}, map[string]rule.Number{}
	for _, w := range r.weights {
		if w.position >= len(row) {
			continue
		}
		s := strings.ReplaceAll(strings.ReplaceAll(strings.TrimSpace(row[w.position]), "−", "-"), ",", ".")
		if s == "" {
			continue
		}
		n, err := decimal(strings.TrimPrefix(s, "+"))
		if err != nil {
			r.fault(w.name, say.Of(err))
			continue
		}
		if n.Sign() == 0 {
			continue
		}
		if w.votes {
			votes[w.id] = n
		} else {
			points[w.id] = n
		}
	}
	return points, votes
}

func (r *tableReader) choice(id, label, right string, points, votes map[string]rule.Number) {
	c := quiz.Choice{}
	if i := slices.IndexFunc(r.was, func(c quiz.Choice) bool { return id != "" && c.ID == id }); i >= 0 {
		c = r.was[i]
	}
	c.ID, c.Points, c.Votes = id, nil, nil
	if len(points) > 0 {
		c.Points = points
	}
	if len(votes) > 0 {
		c.Votes = votes
	}
	if label != "" {
		c.Label = label
	}
	if _, given := r.at["right"]; given {
		ok := false
		if c.Correct, ok = yes(right); !ok {
			r.fault("right", useYesOrNo.With())
		}
	}
	taken := func(id string) bool {
		return r.q.Choice(id) >= 0 || slices.ContainsFunc(r.was, func(c quiz.Choice) bool { return c.ID == id })
	}
	switch {
	case id == "":
		c.ID = quiz.Unused("a", taken)
	case !quiz.ValidID(id):
		r.fault("answer", cantIDUseOnlyLetters.With(id))
		return
	case r.q.Choice(id) >= 0:
		r.fault("answer", answerAppearsTwiceInQuestion.With(id, r.q.ID))
		return
	}
	r.q.Choices = append(r.q.Choices, c)
}

// values reads a factor, an offset or a step of a rating or number.
func (r *tableReader) values(answer string, points, votes map[string]rule.Number) {
	low := strings.ToLower(answer)
	switch {
	case answer == "":
	case low == "factor" || low == "offset":
		for id, n := range points {
			if r.q.Linear == nil {
				r.q.Linear = map[string]quiz.LinearPoint{}
			}
			l := r.q.Linear[id]
			if low == "factor" {
				l.Factor = n
			} else {
				l.Offset = n
			}
			r.q.Linear[id] = l
		}
	case strings.HasPrefix(low, "from "):
		from, err := decimal(strings.TrimSpace(low[5:]))
		if err != nil {
			r.fault("answer", say.Of(err))
			return
		}
		r.q.Steps = append(r.q.Steps, quiz.Step{From: from, Points: points, Votes: votes})
	default:
		r.fault("answer", rowsMustNamedFactorOffset.With(r.q.Kind, answer))
	}
}

// flush puts the question that was read into the quiz.
func (r *tableReader) flush() {
	if r.q == nil {
		return
	}
	if i := r.d.Question(r.q.ID); i >= 0 {
		r.d.Questions[i] = *r.q
	} else {
		r.d.Questions = append(r.d.Questions, *r.q)
	}
	r.q = nil
}
