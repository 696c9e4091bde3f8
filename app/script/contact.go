package script

import "omphalos/core/quiz"

// contactView is the contact step as it is edited at the end of the script.
type contactView struct {
	Place   string
	Places  []kindOption
	Fields  []contactToggle
	Contact *quiz.Contact
	Consent string // "" when there is none
	HasText bool
	On, Off string // patches of the consent line
}

type contactToggle struct {
	Name     string
	Shown    bool
	On, Off  string // patches
	Required bool
	Path     string
}

func contact(d *quiz.Document) contactView {
	c := quiz.Contact{Place: quiz.ContactNone}
	if d.Contact != nil {
		c = *d.Contact
	}
	v := contactView{Place: c.Place, Contact: d.Contact}
	with := func(change func(*quiz.Contact)) string {
		next := c
		next.Fields = append([]quiz.ContactField{}, c.Fields...)
		change(&next)
		return patch(add("/contact", next))
	}
	for _, p := range []struct{ place, name string }{{quiz.ContactNone, "nobody is asked"}, {quiz.ContactBefore, "asked before the outcome"}, {quiz.ContactAfter, "asked after the outcome"}} {
		v.Places = append(v.Places, kindOption{Name: p.name, Selected: p.place == c.Place, Patch: with(func(n *quiz.Contact) {
			n.Place = p.place
			if len(n.Fields) == 0 {
				n.Fields = []quiz.ContactField{{ID: "name", Kind: "name", Label: "Name"}, {ID: "email", Kind: "email", Label: "E-mail", Required: true}}
			}
		})})
	}
	for _, f := range contactFields(c) {
		t := contactToggle{Name: quiz.FirstOf(f.Label, f.ID), On: with(func(n *quiz.Contact) { n.Fields = append(n.Fields, f) })}
		for i := range c.Fields {
			if c.Fields[i].ID == f.ID {
				t.Shown, t.On, t.Required, t.Path = true, "", c.Fields[i].Required, quiz.Pointer("contact", "fields", i, "required")
				t.Off = patch(remove(quiz.Pointer("contact", "fields", i)))
			}
		}
		v.Fields = append(v.Fields, t)
	}
	v.On = with(func(n *quiz.Contact) {
		n.Consent = &quiz.ConsentText{Text: "You may write to me about this result.", Required: true}
	})
	if c.Consent != nil {
		v.HasText, v.Off = true, patch(remove("/contact/consent"))
	}
	return v
}

// contactFields are the fields that can be asked for, and those of the document that have another id.
func contactFields(c quiz.Contact) []quiz.ContactField {
	out := []quiz.ContactField{{ID: "name", Kind: "name", Label: "Name"}, {ID: "email", Kind: "email", Label: "E-mail", Required: true},
		{ID: "phone", Kind: "phone", Label: "Phone"}, {ID: "company", Kind: "company", Label: "Company"}, {ID: "country", Kind: "country", Label: "Country"}, {ID: "note", Kind: "text", Label: "A note"}}
	for _, f := range c.Fields {
		known := false
		for _, o := range out {
			known = known || o.ID == f.ID
		}
		if !known {
			out = append(out, f)
		}
	}
	return out
}
