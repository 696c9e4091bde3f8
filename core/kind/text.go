package kind

import (
	"math/big"
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"

	"omphalos/core/rule"
)

// Kinds whose answers are typed.
const (
	ShortText Name = "short_text"
	LongText  Name = "long_text"
	Email     Name = "email"
	Phone     Name = "phone"
	Date      Name = "date"
	Consent   Name = "consent"
)

// someText stands for all texts that no condition mentions.
const someText = "something else"

// text is what kinds with typed answers have in common: most differ in what they are called, and in which answers they
// take.
type text struct {
	common
	about   *About
	words   string // when it is offered
	usual   bool
	refused string // the code of what is said of a text that is not valid
	valid   func(string) bool
	standIn string // for all texts that no condition mentions
}

var (
	short = text{
		about: &About{
			Name: ShortText, Words: "short text", Hints: []string{"text"}, Typed: true, Example: "An example",
		},
		words: "Short text", usual: true, standIn: someText,
	}
	long = text{
		about: &About{
			Name: LongText, Words: "long text", Hints: []string{"long text"}, Typed: true, Lines: true,
			Example: "An example of a longer answer.",
		},
		words: "Long text", standIn: someText,
	}
	email = text{
		about: &About{
			Name: Email, Words: "email", Hints: []string{"email", "e-mail"}, Typed: true, Personal: true, Email: true,
			Example: "orla@fenhall.example",
		},
		words: "Email", refused: "email", valid: ValidEmail, standIn: "name@example.org",
	}
	// phone takes any text: whether it is a number depends on the country, which is not known here.
	phone = text{
		about: &About{
			Name: Phone, Words: "phone", Hints: []string{"phone"}, Typed: true, Personal: true, Phone: true,
			Example: "+35314960123",
		},
		words: "Phone", standIn: "+31612345678",
	}
)

func (k text) About() *About { return k.about }

func (k text) Read(q *Question, values func(string) []string) (Answer, error) {
	given, err := only(q, values)
	if err != nil || given == "" {
		return Answer{}, err
	}
	if k.valid != nil && !k.valid(given) {
		return Answer{}, fault(q.ID, k.refused)
	}
	if err := tooLong(q, given); err != nil {
		return Answer{}, err
	}
	return Answer{Text: given}, nil
}

func (k text) Take(q *Question, g Given) (Answer, error) { return takeText(q, g) }

// takeText reads a text that a document writes.
func takeText(q *Question, g Given) (Answer, error) {
	if g.Number != nil || g.List != nil || g.Rows != nil {
		return Answer{}, errForm
	}
	return Read(q, func(string) []string { return g.ids() })
}

func (text) Facts(*Question) []Fact { return answerFact(rule.TextType) }

func (k text) Options(l *Listing) ([]Option, bool, error) {
	list, guessed := l.open(l.Mentioned(), k.standIn)
	return list, guessed, nil
}

func (k text) Count(l *Listing) *big.Int { return countOpen(k, l) }

func (k text) Draw(l *Listing, r *rand.Rand) func() Answer { return drawOpen(k, l, r) }

// countOpen is how many answers stand for those that cannot be listed.
func countOpen(k Kind, l *Listing) *big.Int {
	list, _, _ := k.Options(l.apart())
	return big.NewInt(int64(len(list)))
}

// drawOpen draws from the answers that stand for those that cannot be listed.
func drawOpen(k Kind, l *Listing, r *rand.Rand) func() Answer {
	list, _, _ := k.Options(l.apart())
	return drawn(list, r)
}

func (k text) Fresh() []Fresh {
	return []Fresh{{Words: k.words, Usual: k.usual, Make: func() Question { return asked(k.about.Name) }}}
}

// emailPattern is the HTML Standard's rule for a valid email address (4.10.5.1.5, input type=email).
var emailPattern = regexp.MustCompile(
	"^[a-zA-Z0-9.!#$%&'*+/=?^_`{|}~-]+@" +
		"[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?" +
		"(?:\\.[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?)*$",
)

// LongestEmail is how many characters an email address has at most (RFC 5321, section 4.5.3.1.3, without its brackets).
const LongestEmail = 254

// ValidEmail applies the HTML Standard's rule for email addresses, and the length that mail servers take.
func ValidEmail(s string) bool { return len(s) <= LongestEmail && emailPattern.MatchString(s) }

// date is a day, typed as YYYY-MM-DD.
type date struct{ text }

func (date) About() *About { return &aboutDate }

var aboutDate = About{Name: Date, Words: "date", Hints: []string{"date"}, Typed: true, Day: true, Example: "2026-03-31"}

func (date) Read(q *Question, values func(string) []string) (Answer, error) {
	given, err := only(q, values)
	if err != nil || given == "" {
		return Answer{}, err
	}
	if !validDate(given) {
		return Answer{}, fault(q.ID, "date")
	}
	return Answer{Text: given}, nil
}

func (date) Facts(*Question) []Fact { return answerFact(rule.DayType) }

// Options tries a day of each class that conditions tell apart.
func (date) Options(l *Listing) ([]Option, bool, error) {
	list, guessed := l.open(l.Days(l.Mentioned()), aboutDate.Example)
	return list, guessed, nil
}

func (k date) Count(l *Listing) *big.Int { return countOpen(k, l) }

func (k date) Draw(l *Listing, r *rand.Rand) func() Answer { return drawOpen(k, l, r) }

func (date) Fresh() []Fresh {
	return []Fresh{form("Date", func() Question { return asked(Date) })}
}

var datePattern = regexp.MustCompile(`^\d{4}-\d{2}-\d{2}$`)

func validDate(s string) bool {
	if !datePattern.MatchString(s) {
		return false
	}
	month, day := s[5:7], s[8:]
	days := map[string]string{"02": "29", "04": "30", "06": "30", "09": "30", "11": "30"}
	last, short := days[month]
	if !short {
		last = "31"
	}
	if month == "02" && !leap(s[:4]) {
		last = "28"
	}
	return month >= "01" && month <= "12" && day >= "01" && day <= last
}

func leap(year string) bool {
	y := 0
	for _, c := range year {
		y = y*10 + int(c-'0')
	}
	return y%4 == 0 && (y%100 != 0 || y%400 == 0)
}

// consent is a box to tick.
type consent struct{ text }

func (consent) About() *About { return &aboutConsent }

var aboutConsent = About{Name: Consent, Words: "consent", Hints: []string{"consent"}, Example: "yes"}

func (consent) Read(q *Question, values func(string) []string) (Answer, error) {
	given, err := only(q, values)
	switch {
	case err != nil || given == "":
		return Answer{}, err
	case !slices.Contains([]string{"yes", "on", "true", "1"}, strings.ToLower(given)):
		return Answer{}, fault(q.ID, "tick_or_not")
	}
	return Answer{Text: "yes"}, nil
}

func (consent) Missing(q *Question, a Answer) *FieldError { return blank(q, a, "tick") }

func (consent) Facts(*Question) []Fact { return answerFact(rule.ConsentType) }

func (consent) Options(l *Listing) ([]Option, bool, error) {
	list, guessed := l.open(nil, "yes")
	return list, guessed, nil
}

func (k consent) Count(l *Listing) *big.Int { return countOpen(k, l) }

func (k consent) Draw(l *Listing, r *rand.Rand) func() Answer { return drawOpen(k, l, r) }

func (consent) Fresh() []Fresh {
	return []Fresh{form("Consent", func() Question { return asked(Consent) })}
}
