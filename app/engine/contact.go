package engine

import (
	"net/url"
	"strconv"
	"strings"
	"unicode/utf8"

	"omphalos/app/kinds"
	"omphalos/core/fill"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// contactReply is what the contact step got.
type contactReply struct {
	Name    string
	Email   string
	Fields  map[string]string
	Consent string // the wording agreed to
}

// maxContact is how many characters a contact field has at most.
const maxContact = 500

// The names of the contact step's controls: no question's id has a "." at its beginning.
const (
	contactPrefix = ".c."
	consentField  = ".consent"
)

// contact fills in the contact step, with what was typed and what is wrong with it.
func (s *Source) contact(screen Screen, p *Place) Screen {
	failed, c := p.Failed, s.Doc.Contact
	screen.Error, screen.Skip = failed, c.Optional
	filled := s.filler(p)
	screen.Title = quiz.FirstOf(filled.plain(c.Heading), s.Look.say("contact"))
	screen.Text = filled.markdown(c.Text)
	if p.At == atAfter {
		screen.After = true
		res := s.walk.Walk(s.input(p))
		screen.Outcome = s.Doc.Outcome(res.Outcome)
		source := fill.Source{Doc: s.Doc, Input: s.input(p), Result: res, Lead: p.ID}
		screen.Section = &Section{
			Heading: fill.Cut(
				fill.Text(quiz.FirstOf(screen.Outcome.Heading, screen.Outcome.Title()), source.Reading, fill.Plain),
				fill.MostInLine,
			),
		}
	}
	if failed != nil {
		screen.Title = s.Look.say("error") + ": " + screen.Title
	}
	for _, f := range c.Fields {
		name := contactPrefix + f.ID
		in := kinds.Input{Name: name, Label: quiz.FirstOf(f.Label, f.ID), Value: p.Typed[name], Need: f.Required}
		if in.Value == "" && failed == nil {
			in.Value = p.Known[name]
		}
		switch f.Kind {
		case "email":
			in.Type, in.Auto = "email", "email"
		case "phone":
			in.Type, in.Auto = "tel", "tel"
		case "name":
			in.Auto = "name"
		case "company":
			in.Auto = "organization"
		case "country":
			in.Auto = "country-name"
		}
		if failed != nil && failed.Field == in.Name {
			in.Error = s.Look.sentence(failed)
		}
		screen.Contact = append(screen.Contact, in)
	}
	if agree := c.Consent; agree != nil {
		screen.Consent = &kinds.Input{
			Name:    consentField,
			Label:   filled.plain(agree.Text),
			Checked: p.Typed[consentField] != "",
			Need:    agree.Required,
		}
		if failed != nil && failed.Field == consentField {
			screen.Consent.Error = s.Look.sentence(failed)
		}
	}
	return screen
}

// readContact reads the posted contact step; nil without an error when it was skipped.
func (s *Source) readContact(form url.Values, p *Place) (*contactReply, *walk.FieldError) {
	c := s.Doc.Contact
	if c.Optional && form.Get(skipField) != "" {
		return nil, nil
	}
	out := &contactReply{Fields: map[string]string{}}
	for _, f := range c.Fields {
		name := contactPrefix + f.ID
		value := strings.TrimSpace(form.Get(name))
		switch {
		case value == "" && f.Required:
			return nil, &walk.FieldError{Field: name, Code: "fill_in"}
		case utf8.RuneCountInString(value) > maxContact:
			return nil, &walk.FieldError{Field: name, Code: "characters", Args: []string{strconv.Itoa(maxContact)}}
		case value != "" && f.Kind == "email" && !kind.ValidEmail(value):
			return nil, &walk.FieldError{Field: name, Code: "email"}
		case value != "" && f.Kind == "phone":
			number, err := E164(value, p.Visitor.Country)
			if err != nil {
				return nil, &walk.FieldError{Field: name, Code: "phone"}
			}
			value = number
		}
		if value == "" {
			continue
		}
		out.Fields[f.ID] = value
		switch {
		case f.Kind == "email" && out.Email == "":
			out.Email = value
		case f.Kind == "name" && out.Name == "":
			out.Name = value
		}
	}
	if agree := c.Consent; agree != nil {
		ticked := form.Get(consentField) != ""
		if agree.Required && !ticked {
			return nil, &walk.FieldError{Field: consentField, Code: "tick"}
		}
		if ticked {
			out.Consent = s.filler(p).plain(agree.Text)
		}
	}
	return out, nil
}

// typedContact is what the contact step was sent.
func typedContact(form url.Values) map[string]string {
	out := map[string]string{}
	for name := range form {
		if strings.HasPrefix(name, contactPrefix) || name == consentField {
			out[name] = atMost(form.Get(name), maxTyped)
		}
	}
	return out
}
