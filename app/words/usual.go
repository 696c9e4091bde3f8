package words

import (
	"strings"
	"sync"

	"omphalos/core/quiz"
)

// languages are those of the columns of texts.
var languages = strings.Fields("de es fr it nl pl pt")

// texts nearly every quiz has: the English of the editor, then each of languages.
var texts = map[string]string{
	"name":      "Name | Nombre | Nom | Nome | Naam | Imię i nazwisko | Nome",
	"e-mail":    "E-Mail | Correo electrónico | Adresse e-mail | E-mail | E-mail | E-mail | Email",
	"email":     "E-Mail | Correo electrónico | Adresse e-mail | E-mail | E-mail | E-mail | Email",
	"phone":     "Telefon | Teléfono | Téléphone | Telefono | Telefoon | Telefon | Telefone",
	"company":   "Unternehmen | Empresa | Entreprise | Azienda | Bedrijf | Firma | Empresa",
	"country":   "Land | País | Pays | Paese | Land | Kraj | País",
	"a note":    "Eine Nachricht | Una nota | Un message | Una nota | Een bericht | Wiadomość | Uma mensagem",
	"message":   "Nachricht | Mensaje | Message | Messaggio | Bericht | Wiadomość | Mensagem",
	"start":     "Los geht’s | Empezar | Commencer | Inizia | Beginnen | Rozpocznij | Começar",
	"yes":       "Ja | Sí | Oui | Sì | Ja | Tak | Sim",
	"no":        "Nein | No | Non | No | Nee | Nie | Não",
	"begin":     "Los geht’s | Empezar | Commencer | Inizia | Beginnen | Rozpocznij | Começar",
	"never":     "Nie | Nunca | Jamais | Mai | Nooit | Nigdy | Nunca",
	"sometimes": "Manchmal | A veces | Parfois | A volte | Soms | Czasami | Às vezes",
	"often":     "Oft | A menudo | Souvent | Spesso | Vaak | Często | Muitas vezes",
}

// usual are texts and the names of the calendar, by English and language.
var usual = sync.OnceValue(func() map[string]map[string]string {
	out := map[string]map[string]string{}
	for english, row := range texts {
		out[english] = map[string]string{}
		for i, text := range strings.Split(row, " | ") {
			out[english][languages[i]] = text
		}
	}
	for _, names := range calendar {
		for i, english := range strings.Fields(names["en"]) {
			to := map[string]string{}
			for code, list := range names {
				to[code] = strings.Fields(list)[i]
			}
			out[strings.ToLower(english)] = to
		}
	}
	return out
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
		"pl": "Styczeń Luty Marzec Kwiecień Maj Czerwiec Lipiec Sierpień Wrzesień Październik Listopad Grudzień",
		"pt": "Janeiro Fevereiro Março Abril Maio Junho Julho Agosto Setembro Outubro Novembro Dezembro",
		"nl": "Januari Februari Maart April Mei Juni Juli Augustus September Oktober November December",
	},
	{
		"en": "Monday Tuesday Wednesday Thursday Friday Saturday Sunday",
		"de": "Montag Dienstag Mittwoch Donnerstag Freitag Samstag Sonntag",
		"es": "Lunes Martes Miércoles Jueves Viernes Sábado Domingo",
		"fr": "Lundi Mardi Mercredi Jeudi Vendredi Samedi Dimanche",
		"it": "Lunedì Martedì Mercoledì Giovedì Venerdì Sabato Domenica",
		"nl": "Maandag Dinsdag Woensdag Donderdag Vrijdag Zaterdag Zondag",
		"pl": "Poniedziałek Wtorek Środa Czwartek Piątek Sobota Niedziela",
		"pt": "Segunda-feira Terça-feira Quarta-feira Quinta-feira Sexta-feira Sábado Domingo",
	},
}

// Usual returns a usual English text in another language, and reports whether it is one.
func Usual(english, code string) (string, bool) {
	base, _, _ := strings.Cut(code, "-")
	to, ok := usual()[strings.ToLower(strings.TrimSpace(english))][base]
	return to, ok
}

// InLanguage returns a quiz in one of its languages, as Document.In does. Usual texts of an English quiz that no one
// has translated come translated.
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
