// Package sheet reads and writes quizzes as people draft them elsewhere: as plain text with a few marks, and as a
// spreadsheet with a row per answer. See docs/plain-text.md and docs/sheet.md.
package sheet

import (
	"fmt"
	"regexp"
	"strings"

	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/say"
)

// Fault is one thing that could not be read.
type Fault struct {
	Line    int    // of the text or table, from 1
	Column  string // of a table, "" for text
	Message string
}

// Error says all of it on one line.
func (f Fault) Error() string {
	if f.Column != "" {
		return fmt.Sprintf("line %d, column %s: %s", f.Line, f.Column, f.Message)
	}
	return fmt.Sprintf("line %d: %s", f.Line, f.Message)
}

var (
	questionLine = regexp.MustCompile(`^\d+[.)]\s+(.+)$`)
	answerLine   = regexp.MustCompile(`^[-*+•]\s*(.*)$`)
	hint         = regexp.MustCompile(`^(.*?)\s*\(([^()]*)\)$`)
	weightsAtEnd = regexp.MustCompile(`^(.*?)\s*\[([^\[\]]*)\]$`)
	rangeHint    = regexp.MustCompile(`^(rating|number)\s+(-?\d+(?:\.\d+)?)\s*(?:-|–|to)\s*(-?\d+(?:\.\d+)?)$`)
)

// hints are the kinds by the words that ask for them.
var hints = func() map[string]kind.Name {
	out := map[string]kind.Name{}
	for _, name := range kind.Names {
		for _, words := range kind.Of(&quiz.Question{Kind: name}).About().Hints {
			out[words] = name
		}
	}
	return out
}()

// ParseText reads a quiz from plain text: "# Name", "## Section", "1. Question", "- Answer [weights]". What it can
// read is in the document even when there are faults. A weight without a name counts on the first scale named, else
// on scale.
func ParseText(text, scale string) (*quiz.Document, []Fault) {
	d := quiz.New("Pasted quiz")
	d.Scales = nil
	p := &textReader{d: d, first: scale, scales: map[string]string{}, keywords: map[string]string{}}
	for i, line := range strings.Split(strings.ReplaceAll(text, "\r\n", "\n"), "\n") {
		p.n = i + 1
		p.line(strings.TrimRight(line, " \t\r"))
	}
	p.finish()
	return d, p.faults
}

type textReader struct {
	d        *quiz.Document
	n        int
	faults   []Fault
	section  string
	intro    []string
	first    string            // name of the scale of weights without a name
	scales   map[string]string // lower-case name to id
	keywords map[string]string
	options  bool // the last question's kind was given by a hint
}

func (p *textReader) fault(said say.Text) {
	p.faults = append(p.faults, Fault{Line: p.n, Message: said.String()})
}

func (p *textReader) last() *quiz.Question {
	if n := len(p.d.Questions); n > 0 {
		return &p.d.Questions[n-1]
	}
	return nil
}

func (p *textReader) line(raw string) {
	line := strings.TrimSpace(raw)
	switch {
	case line == "":
	case strings.HasPrefix(line, "## "):
		p.section = fmt.Sprint("part", len(p.d.Sections)+1)
		p.d.Sections = append(p.d.Sections, quiz.Section{ID: p.section, Heading: strings.TrimSpace(line[3:])})
	case strings.HasPrefix(line, "# "):
		p.d.Name = strings.TrimSpace(line[2:])
	case questionLine.MatchString(line):
		p.question(questionLine.FindStringSubmatch(line)[1])
	case answerLine.MatchString(line):
		p.answer(strings.TrimSpace(answerLine.FindStringSubmatch(line)[1]))
	case p.last() == nil:
		p.intro = append(p.intro, line)
	case len(p.last().Choices) == 0 && p.last().Help == "":
		p.last().Help = line
	default:
		p.fault(neitherQuestionNorAnswerStart.With(quiz.Shorten(line, 40)))
	}
}

func (p *textReader) question(text string) {
	q := quiz.Question{
		ID:       fmt.Sprint("q", len(p.d.Questions)+1),
		Kind:     quiz.Single,
		Required: true,
		Section:  p.section,
	}
	p.options = false
	if m := hint.FindStringSubmatch(text); m != nil {
		if p.hint(&q, strings.ToLower(m[2])) {
			text = m[1]
		}
	}
	q.Text = text
	if kind.Of(&q).About().Silent {
		q.Required = false
	}
	p.d.Questions = append(p.d.Questions, q)
}

// hint reads the words in brackets at the end of a question; other words belong to its text.
func (p *textReader) hint(q *quiz.Question, words string) bool {
	known := false
	for _, word := range strings.Split(words, ",") {
		word = strings.TrimSpace(word)
		if m := rangeHint.FindStringSubmatch(word); m != nil {
			q.Kind, q.From, q.To = hints[m[1]], number(m[2]), number(m[3])
			known, p.options = true, true
		} else if k, ok := hints[word]; ok {
			q.Kind, known, p.options = k, true, true
			if kind.Of(q).About().Scale {
				q.From, q.To = number("1"), number("5")
			}
		} else if word == "optional" {
			q.Required, known = false, true
		} else if word == "yes/no" {
			q.Choices = []quiz.Choice{{ID: "yes", Label: "Yes"}, {ID: "no", Label: "No"}}
			known, p.options = true, true
		} else {
			return known
		}
	}
	return known
}

// decimal reads a number of at most 4 decimals, as a document holds it.
func decimal(s string) (rule.Number, error) {
	n, err := rule.ParseNumber(s)
	if err != nil {
		return n, err
	}
	if places, ok := n.Places(); !ok || places > 4 {
		return n, hasMoreThanDecimals.Error(quiz.Shorten(s, 20))
	}
	if n.Abs().Cmp(most) > 0 {
		return n, isTooLarge.Error(quiz.Shorten(s, 20))
	}
	return n, nil
}

// most is the greatest size of a number in a document.
var most = rule.Int(1_000_000_000_000)

func number(s string) *rule.Number {
	n, err := decimal(s)
	if err != nil {
		return nil
	}
	return &n
}

func (p *textReader) answer(text string) {
	q := p.last()
	if q == nil {
		p.fault(theresAnswerBeforeFirstQuestion.With())
		return
	}
	if !kind.Of(q).About().Picks {
		p.fault(questionTypeCantHaveAnswers.With(q.Kind))
		return
	}
	c := quiz.Choice{}
	if m := weightsAtEnd.FindStringSubmatch(text); m != nil {
		text = m[1]
		p.weights(&c, m[2])
	}
	if text == "" {
		p.fault(answerHasNoText.With())
		return
	}
	c.Label = text
	if len(q.Choices) == 2 && q.Choices[0].ID == "yes" &&
		q.Choices[1].ID == "no" { // weights for the answers of a yes/no question
		for j := range q.Choices {
			if strings.EqualFold(q.Choices[j].Label, text) {
				c.ID, c.Label = q.Choices[j].ID, q.Choices[j].Label
				q.Choices[j] = c
				return
			}
		}
	}
	c.ID = fmt.Sprint("a", len(q.Choices)+1)
	q.Choices = append(q.Choices, c)
}

// bare is two numbers without a name: no one knows whether they are one with a decimal comma.
var bare = regexp.MustCompile(`^\s*([+\-−]?\d+)\s*,\s*(\d+)\s*$`)

var entry = regexp.MustCompile(`^(#?)(.*?)\s*([+\-−]?\d+(?:[.]\d+)?)?$`)

// weights reads what stands in brackets: "3" points on the first scale, "Fit 3" on another, "#Fern" a vote, "#Fern 2"
// two, "right" a right answer.
func (p *textReader) weights(c *quiz.Choice, text string) {
	if two := bare.FindStringSubmatch(text); two != nil {
		p.fault(couldMeanOrUseDecimal.With(text, two[1], two[2], two[1], two[2]))
		return
	}
	for _, word := range strings.Split(text, ",") {
		word = strings.TrimSpace(word)
		if word == "" {
			continue
		}
		if strings.EqualFold(word, "right") {
			c.Correct = true
			continue
		}
		m := entry.FindStringSubmatch(word)
		name := strings.TrimSpace(m[2])
		n := rule.Int(1)
		if m[3] != "" {
			var err error
			if n, err = decimal(strings.TrimPrefix(strings.ReplaceAll(m[3], "−", "-"), "+")); err != nil {
				p.fault(notWeight.With(word, err))
				continue
			}
		}
		switch {
		case m[1] == "#" && name != "":
			if c.Votes == nil {
				c.Votes = map[string]rule.Number{}
			}
			c.Votes[p.keyword(name)] = n
		case m[1] == "" && m[3] != "":
			if c.Points == nil {
				c.Points = map[string]rule.Number{}
			}
			c.Points[p.scale(name)] = n
		default:
			p.fault(isntWeightUseFormSuch.With(word))
		}
	}
}

func (p *textReader) scale(name string) string {
	if name == "" {
		name = p.first
		if len(p.d.Scales) > 0 {
			name = p.d.Scales[0].Name
		}
	}
	if id, ok := p.scales[strings.ToLower(name)]; ok {
		return id
	}
	id := idOf(name, func(id string) bool { return p.d.Scale(id) != nil })
	p.scales[strings.ToLower(name)] = id
	p.d.Scales = append(p.d.Scales, quiz.Scale{ID: id, Name: name})
	return id
}

func (p *textReader) keyword(name string) string {
	if id, ok := p.keywords[strings.ToLower(name)]; ok {
		return id
	}
	id := idOf(name, func(id string) bool { return p.d.Keyword(id) != nil })
	p.keywords[strings.ToLower(name)] = id
	p.d.Keywords = append(p.d.Keywords, quiz.Keyword{ID: id, Name: name})
	return id
}

// idOf makes an id of a name: its letters and digits in lower case, numbered where it is taken.
func idOf(name string, taken func(string) bool) string {
	var b strings.Builder
	for _, r := range strings.ToLower(name) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9' && b.Len() > 0:
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "_"):
			b.WriteByte('_')
		}
	}
	id := strings.Trim(b.String(), "_")
	if len(id) > 40 {
		id = strings.Trim(id[:40], "_")
	}
	if id == "" {
		id = "x"
	}
	if taken(id) {
		return quiz.Unused(id, taken)
	}
	return id
}

func (p *textReader) finish() {
	if len(p.intro) > 0 {
		p.d.Intro = &quiz.Intro{Heading: p.d.Name, Text: strings.Join(p.intro, "\n\n"), Button: "Start"}
	}
	if len(p.d.Questions) == 0 {
		p.n = 1
		p.fault(thereNoQuestionsTypeOne.With())
	}
	if len(p.d.Scales) == 0 && len(p.d.Keywords) == 0 {
		p.d.Scales = []quiz.Scale{{ID: "score", Name: "Score"}}
	}
	for i := range p.d.Questions { // a question without answers and without a hint is answered in words
		if q := &p.d.Questions[i]; q.Kind == quiz.Single && len(q.Choices) == 0 {
			q.Kind = quiz.ShortText
		}
	}
}
