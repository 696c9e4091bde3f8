package quiz

import (
	"fmt"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Problem is one thing that is wrong with a document, its place, and how to mend it.
type Problem struct {
	Where   string `json:"where"` // JSON Pointer (RFC 6901)
	Message string `json:"message"`
	Mend    string `json:"mend,omitempty"`
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

// err returns the problems as an error, or nil when there are none.
func (ps Problems) err() error {
	if len(ps) == 0 {
		return nil
	}
	return ps
}

func (ps *Problems) add(where, mend, format string, args ...any) {
	*ps = append(*ps, Problem{Where: where, Message: fmt.Sprintf(format, args...), Mend: mend})
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
