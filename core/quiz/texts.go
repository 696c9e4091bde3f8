package quiz

import (
	"encoding/json"
	"fmt"
	"strings"

	"golang.org/x/text/language"
	"golang.org/x/text/language/display"
)

// Translations are the texts of a quiz in further languages: by language (BCP 47), then by place (see Text). One set of
// questions and weights serves all of them.
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
func (d *Document) Texts() []Text {
	var out []Text
	d.eachText(func(t Text, _ *string) { out = append(out, t) })
	return out
}

func (d *Document) eachText(f func(t Text, text *string)) {
	v := visitor{d, f}
	v.bare("name", "/name", &d.Name)
	if i := d.Intro; i != nil {
		v.filled("intro.heading", "/intro/heading", &i.Heading)
		v.long("intro.text", "/intro/text", &i.Text)
		v.bare("intro.button", "/intro/button", &i.Button)
		v.bare("intro.alt", "/intro/alt", &i.Alt)
	}
	v.questions()
	for i := range d.Scales {
		v.bare("scales."+d.Scales[i].ID, Pointer("scales", i, "name"), &d.Scales[i].Name)
	}
	for i := range d.Keywords {
		v.bare("keywords."+d.Keywords[i].ID, Pointer("keywords", i, "name"), &d.Keywords[i].Name)
	}
	for i := range d.Outcomes {
		v.outcome(&d.Outcomes[i], Pointer("outcomes", i))
	}
	v.contact()
	for i := range d.Messages {
		v.message(&d.Messages[i], Pointer("messages", i))
	}
}

// visitor goes through the texts of a document in the order in which respondents meet them.
type visitor struct {
	d *Document
	f func(t Text, text *string)
}

// bare visits a text that is shown as it is.
func (v visitor) bare(place, at string, text *string) {
	v.f(Text{Place: place, At: at, Original: *text}, text)
}

// filled visits a text in which names in braces are filled in.
func (v visitor) filled(place, at string, text *string) {
	v.f(Text{Place: place, At: at, Original: *text, Filled: true}, text)
}

// long visits a text that is Markdown besides.
func (v visitor) long(place, at string, text *string) {
	v.f(Text{Place: place, At: at, Original: *text, Filled: true, Markdown: true}, text)
}

// questions visits each section with the first of its questions; those without a question come last.
func (v visitor) questions() {
	d := v.d
	opened := map[string]bool{}
	section := func(s int) {
		if sec := &d.Sections[s]; !opened[sec.ID] {
			opened[sec.ID] = true
			v.filled("sections."+sec.ID+".heading", Pointer("sections", s, "heading"), &sec.Heading)
			v.long("sections."+sec.ID+".text", Pointer("sections", s, "text"), &sec.Text)
		}
	}
	for n := range d.Questions {
		for s := range d.Sections {
			if d.Sections[s].ID == d.Questions[n].Section {
				section(s)
			}
		}
		v.question(&d.Questions[n], Pointer("questions", n))
	}
	for s := range d.Sections {
		section(s)
	}
}

func (v visitor) question(q *Question, at string) {
	name := "questions." + q.ID
	v.filled(name+".text", at+"/text", &q.Text)
	v.long(name+".help", at+"/help", &q.Help)
	v.bare(name+".alt", at+"/alt", &q.Alt)
	v.bare(name+".unit", at+"/unit", &q.Unit)
	for i := range q.Ends {
		text := Text{Place: fmt.Sprint(name, ".ends.", i), At: at + Pointer("ends", i), Original: q.Ends[i]}
		text.counted = true
		v.f(text, &q.Ends[i])
	}
	for i := range q.Rows {
		v.filled(name+".rows."+q.Rows[i].ID, at+Pointer("rows", i, "label"), &q.Rows[i].Label)
	}
	for i := range q.Choices {
		c, choice := &q.Choices[i], name+".choices."+q.Choices[i].ID
		v.filled(choice+".label", at+Pointer("choices", i, "label"), &c.Label)
		v.bare(choice+".alt", at+Pointer("choices", i, "alt"), &c.Alt)
		v.long(choice+".why", at+Pointer("choices", i, "why"), &c.Why)
	}
}

func (v visitor) outcome(o *Outcome, at string) {
	name := "outcomes." + o.ID
	v.filled(name+".heading", at+"/heading", &o.Heading)
	v.long(name+".text", at+"/text", &o.Text)
	v.bare(name+".alt", at+"/alt", &o.Alt)
	if o.Ending == nil {
		return
	}
	for j := range o.Ending.Buttons {
		label := &o.Ending.Buttons[j].Label
		v.f(Text{
			Place:    fmt.Sprint(name, ".buttons.", j),
			At:       at + Pointer("ending", "buttons", j, "label"),
			Original: *label,
			Filled:   true,
			counted:  true,
		}, label)
	}
}

// message visits what a respondent is written. Messages to others are in the team's language.
func (v visitor) message(m *Message, at string) {
	if m.To != ToRespondent {
		return
	}
	v.filled("messages."+m.ID+".subject", at+"/subject", &m.Subject)
	v.long("messages."+m.ID+".text", at+"/text", &m.Text)
}

func (v visitor) contact() {
	c := v.d.Contact
	if c == nil {
		return
	}
	v.filled("contact.heading", "/contact/heading", &c.Heading)
	v.long("contact.text", "/contact/text", &c.Text)
	for i := range c.Fields {
		v.bare("contact.fields."+c.Fields[i].ID, Pointer("contact", "fields", i, "label"), &c.Fields[i].Label)
	}
	if c.Consent != nil {
		v.filled("contact.consent", "/contact/consent/text", &c.Consent.Text)
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

// Fits reports whether a translation is used for a text: it says something, and a text whose place only counts lines is
// still the one that it was made for.
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
			ps.add(at, "Use a code such as de or pt-BR (BCP 47).", "%q is no language", code)
		}
		if strings.EqualFold(code, FirstOf(d.Language, "en")) {
			ps.add(
				at,
				"Remove it, or change the language of the quiz.",
				"%s is the language of the quiz itself",
				code,
			)
		}
		for _, place := range sortedKeys(d.Translations[code]) {
			if word, is := strings.CutPrefix(place, wordsPlace); is && ValidID(word) {
				continue
			}
			if !places[place] {
				ps.add(at+Pointer(place), "Remove it, or look for a slip in its name.", "there is no text %q", place)
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
