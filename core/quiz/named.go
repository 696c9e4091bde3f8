package quiz

import (
	"slices"
	"strconv"
	"strings"
)

// Named names what a JSON Pointer into the document points to by the words of the quiz, as people would point to it:
// "the address of “Thank you”", "the points of “Over 10,000” on Fit". What is not there is named by its number.
func (d *Document) Named(pointer string) string {
	n := naming{d: d, parts: strings.Split(strings.TrimPrefix(pointer, "/"), "/")}
	if list := pointer[min(1, len(pointer)):]; len(n.parts) == 1 && lists[list] != "" {
		return "the " + lists[list]
	}
	switch n.next() {
	case "questions":
		return n.question()
	case "outcomes":
		return n.outcome()
	case "verdicts":
		return n.verdict()
	case "scales":
		return n.column("scale", len(d.Scales), func(i int) string { return d.Scales[i].Title() })
	case "keywords":
		return n.column("keyword", len(d.Keywords), func(i int) string { return d.Keywords[i].Title() })
	case "computed":
		return n.column("computed value", len(d.Computed), func(i int) string { return d.Computed[i].Name })
	case "sections":
		return n.column("section", len(d.Sections), func(i int) string { return d.Sections[i].Heading })
	case "intro":
		return n.fieldOf("the opening page")
	case "contact":
		return n.contact()
	case "recommendations":
		return n.fieldOf("the recommended products")
	case "translations":
		if code := n.next(); code != "" {
			return "a text in " + LanguageName(code)
		}
		return "the texts in other languages"
	case "otherwise":
		return "the outcome for everyone else"
	case "name":
		return "the name of the quiz"
	case "language":
		return "the language of the quiz"
	case "theme":
		return "the look of the pages"
	case "params":
		return "the link parameters"
	case "checks":
		return n.column("check", len(d.Checks), func(i int) string { return d.Checks[i].Title() })
	case "messages":
		return n.column("message", len(d.Messages), func(i int) string { return d.Messages[i].Title() })
	case "":
		return "the quiz"
	}
	return "the settings of the quiz"
}

// lists are the lists of a document as people call them.
var lists = map[string]string{
	"questions": "questions", "outcomes": "outcomes", "verdicts": "verdict lines", "scales": "scales",
	"keywords": "keywords", "computed": "computed values", "sections": "sections",
	"checks": "checks", "messages": "messages",
}

// naming reads a pointer part by part.
type naming struct {
	d     *Document
	parts []string
}

func (n *naming) next() string {
	if len(n.parts) == 0 {
		return ""
	}
	part := n.parts[0]
	n.parts = n.parts[1:]
	return strings.NewReplacer("~1", "/", "~0", "~").Replace(part)
}

// index is the next part as a place in a list; false for a new element, and for what is not there.
func (n *naming) index(length int) (number string, at int, there bool) {
	part := n.next()
	if part == "-" {
		return "", length, false
	}
	i, err := strconv.Atoi(part)
	return strconv.Itoa(i + 1), i, err == nil && i >= 0 && i < length
}

// nth names an element of a list by its number, and by its words where it has some.
func nth(word, number, title string) string {
	if number == "" {
		return "a new " + word
	}
	if title == "" {
		return word + " " + number
	}
	return word + " " + number + " " + quoteTitle(title)
}

func quoteTitle(title string) string { return "“" + Shorten(title, 40) + "”" }

// fieldNames are the fields of lines and pages as people call them.
var fieldNames = map[string]string{
	"text": "the text", "label": "the wording", "help": "the help", "heading": "the heading", "name": "the name",
	"image": "the picture", "alt": "the alternative text", "credit": "the credit", "why": "the explanation",
	"kind": "the type", "display": "the display", "required": "whether an answer is required", "weight": "the weight",
	"visible_if": "the condition to show", "when": "the condition", "event": "the conversion event",
	"qualified": "whether it is a qualified lead", "keep": "whether the response is stored",
	"correct": "whether it’s correct", "button": "the button", "section": "the section",
	"from": "the lowest value", "to": "the highest value", "step": "the step", "unit": "the unit", "ends": "the end labels",
	"least": "the minimum number of answers", "most": "the maximum number " +
		"of answers", "start": "the start", "formula": "the formula",
	"pinned": "the place", "other": "the write-in", "exclusive": "whether it’s exclusive", "shuffle": "the order",
	"linear": "the points for its value", "steps": "the steps", "id": "the id", "norm": "the norm",
	"place": "the place", "optional": "whether it can be skipped", "consent": "the consent",
	"off": "whether it’s on", "go": "where it leads", "choices_from": "the answers’ table",
	"addresses": "the addresses", "agreed": "whether it is for those who agreed", "after": "how long it waits",
	"subject": "the subject", "unscored": "whether it’s scored", "expect": "the expected result",
}

// fieldOf names a field of a thing, or the thing itself at the end of the pointer.
func (n *naming) fieldOf(thing string) string {
	field := n.next()
	if field == "" {
		return thing
	}
	name, known := fieldNames[field]
	if !known {
		name = "the " + strings.ReplaceAll(field, "_", " ")
	}
	return name + " of " + thing
}

func (n *naming) column(word string, length int, title func(int) string) string {
	number, i, there := n.index(length)
	if !there {
		return nth(word, number, "")
	}
	return n.fieldOf(word + " " + quoteTitle(title(i)))
}

func (n *naming) question() string {
	number, i, there := n.index(len(n.d.Questions))
	if !there {
		this := nth("question", number, "")
		if len(n.parts) > 0 && n.parts[0] == "choices" {
			return n.choice(&Question{}, this)
		}
		return this
	}
	q := &n.d.Questions[i]
	this := "question " + number
	if len(n.parts) == 0 || n.parts[0] == "text" {
		return n.fieldOf(nth("question", number, q.Text))
	}
	switch n.parts[0] {
	case "choices":
		return n.choice(q, this)
	case "rows":
		n.next()
		number, _, _ := n.index(len(q.Rows))
		return n.fieldOf(nth("row", number, "") + " of " + this)
	case "branches":
		n.next()
		number, _, _ := n.index(len(q.Branches))
		return n.fieldOf(nth("branch", number, "") + " of " + this)
	}
	return n.fieldOf(nth("question", number, q.Text))
}

func (n *naming) choice(q *Question, question string) string {
	n.next()
	number, i, there := n.index(len(q.Choices))
	if !there {
		return nth("answer", number, "") + " of " + question
	}
	this := quoteTitle(q.Choices[i].Title())
	if q.Choices[i].Label == "" {
		this = "answer " + number
	}
	if len(n.parts) > 1 && (n.parts[0] == "points" || n.parts[0] == "votes") {
		what := n.next()
		return "the " + what + " of " + this + " for " + n.columnName(what, n.next())
	}
	return n.fieldOf(this + " in " + question)
}

// columnName is what the scale or keyword with an id is called.
func (n *naming) columnName(of, id string) string {
	if of == "points" {
		if i := slices.IndexFunc(n.d.Scales, func(s Scale) bool { return s.ID == id }); i >= 0 {
			return n.d.Scales[i].Title()
		}
	} else if k := n.d.Keyword(id); k != nil {
		return k.Title()
	}
	return id
}

func (n *naming) outcome() string {
	number, i, there := n.index(len(n.d.Outcomes))
	if !there {
		return nth("outcome", number, "")
	}
	this := quoteTitle(n.d.Outcomes[i].Title())
	if len(n.parts) == 0 {
		return "outcome " + this
	}
	if n.parts[0] != "ending" {
		return n.fieldOf(this)
	}
	n.next()
	switch n.next() {
	case "url":
		return "the address of " + this
	case "lookup":
		if len(n.parts) > 0 && n.parts[0] == "fallback" {
			return "the other address of " + this
		}
		return "the address from a table of " + this
	case "buttons":
		number, _, _ := n.index(0)
		return nth("button", number, "") + " of " + this
	case "products":
		return "the products of " + this
	case "delay":
		return "the notice of " + this
	case "charts":
		return "the charts of " + this
	}
	return "the kind of ending of " + this
}

func (n *naming) verdict() string {
	number, i, there := n.index(len(n.d.Verdicts))
	this := nth("verdict line", number, "")
	if !there || len(n.parts) == 0 {
		return this
	}
	switch n.parts[0] {
	case "outcome":
		return "where " + this + " leads"
	case "bands":
		b := n.d.Verdicts[i].Bands
		if len(n.parts) < 3 || b == nil {
			return "the cut points of " + this
		}
		n.next()
		n.next()
		number, _, _ := n.index(len(b.Cuts))
		if len(n.parts) > 0 && n.parts[0] == "outcome" {
			return "where band " + number + " of " + this + " leads"
		}
		return nth("cut point", number, "") + " of " + this
	case "table":
		if len(n.parts) > 2 && n.parts[1] == "rows" {
			n.next()
			n.next()
			number, _, _ := n.index(0)
			return nth("row", number, "") + " of " + this
		}
		return "the table of " + this
	case "leader":
		return "the keywords of " + this
	case "closest":
		return "the profiles of " + this
	case "matrix":
		return n.matrix(n.d.Verdicts[i].Matrix, this)
	}
	return n.fieldOf(this)
}

// matrix names a cut point or a cell of a matrix by what it is on.
func (n *naming) matrix(m *Matrix, line string) string {
	n.next()
	switch part := n.next(); {
	case m != nil && (part == "across" || part == "down") && len(n.parts) > 1:
		edge := m.Across
		if part == "down" {
			edge = m.Down
		}
		n.next()
		number, _, _ := n.index(len(edge.Cuts))
		return nth("cut point", number, "") + " on " + n.d.FactName(edge.On) + " of " + line
	case part == "outcomes":
		return "where the cells of " + line + " lead"
	}
	return "the matrix of " + line
}

func (n *naming) contact() string {
	if len(n.parts) > 1 && n.parts[0] == "fields" {
		n.next()
		var fields []ContactField
		if n.d.Contact != nil {
			fields = n.d.Contact.Fields
		}
		number, i, there := n.index(len(fields))
		if there {
			return n.fieldOf("the contact field " + quoteTitle(FirstOf(fields[i].Label, fields[i].ID)))
		}
		return nth("contact field", number, "")
	}
	return n.fieldOf("the contact step")
}
