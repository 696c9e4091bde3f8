package words

import (
	"strings"

	"omphalos/core/quiz"
)

// usual are texts that nearly every quiz has, as the editor makes them in English, by language.
var usual = withCalendar(map[string]map[string]string{
	"name":    {"de": "Name", "es": "Nombre", "fr": "Nom", "it": "Nome", "nl": "Naam"},
	"e-mail":  {"de": "E-Mail", "es": "Correo electrónico", "fr": "Adresse e-mail", "it": "E-mail", "nl": "E-mail"},
	"email":   {"de": "E-Mail", "es": "Correo electrónico", "fr": "Adresse e-mail", "it": "E-mail", "nl": "E-mail"},
	"phone":   {"de": "Telefon", "es": "Teléfono", "fr": "Téléphone", "it": "Telefono", "nl": "Telefoon"},
	"company": {"de": "Unternehmen", "es": "Empresa", "fr": "Entreprise", "it": "Azienda", "nl": "Bedrijf"},
	"country": {"de": "Land", "es": "País", "fr": "Pays", "it": "Paese", "nl": "Land"},
	"a note":  {"de": "Eine Nachricht", "es": "Una nota", "fr": "Un message", "it": "Una nota", "nl": "Een bericht"},
	"yes":     {"de": "Ja", "es": "Sí", "fr": "Oui", "it": "Sì", "nl": "Ja"},
	"no":      {"de": "Nein", "es": "No", "fr": "Non", "it": "No", "nl": "Nee"},
	"begin":   {"de": "Los geht’s", "es": "Empezar", "fr": "Commencer", "it": "Inizia", "nl": "Beginnen"},
	"never":   {"de": "Nie", "es": "Nunca", "fr": "Jamais", "it": "Mai", "nl": "Nooit"},
	"sometimes": {
		"de": "Manchmal", "es": "A veces", "fr": "Parfois", "it": "A volte", "nl": "Soms",
	},
	"often": {"de": "Oft", "es": "A menudo", "fr": "Souvent", "it": "Spesso", "nl": "Vaak"},
})

// calendar are the names of the months in their order, and of the weekdays from Monday on, as labels of choices begin:
// with a capital.
var calendar = []map[string]string{
	{
		"en": "January February March April May June July August September October November December",
		"de": "Januar Februar März April Mai Juni Juli August September Oktober November Dezember",
		"es": "Enero Febrero Marzo Abril Mayo Junio Julio Agosto Septiembre Octubre Noviembre Diciembre",
		"fr": "Janvier Février Mars Avril Mai Juin Juillet Août Septembre Octobre Novembre Décembre",
		"it": "Gennaio Febbraio Marzo Aprile Maggio Giugno Luglio Agosto Settembre Ottobre Novembre Dicembre",
		"nl": "Januari Februari Maart April Mei Juni Juli Augustus September Oktober November December",
	},
	{
		"en": "Monday Tuesday Wednesday Thursday Friday Saturday Sunday",
		"de": "Montag Dienstag Mittwoch Donnerstag Freitag Samstag Sonntag",
		"es": "Lunes Martes Miércoles Jueves Viernes Sábado Domingo",
		"fr": "Lundi Mardi Mercredi Jeudi Vendredi Samedi Dimanche",
		"it": "Lunedì Martedì Mercoledì Giovedì Venerdì Sabato Domenica",
		"nl": "Maandag Dinsdag Woensdag Donderdag Vrijdag Zaterdag Zondag",
	},
}

// withCalendar adds the names of months and weekdays to usual texts.
func withCalendar(texts map[string]map[string]string) map[string]map[string]string {
	for _, names := range calendar {
		for i, english := range strings.Fields(names["en"]) {
			to := map[string]string{}
			for code, list := range names {
				to[code] = strings.Fields(list)[i]
			}
			texts[strings.ToLower(english)] = to
		}
	}
	return texts
}

// Usual returns a usual English text in another language, and reports whether it is one.
func Usual(english, code string) (string, bool) {
	base, _, _ := strings.Cut(code, "-")
	to, ok := usual[strings.ToLower(strings.TrimSpace(english))][base]
	return to, ok
}

// InLanguage returns a quiz in one of its languages, as Document.In does. Usual texts of an English quiz that no one has
// translated come translated.
func InLanguage(d *quiz.Document, code string) *quiz.Document {
	out := d.In(code)
	if base, _, _ := strings.Cut(d.Language, "-"); base != "en" || out == d {
		return out
	}
	put := func(text *string) {
		if to, ok := Usual(*text, code); ok {
			*text = to
		}
	}
	if out.Intro != nil {
		put(&out.Intro.Button)
	}
	for i := range out.Questions {
		for j := range out.Questions[i].Choices {
			put(&out.Questions[i].Choices[j].Label)
		}
	}
	if out.Contact != nil {
		for i := range out.Contact.Fields {
			put(&out.Contact.Fields[i].Label)
		}
	}
	return out
}
