package fill

import "omphalos/core/quiz"

// ExampleContact is what an invented person types into the contact step, by field.
func ExampleContact(d *quiz.Document) map[string]string {
	out := map[string]string{}
	if d.Contact == nil {
		return out
	}
	for _, f := range d.Contact.Fields {
		out[f.ID] = map[string]string{
			"name": "Orla Quill", "email": "orla@fenhall.example", "phone": "+35314960123",
			"company": "Fenhall", "country": "Ireland",
		}[f.Kind]
	}
	return out
}
