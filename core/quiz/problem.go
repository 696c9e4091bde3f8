package quiz

import (
	"fmt"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"omphalos/core/say"
)

// Problem is one thing that is wrong with a document, its place, and how to fix it.
type Problem struct {
	Where   string `json:"where"` // JSON Pointer (RFC 6901)
	Message string `json:"message"`
	Mend    string `json:"mend,omitempty"`
	Instead string `json:"instead,omitempty"` // the text that would do in this place, where it is sure what was meant
	Code    string `json:"code,omitempty"`    // of a problem that programs act on; "" for all others
	Written bool   `json:"-"`                 // its words are for who writes a document or a patch, not for who fills a page

	// Said and Fix are Message and Mend with their codes and arguments, for other languages.
	Said, Fix say.Text `json:"-"`
}

// Codes of problems that programs act on.
const (
	CodeGone    = "gone"     // the place of an edit has been deleted
	CodeIDTaken = "taken_id" // an id is used already
)

// In says the problem in the language of a list of sentences by code.
func (p Problem) In(list map[string]string) Problem {
	if p.Said.Code() != "" {
		p.Message = p.Said.In(list)
	}
	if p.Fix.Code() != "" {
		p.Mend = p.Fix.In(list)
	}
	return p
}

// Error says all of it on one line.
func (p Problem) Error() string {
	place := p.Where
	if place == "" {
		place = "the document"
	}
	if p.Mend == "" {
		return place + ": " + p.Message
	}
	return place + ": " + p.Message + ". " + p.Mend
}

// Sentence says it to people: without its place, and with the mend.
func (p Problem) Sentence() string {
	first, size := utf8.DecodeRuneInString(p.Message)
	s := string(unicode.ToUpper(first)) + p.Message[size:]
	if !strings.HasSuffix(s, ".") {
		s += "."
	}
	if p.Mend != "" {
		s += " " + p.Mend
	}
	return s
}

// Problems are everything that is wrong with a document, in document order. It is an error when not empty.
type Problems []Problem

// Error says each problem on a line of its own.
func (ps Problems) Error() string {
	lines := make([]string, len(ps))
	for i, p := range ps {
		lines[i] = p.Error()
	}
	return strings.Join(lines, "\n")
}

// MaxProblems is how many problems of a document are told; anyone who mends these looks again.
const MaxProblems = 50

// full reports whether more problems have been found than are told: looking for others can stop.
func (ps Problems) full() bool { return len(ps) > MaxProblems }

// limited are the problems that are told, and that there are more.
func (ps Problems) limited() Problems {
	if !ps.full() {
		return ps
	}
	return append(ps[:MaxProblems:MaxProblems], problem("", fixTheseFirst.With(), moreProblems.With(MaxProblems)))
}

// err returns the problems as an error, or nil when there are none.
func (ps Problems) err() error {
	if len(ps) == 0 {
		return nil
	}
	return ps.limited()
}

func (ps *Problems) add(where string, fix, said say.Text) {
	if !ps.full() {
		*ps = append(*ps, problem(where, fix, said))
	}
}

func (ps *Problems) put(p Problem) {
	if !ps.full() {
		*ps = append(*ps, p)
	}
}

// maxShown is how many characters of a place or a value are shown: a file can hold an id of megabytes.
const maxShown = 200

// NewProblem makes a problem of what it says. Long arguments are cut: a file can hold an id of megabytes.
func NewProblem(where string, fix, said say.Text) Problem { return problem(where, fix, said) }

func problem(where string, fix, said say.Text) Problem {
	shortenArgs(fix)
	shortenArgs(said)
	return Problem{Where: shortened(where), Message: said.String(), Mend: fix.String(), Said: said, Fix: fix}
}

func shortenArgs(t say.Text) {
	for i, arg := range t.Args {
		switch arg := arg.(type) {
		case string:
			t.Args[i] = shortened(arg)
		case say.Text:
			shortenArgs(arg)
		}
	}
}

// shortened is a value as text, or its beginning.
func shortened(v any) string {
	s := fmt.Sprint(v)
	if len(s) > 8*maxShown {
		s = strings.ToValidUTF8(s[:8*maxShown], "")
	}
	return Shorten(s, maxShown)
}

var pointerEscape = strings.NewReplacer("~", "~0", "/", "~1")

// Pointer joins path segments (strings and ints) to a JSON Pointer.
func Pointer(segments ...any) string {
	var b strings.Builder
	for _, s := range segments {
		b.WriteByte('/')
		switch s := s.(type) {
		case string:
			b.WriteString(pointerEscape.Replace(s))
		case int:
			b.WriteString(strconv.Itoa(s))
		default:
			b.WriteString(pointerEscape.Replace(fmt.Sprint(s)))
		}
	}
	return b.String()
}
