package respond

import (
	"net/url"
	"strings"

	"omphalos/app/page"
	"omphalos/core/fill"
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

// The names of the contact step's controls: no question's id has a "." at its beginning.
const (
	contactPrefix = ".c."
	consentField  = ".consent"
)

// contact fills in the contact step, with what was typed and what is wrong with it.
func (v *version) contact(s screen, p *place) screen {
	failed, c := p.Failed, v.Doc.Contact
	s.Error, s.Skip = failed, c.Optional
	filled := v.filler(p)
	s.Title = quiz.FirstOf(filled(c.Heading, fill.Plain), v.Look.say("contact"))
	s.Text = page.Markdown(filled(c.Text, fill.EscapeMarkdown))
	if p.At == atAfter {
		s.After = true
		res := v.walk.Walk(p.input())
		s.Outcome = v.Doc.Outcome(res.Outcome)
		source := fill.Source{Doc: v.Doc, Input: p.input(), Result: res, Lead: p.ID}
		s.Section = &section{Heading: fill.Text(quiz.FirstOf(s.Outcome.Heading, s.Outcome.Title()), source.Lookup, fill.Plain)}
	}
	if failed != nil {
		s.Title = v.Look.say("error") + ": " + s.Title
	}
	for _, f := range c.Fields {
		name := contactPrefix + f.ID
		in := input{Name: name, Label: quiz.FirstOf(f.Label, f.ID), Value: p.Typed[name], Need: f.Required}
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
			in.Error = v.Look.translate(failed.Message)
		}
		s.Contact = append(s.Contact, in)
	}
	if agree := c.Consent; agree != nil {
		s.Consent = &input{Name: consentField, Label: filled(agree.Text, fill.Plain), Checked: p.Typed[consentField] != "", Need: agree.Required}
		if failed != nil && failed.Field == consentField {
			s.Consent.Error = v.Look.translate(failed.Message)
		}
	}
	return s
}

// readContact reads the posted contact step; nil without an error when it was skipped.
func (v *version) readContact(form url.Values, p *place) (*contactReply, *fieldError) {
	c := v.Doc.Contact
	if c.Optional && form.Get(skipField) != "" {
		return nil, nil
	}
	out := &contactReply{Fields: map[string]string{}}
	for _, f := range c.Fields {
		name := contactPrefix + f.ID
		value := strings.TrimSpace(form.Get(name))
		switch {
		case value == "" && f.Required:
			return nil, &fieldError{name, words["fill_in"]}
		case len(value) > 500:
			return nil, &fieldError{name, "Use at most 500 characters."}
		case value != "" && f.Kind == "email" && !walk.ValidEmail(value):
			return nil, &fieldError{name, words["email"]}
		case value != "" && f.Kind == "phone":
			number, err := E164(value, p.Visitor.Country)
			if err != nil {
				return nil, &fieldError{name, words["phone"]}
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
			return nil, &fieldError{consentField, words["tick"]}
		}
		if ticked {
			out.Consent = v.filler(p)(agree.Text, fill.Plain)
		}
	}
	return out, nil
}

// typedContact is what the contact step was sent.
func typedContact(form url.Values) map[string]string {
	out := map[string]string{}
	for name := range form {
		if strings.HasPrefix(name, contactPrefix) || name == consentField {
			out[name] = clip(form.Get(name))
		}
	}
	return out
}
