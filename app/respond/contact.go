package respond

import (
	"net/url"
	"strings"

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
	failed := p.Failed
	s.Title, s.Error = "One last thing", failed
	if h := v.Doc.Contact.Heading; h != "" {
		s.Title = h
	}
	for _, f := range v.Doc.Contact.Fields {
		in := input{Name: contactPrefix + f.ID, Label: first(f.Label, f.ID), Value: p.Typed[contactPrefix+f.ID], Need: f.Required}
		switch f.Kind {
		case "email":
			in.Type, in.Auto = "email", "email"
		case "phone":
			in.Type, in.Auto = "tel", "tel"
		case "name":
			in.Auto = "name"
		case "company":
			in.Auto = "organization"
		}
		if failed != nil && failed.Field == in.Name {
			in.Error = failed.Message
		}
		s.Contact = append(s.Contact, in)
	}
	if agree := v.Doc.Contact.Consent; agree != nil {
		s.Consent = &input{Name: consentField, Label: agree.Text, Checked: p.Typed[consentField] != "", Need: agree.Required}
		if failed != nil && failed.Field == consentField {
			s.Consent.Error = failed.Message
		}
	}
	return s
}

// readContact reads the posted contact step.
func (v *version) readContact(form url.Values) (*contactReply, *fieldError) {
	out := &contactReply{Fields: map[string]string{}}
	for _, f := range v.Doc.Contact.Fields {
		name := contactPrefix + f.ID
		value := strings.TrimSpace(form.Get(name))
		switch {
		case value == "" && f.Required:
			return nil, &fieldError{name, "Please fill this in."}
		case len(value) > 500:
			return nil, &fieldError{name, "Use at most 500 characters."}
		case value != "" && f.Kind == "email" && !walk.ValidEmail(value):
			return nil, &fieldError{name, "Type an e-mail address such as name@example.org."}
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
	if agree := v.Doc.Contact.Consent; agree != nil {
		ticked := form.Get(consentField) != ""
		if agree.Required && !ticked {
			return nil, &fieldError{consentField, "Tick the box to go on."}
		}
		if ticked {
			out.Consent = agree.Text
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
