// Package kind holds the kinds of questions. Everything that differs by kind stands in the file of the kind: which
// fields of a question it uses and how they are checked, how a form's values become an answer, which answers there are
// and how likely, what conditions see of one, and what it is called. Nothing else compares kinds: it asks the kind.
//
// A new kind is a file here, its line in the registry below, and a folder in app/kinds for how it is shown.
package kind

import (
	"math/big"
	"math/rand/v2"

	"omphalos/core/rule"
	"omphalos/core/say"
)

// Name is how documents write a kind.
type Name string

// registry holds every kind, in the order in which they are offered.
var registry = []Kind{
	single{},
	multiple{},
	rating{},
	number{},
	grid{},
	ranking{},
	short,
	long,
	email,
	phone,
	date{},
	consent{},
	statement{},
}

// Names lists every kind of question.
var Names = names()

var byName = index()

func names() []Name {
	out := make([]Name, len(registry))
	for i, k := range registry {
		out[i] = k.About().Name
	}
	return out
}

func index() map[Name]Kind {
	out := make(map[Name]Kind, len(registry))
	for _, k := range registry {
		out[k.About().Name] = k
	}
	return out
}

// Of returns the kind of a question. One that does not exist, as of a document that was not checked, can be asked and
// takes text.
func Of(q *Question) Kind {
	if k, known := byName[q.Kind]; known {
		return k
	}
	return short
}

// About is what can be said of all questions of a kind. Rooms ask for these instead of comparing kinds.
type About struct {
	Name  Name
	Words string   // "single choice"
	Hints []string // how plain text asks for it, in brackets behind a question

	Silent   bool // it wants no answer
	Choices  bool // its answers are choices of the question, which can give points and votes
	Picks    bool // its answers are choices themselves, not choices in rows
	Many     bool // an answer can hold several choices
	Ordered  bool // the order of these counts
	Alone    bool // a choice can exclude the others
	Rows     bool // it is answered row by row
	Range    bool // its answers are numbers
	Scale    bool // and are shown as steps from one end to the other
	Typed    bool // someone types the answer
	Personal bool // what is typed says how to reach a person
	Lines    bool // what is typed can be long
	Day      bool // what is typed is a day
	Email    bool // what is typed is an email address
	Phone    bool // what is typed is a phone number

	Example string // what an invented person types
}

// Scores reports whether answers can give points and votes.
func (a *About) Scores() bool { return a.Choices || a.Range }

// Report takes what is wrong with a question: the place within it, what to do, and what is wrong.
type Report func(at string, fix, said say.Text)

// Validate reports what keeps a question from being asked and counted, by its kind.
func Validate(q *Question, report Report) {
	k := Of(q)
	k.Check(q, report)
	if len(q.Places) > 0 && !k.About().Ordered {
		report("/places", removePlaces.With(), onlyRankingHasPlaces.With())
	}
}

// Fact is one thing that conditions can see of an answer: answer.ID, or answer.ID.PART.
type Fact struct {
	Part  string
	Words string // behind the question's wording; "" for the answer itself
	Type  rule.Type
	Whole bool // it can be offered by itself; false where its parts are offered instead
}

// FactOf is the fact of a part of an answer, "" for the whole; nil where the question has none of this name. A
// statement has a fact that is always blank.
func FactOf(q *Question, part string) *Fact {
	list := Of(q).Facts(q)
	for i := range list {
		if list[i].Part == part {
			return &list[i]
		}
	}
	if part == "" {
		return &Fact{Type: rule.TextType}
	}
	return nil
}

// Gave is the condition that one of some choices was given.
func Gave(q *Question, choices ...string) rule.Condition {
	part, one, several := Of(q).Picked()
	fact := "answer." + q.ID
	if part != "" {
		fact += "." + part
	}
	var each []rule.Condition
	var in []rule.Scalar
	for _, id := range choices {
		in = append(in, rule.Scalar{Text: id})
		each = append(each, rule.Condition{Fact: fact, Op: one, Value: rule.One(rule.Scalar{Text: id})})
	}
	switch {
	case len(each) == 1:
		return each[0]
	case several != "":
		return rule.Condition{Fact: fact, Op: several, Value: &rule.Operand{IsList: true, List: in}}
	}
	return rule.Condition{Any: each}
}

// Fresh is a kind as people choose it, and what a question of it begins as: some kinds are offered in several forms.
type Fresh struct {
	Words   string // "Picture choice"
	Display string
	Preset  bool // only a beginning: the question becomes one of the other forms
	Usual   bool // most quizzes are made of it
	Make    func() Question
}

// Kind is what differs from one kind of question to another.
type Kind interface {
	About() *About
	// Check reports what keeps a question from being asked and counted.
	Check(q *Question, report Report)
	// Picks are the least and most choices that an answer has which is not blank.
	Picks(q *Question) (least, most int)

	// Fields are the names of the form fields, and table columns, that hold an answer.
	Fields(q *Question) []string
	// Read reads an answer from these fields; their values are trimmed and not empty.
	Read(q *Question, values func(field string) []string) (Answer, error)
	// Missing says what a required question still wants; nil when nothing.
	Missing(q *Question, a Answer) *FieldError
	// Take reads what a document writes as an answer, where choices go by their ids alone.
	Take(q *Question, g Given) (Answer, error)
	// JSON writes an answer as witnesses and exports show it.
	JSON(a Answer) any

	// Facts are what conditions see of an answer.
	Facts(q *Question) []Fact
	// Value is what a fact of the question is for an answer; part is "" for the answer itself.
	Value(q *Question, a Answer, part string) rule.Value
	// Picked is how conditions ask whether a choice was given: a part of the fact, the comparison with one choice, and
	// that with one of several, where there is one.
	Picked() (part string, one, several rule.Op)

	// Counts calls f with every choice that an answer gives the points of, and how often; 1 is once.
	Counts(q *Question, a Answer, f func(choice int, times rule.Number))
	// Best is the greatest sum of points that an answer can give: points are those of each choice, and values of each
	// number that could be the best.
	Best(q *Question, points func(choice int) rule.Number, values func() []rule.Number) rule.Number

	// First is the first answer that may be given to the question, blank where that is allowed.
	First(q *Question) Answer
	// Near are answers that differ from one by a little. The blank one is left out.
	Near(q *Question, a Answer) []Answer
	// Listed are the values of a field that shares can be assumed of; nil where they cannot be listed.
	Listed(q *Question) []string
	// Options lists all answers with their weights, merged where nothing tells them apart. It reports whether it had to
	// guess which ones there are.
	Options(l *Listing) (list []Option, guessed bool, err error)
	// Count is how many answers there are, the blank one among them.
	Count(l *Listing) *big.Int
	// Draw returns what draws answers by their weights.
	Draw(l *Listing, r *rand.Rand) func() Answer

	// Fresh are the forms in which the kind is offered.
	Fresh() []Fresh
}

// common is what most kinds have in common: one field, one value, no points.
type common struct{}

func (common) Check(*Question, Report) {}

func (common) Picks(q *Question) (least, most int) { return max(1, q.Least), q.most() }

func (common) Fields(q *Question) []string { return []string{q.ID} }

func (common) Missing(q *Question, a Answer) *FieldError { return blank(q, a, "type") }

func (common) JSON(a Answer) any { return a.Text }

func (common) Value(_ *Question, a Answer, part string) rule.Value {
	if part != "" {
		return rule.Value{}
	}
	return rule.TextValue(a.Text)
}

func (common) Picked() (part string, one, several rule.Op) { return "", rule.OpIs, rule.OpIn }

func (common) Counts(*Question, Answer, func(int, rule.Number)) {}

func (common) Best(*Question, func(int) rule.Number, func() []rule.Number) rule.Number {
	return rule.Number{}
}

func (common) First(*Question) Answer { return Answer{} }

func (common) Near(*Question, Answer) []Answer { return nil }

func (common) Listed(*Question) []string { return nil }

// blank says that a required question was left blank, by a code; nil when it was not.
func blank(q *Question, a Answer, code string) *FieldError {
	if a.Blank() {
		return fault(q.ID, code)
	}
	return nil
}

// only is the one value of a field, "" for none; more are an error.
func only(q *Question, values func(string) []string) (string, error) {
	given := values(q.ID)
	switch {
	case len(given) == 0:
		return "", nil
	case len(given) > 1:
		return "", fault(q.ID, "one_answer", len(given))
	}
	return given[0], nil
}

// answerFact is the one fact of most kinds.
func answerFact(t rule.Type) []Fact { return []Fact{{Type: t, Whole: true}} }

// asked makes a question of a kind that must be answered.
func asked(name Name) Question { return Question{Kind: name, Required: true} }

func form(words string, make func() Question) Fresh { return Fresh{Words: words, Make: make} }

// OfOne reports whether the question is answered with one of its choices and nothing else.
func OfOne(q *Question) bool {
	about := Of(q).About()
	return about.Picks && !about.Many
}

// FieldNames are the names of the form fields, and table columns, that hold an answer to the question.
func FieldNames(q *Question) []string { return Of(q).Fields(q) }
