package script

import (
	"omphalos/app/workbench"
	"omphalos/core/quiz"
)

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
	// The place comes first: without a contact step there is nothing that the rest could stand in.
	with := func(ops ...quiz.Operation) string {
		if d.Contact == nil {
			ops = append([]quiz.Operation{add("/contact/place", c.Place)}, ops...)
		}
		return patch(ops...)
	}
	for _, p := range []struct{ place, name string }{
		{quiz.ContactNone, "Don’t ask"},
		{quiz.ContactBefore, "Ask before the outcome"},
		{quiz.ContactAfter, "Ask after the outcome"},
	} {
		ops := []quiz.Operation{add("/contact/place", p.place)}
		if len(c.Fields) == 0 {
			ops = append(ops, add("/contact/fields", firstFields))
		}
		v.Places = append(v.Places, kindOption{Name: p.name, Selected: p.place == c.Place, Patch: patch(ops...)})
	}
	for _, f := range contactFields(c) {
		t := contactToggle{Name: quiz.FirstOf(f.Label, f.ID), On: with(workbench.AddTo("/contact/fields", f))}
		for i := range c.Fields {
			if c.Fields[i].ID == f.ID {
				at := d.At("contact", "fields", i)
				t.Shown, t.On, t.Required, t.Path = true, "", c.Fields[i].Required, at+"/required"
				t.Off = patch(quiz.Test(at+"/id", f.ID), remove(at))
			}
		}
		v.Fields = append(v.Fields, t)
	}
	v.On = with(
		add("/contact/consent", &quiz.ConsentText{Text: "You may contact me about this result."}),
	)
	if c.Consent != nil {
		v.HasText, v.Off = true, patch(remove("/contact/consent"))
	}
	return v
}

// firstFields are what a new contact step asks for.
var firstFields = []quiz.ContactField{
	{ID: "name", Kind: "name", Label: "Name"},
	{ID: "email", Kind: "email", Label: "Email", Required: true},
}

// contactFields are the fields that can be asked for, and those of the document that have another id.
func contactFields(c quiz.Contact) []quiz.ContactField {
	out := []quiz.ContactField{
		{ID: "name", Kind: "name", Label: "Name"},
		{ID: "email", Kind: "email", Label: "Email", Required: true},
		{
			ID:    "phone",
			Kind:  "phone",
			Label: "Phone",
		},
		{ID: "company", Kind: "company", Label: "Company"},
		{ID: "country", Kind: "country", Label: "Country"},
		{ID: "note", Kind: "text", Label: "Message"},
	}
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
