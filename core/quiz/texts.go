package quiz

import (
	"encoding/json"
	"strconv"
	"strings"

	"golang.org/x/text/language"
	"golang.org/x/text/language/display"
)

// Translations are the texts of a quiz in further languages: by language (BCP 47), then by place (see Text). One set
// of questions and weights serves all of them.
type Translations map[string]map[string]Translated

// Translated is one text in a further language.
type Translated struct {
	Text string `json:"text"`
	Of   string `json:"of,omitempty"` // the original that it was made for; where that has changed it is to be checked
}

// Text is one text of a quiz that respondents read.
type Text struct {
	Place    string // its name, of ids joined by ".": it stays when lines move
	At       string // JSON Pointer
	Original string
	Markdown bool
	Filled   bool // earlier answers, scores and parameters can be filled in
	counted  bool // the place counts lines instead of naming them
}

// wordsPlace begins the places of what buttons and messages say.
const wordsPlace = "words."

// Texts lists the texts of the document in reading order, the empty ones too. What buttons and messages say is not
// among them.
func (d *Document) Texts() []Text { return d.TextsWhere(func(string) bool { return true }) }

// TextsWhere lists those of the texts that is finds, by what they say in the quiz's own language.
func (d *Document) TextsWhere(is func(original string) bool) []Text {
	var out []Text
	v := visitor{d, is, func(t Text, _ *string) { out = append(out, t) }}
	v.all()
	return out
}

func (d *Document) eachText(f func(t Text, text *string)) {
	v := visitor{d, func(string) bool { return true }, f}
	v.all()
}

// visitor goes through the texts of a document in the order in which respondents meet them, and calls f for those that
// are wanted: a text is named only then.
type visitor struct {
	d      *Document
	wanted func(original string) bool
	f      func(t Text, text *string)
}

// spot is where a text stands: in a field of the document, of one of its parts, or of a line of a part.
type spot struct {
	part   string // of the document: "intro", "questions"; "" for its own field
	at     int    // in the part, where that is a list; the id names it
	id     string
	list   string // of the part: "choices"; a path in a part of the part: "ending/buttons"
	line   int
	lineID string // "" for lines without ids: those are counted
	field  string // "consent/text" where it is in a part of the part
	one    bool   // the field is the only text there, and not part of the place
}

// text names the spot.
func (s spot) text() Text {
	var place, at strings.Builder
	name := func(parts ...string) {
		for _, part := range parts {
			if part != "" {
				place.WriteString(part + ".")
			}
		}
	}
	if s.part != "" {
		at.WriteString("/" + s.part)
		name(s.part, s.id)
		if s.id != "" {
			at.WriteString("/" + strconv.Itoa(s.at))
		}
	}
	t := Text{}
	if s.list != "" {
		at.WriteString("/" + s.list + "/" + strconv.Itoa(s.line))
		id := s.lineID
		if id == "" {
			id, t.counted = strconv.Itoa(s.line), true
		}
		name(s.list[strings.LastIndex(s.list, "/")+1:], id)
	}
	if s.field != "" {
		at.WriteString("/" + s.field)
		if !s.one {
			field, _, _ := strings.Cut(s.field, "/")
			name(field)
		}
	}
	t.Place, t.At = strings.TrimSuffix(place.String(), "."), at.String()
	return t
}

// visit visits a text, which stays as it is, is filled in, or is Markdown that is filled in.
func (v visitor) visit(s spot, filled, markdown bool, text *string) {
	if !v.wanted(*text) {
		return
	}
	t := s.text()
	t.Original, t.Filled, t.Markdown = *text, filled, markdown
	v.f(t, text)
}

// bare visits a text that is shown as it is.
func (v visitor) bare(s spot, text *string) { v.visit(s, false, false, text) }

// filled visits a text in which names in braces are filled in.
func (v visitor) filled(s spot, text *string) { v.visit(s, true, false, text) }

// long visits a text that is Markdown besides.
func (v visitor) long(s spot, text *string) { v.visit(s, true, true, text) }

func (v visitor) all() {
	d := v.d
	v.bare(spot{field: "name"}, &d.Name)
	if i := d.Intro; i != nil {
		v.filled(spot{part: "intro", field: "heading"}, &i.Heading)
		v.long(spot{part: "intro", field: "text"}, &i.Text)
		v.bare(spot{part: "intro", field: "button"}, &i.Button)
		v.bare(spot{part: "intro", field: "alt"}, &i.Alt)
	}
	v.questions()
	for i := range d.Scales {
		v.bare(spot{part: "scales", at: i, id: d.Scales[i].ID, field: "name", one: true}, &d.Scales[i].Name)
	}
	for i := range d.Keywords {
		v.bare(spot{part: "keywords", at: i, id: d.Keywords[i].ID, field: "name", one: true}, &d.Keywords[i].Name)
	}
	for i := range d.Outcomes {
		v.outcome(&d.Outcomes[i], i)
	}
	v.contact()
	for i := range d.Messages {
		v.message(&d.Messages[i], i)
	}
}

// questions visits each section with the first of its questions; those without a question come last.
func (v visitor) questions() {
	d := v.d
	opened := map[string]bool{}
	section := func(s int) {
		if sec := &d.Sections[s]; !opened[sec.ID] {
			opened[sec.ID] = true
			v.filled(spot{part: "sections", at: s, id: sec.ID, field: "heading"}, &sec.Heading)
			v.long(spot{part: "sections", at: s, id: sec.ID, field: "text"}, &sec.Text)
		}
	}
	for n := range d.Questions {
		for s := range d.Sections {
			if d.Sections[s].ID == d.Questions[n].Section {
				section(s)
			}
		}
		v.question(&d.Questions[n], n)
	}
	for s := range d.Sections {
		section(s)
	}
}

func (v visitor) question(q *Question, n int) {
	here := spot{part: "questions", at: n, id: q.ID}
	field := func(name string) spot { s := here; s.field = name; return s }
	v.filled(field("text"), &q.Text)
	v.long(field("help"), &q.Help)
	v.bare(field("alt"), &q.Alt)
	v.bare(field("unit"), &q.Unit)
	for i := range q.Ends {
		end := here
		end.list, end.line = "ends", i
		v.bare(end, &q.Ends[i])
	}
	for i := range q.Rows {
		row := field("label")
		row.list, row.line, row.lineID, row.one = "rows", i, q.Rows[i].ID, true
		v.filled(row, &q.Rows[i].Label)
	}
	for i := range q.Choices {
		c := &q.Choices[i]
		choice := func(name string) spot {
			s := field(name)
			s.list, s.line, s.lineID = "choices", i, c.ID
			return s
		}
		v.filled(choice("label"), &c.Label)
		v.bare(choice("alt"), &c.Alt)
		v.long(choice("why"), &c.Why)
	}
}

func (v visitor) outcome(o *Outcome, n int) {
	field := func(name string) spot { return spot{part: "outcomes", at: n, id: o.ID, field: name} }
	v.filled(field("heading"), &o.Heading)
	v.long(field("text"), &o.Text)
	v.bare(field("alt"), &o.Alt)
	if o.Ending == nil {
		return
	}
	for j := range o.Ending.Buttons {
		button := field("label")
		button.list, button.line, button.one = "ending/buttons", j, true
		v.filled(button, &o.Ending.Buttons[j].Label)
	}
}

// message visits what a respondent is written. Messages to others are in the team's language.
func (v visitor) message(m *Message, n int) {
	if m.To != ToRespondent {
		return
	}
	v.filled(spot{part: "messages", at: n, id: m.ID, field: "subject"}, &m.Subject)
	v.long(spot{part: "messages", at: n, id: m.ID, field: "text"}, &m.Text)
}

func (v visitor) contact() {
	c := v.d.Contact
	if c == nil {
		return
	}
	v.filled(spot{part: "contact", field: "heading"}, &c.Heading)
	v.long(spot{part: "contact", field: "text"}, &c.Text)
	for i := range c.Fields {
		f := &c.Fields[i]
		v.bare(spot{part: "contact", list: "fields", line: i, lineID: f.ID, field: "label", one: true}, &f.Label)
	}
	if c.Consent != nil {
		v.filled(spot{part: "contact", field: "consent/text"}, &c.Consent.Text)
	}
}

// LanguageName is the English name of a language, or its code.
func LanguageName(code string) string {
	if tag, err := language.Parse(code); err == nil {
		return FirstOf(display.English.Tags().Name(tag), code)
	}
	return code
}

// Languages lists the languages of the quiz: its own first, then the further ones by their codes.
func (d *Document) Languages() []string {
	return append([]string{FirstOf(d.Language, "en")}, sortedKeys(d.Translations)...)
}

// Fits reports whether a translation is used for a text: it says something, and a text whose place only counts lines
// is still the one that it was made for.
func (t *Text) Fits(by Translated) bool {
	return t.Original != "" && by.Text != "" && (!t.counted || by.Of == t.Original)
}

// In returns the document in one of its further languages: texts that are not translated stay as they are. In its own
// language, or one that it does not have, it is the document itself.
func (d *Document) In(code string) *Document {
	texts, ok := d.Translations[code]
	if !ok {
		return d
	}
	out := d.clone()
	out.Language = code
	out.eachText(func(t Text, text *string) {
		if by := texts[t.Place]; t.Fits(by) {
			*text = by.Text
		}
	})
	// Words and direction are those of the language.
	out.Theme.Direction, out.Theme.Words = "", nil
	for place, by := range texts {
		if key, is := strings.CutPrefix(place, wordsPlace); is && by.Text != "" {
			if out.Theme.Words == nil {
				out.Theme.Words = map[string]string{}
			}
			out.Theme.Words[key] = by.Text
		}
	}
	return out
}

func (d *Document) clone() *Document {
	b, err := json.Marshal(d)
	var out Document
	if err == nil {
		err = json.Unmarshal(b, &out)
	}
	if err != nil {
		panic(err) // what has been read can be written and read again
	}
	return &out
}

// Untranslated lists the texts that a further language lacks, and those whose original has changed since.
func (d *Document) Untranslated(code string) (missing, changed []Text) {
	texts := d.Translations[code]
	for _, t := range d.Texts() {
		by := texts[t.Place]
		switch {
		case strings.TrimSpace(t.Original) == "":
		case by.Text == "":
			missing = append(missing, t)
		case by.Of != "" && by.Of != t.Original:
			changed = append(changed, t)
		}
	}
	return missing, changed
}

// places are the names of all texts.
func (d *Document) places() map[string]bool {
	out := map[string]bool{}
	d.eachText(func(t Text, _ *string) { out[t.Place] = true })
	return out
}

// checkTranslations checks that languages are ones and that every text has its place.
func (d *Document) checkTranslations(ps *Problems) {
	if len(d.Translations) == 0 {
		return
	}
	places := d.places()
	for _, code := range sortedKeys(d.Translations) {
		at := Pointer("translations", code)
		if _, err := language.Parse(code); err != nil {
			ps.add(at, useCodeSuchDeOr.With(), isntLanguageCode.With(code))
		}
		if strings.EqualFold(code, FirstOf(d.Language, "en")) {
			ps.add(
				at,
				removeOrChangeLanguageQuiz.With(), alreadyQuizsOwnLanguage.With(code),
			)
		}
		for _, place := range sortedKeys(d.Translations[code]) {
			if word, is := strings.CutPrefix(place, wordsPlace); is && ValidID(word) {
				continue
			}
			if !places[place] {
				ps.add(at+Pointer(place), removeOrCheckSpelling.With(), textDoesntExist.With(place))
			}
		}
	}
}

// dropTexts are the operations that take away translations of texts that an edit has taken away, so that a new line
// that gets a free id never shows another one's words.
func dropTexts(before, after *Document) Patch {
	if len(before.Translations) == 0 || len(after.Translations) == 0 {
		return nil
	}
	had, has := before.places(), after.places()
	var out Patch
	for _, code := range sortedKeys(after.Translations) {
		for _, place := range sortedKeys(after.Translations[code]) {
			if had[place] && !has[place] {
				out = append(out, Remove(Pointer("translations", code, place)))
			}
		}
	}
	return out
}
