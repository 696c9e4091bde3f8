package fill

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"
)

// A template is a parsed URI template (RFC 6570, level 4): literal text and expressions in turn.
type template []templatePart

// templatePart is either literal text, already in ASCII, or an expression when it has variables.
type templatePart struct {
	literal  string
	operator operator
	vars     []variable
}

// variable is one name of an expression with its modifier.
type variable struct {
	name    string
	prefix  int  // at most so many characters of the value; 0 is all of it
	explode bool // each of several values stands on its own
}

// operator is what an expression begins with, and what follows from it: the table of RFC 6570, appendix A.
type operator struct {
	sign     byte // 0 for none
	first    string
	between  string
	named    bool
	ifEmpty  string // after a name whose value is empty
	reserved bool   // reserved characters and percent triplets of values stay as they are
}

var operators = []operator{
	{sign: '+', between: ",", reserved: true},
	{sign: '#', first: "#", between: ",", reserved: true},
	{sign: '.', first: ".", between: "."},
	{sign: '/', first: "/", between: "/"},
	{sign: ';', first: ";", between: ";", named: true},
	{sign: '?', first: "?", between: "&", named: true, ifEmpty: "="},
	{sign: '&', first: "&", between: "&", named: true, ifEmpty: "="},
}

// plainOperator is that of an expression that begins with a name.
var plainOperator = operator{between: ","}

// parseTemplate reads a URI template. Names may hold "-" too, as ids do. The error says what to change.
func parseTemplate(src string) (template, error) {
	var out template
	for src != "" {
		open := strings.IndexAny(src, "{}")
		if open < 0 {
			return append(out, templatePart{literal: encodeLiteral(src)}), nil
		}
		if src[open] == '}' {
			return nil, theresWithoutMatchingShowBrace.Error()
		}
		if open > 0 {
			out = append(out, templatePart{literal: encodeLiteral(src[:open])})
		}
		end := strings.IndexByte(src[open:], '}')
		if end < 0 {
			return nil, errBraces
		}
		part, ok := parseExpression(src[open+1 : open+end])
		if !ok {
			return nil, errBraces
		}
		out = append(out, part)
		src = src[open+end+1:]
	}
	return out, nil
}

var errBraces = fmt.Errorf("the text in braces isn’t a field; use a form such as {area}, {?area,scale.fit} or {/area}")

// parseExpression reads what stands between two braces.
func parseExpression(src string) (templatePart, bool) {
	part := templatePart{operator: plainOperator}
	for _, o := range operators {
		if src != "" && src[0] == o.sign {
			part.operator, src = o, src[1:]
			break
		}
	}
	for _, spec := range strings.Split(src, ",") {
		v, ok := parseVariable(spec)
		if !ok {
			return templatePart{}, false
		}
		part.vars = append(part.vars, v)
	}
	return part, true
}

// maxPrefix is the greatest length that a prefix modifier can name (RFC 6570, section 2.4.1).
const maxPrefix = 9999

func parseVariable(spec string) (variable, bool) {
	name, length, cut := strings.Cut(spec, ":")
	v := variable{name: name}
	if cut {
		n, err := strconv.Atoi(length)
		if err != nil || n < 1 || n > maxPrefix || length[0] == '0' || length[0] == '+' {
			return v, false
		}
		v.prefix = n
	} else if v.name, v.explode = strings.CutSuffix(name, "*"); !v.explode {
		v.name = name
	}
	return v, isName(v.name)
}

// expand puts values into the template. A name without a value is undefined: it leaves no trace (section 3.2.1).
// Past MostInAddress a value is cut, and those after it are undefined.
func (t template) expand(look Lookup) string {
	var b strings.Builder
	for _, part := range t {
		b.WriteString(part.literal)
		written := false
		for _, v := range part.vars {
			values, known := look(v.name)
			if !known || len(values) == 0 || b.Len() >= MostInAddress {
				continue
			}
			values = truncateValues(values, MostInAddress-b.Len())
			if written {
				b.WriteString(part.operator.between)
			} else {
				b.WriteString(part.operator.first)
			}
			written = true
			part.operator.write(&b, v, values)
		}
	}
	return b.String()
}

// write writes one variable: a single value, or a list of them (section 3.2.1, steps 3 and 4).
func (o operator) write(b *strings.Builder, v variable, values []string) {
	between := ","
	if v.explode {
		between = o.between
	}
	for i, value := range values {
		if i > 0 {
			b.WriteString(between)
		}
		if o.named && (i == 0 || v.explode) {
			b.WriteString(v.name)
			if value == "" && len(values) == 1 {
				b.WriteString(o.ifEmpty)
				continue
			}
			b.WriteByte('=')
		}
		if len(values) == 1 && v.prefix > 0 {
			value = firstCharacters(value, v.prefix, o.reserved)
		}
		encodeValue(b, value, o.reserved)
	}
}

// truncateValues are values of at most so many bytes together; the one that is too long is cut between two characters.
func truncateValues(values []string, most int) []string {
	for i, value := range values {
		if len(value) > most {
			for most > 0 && !utf8.RuneStart(value[most]) {
				most--
			}
			return append(slices.Clone(values[:i]), value[:most])
		}
		most -= len(value)
	}
	return values
}

// firstCharacters cuts a value to n characters, not bytes; where percent triplets stay, each counts as the one that
// it is.
func firstCharacters(s string, n int, triplets bool) string {
	at := 0
	for ; n > 0 && at < len(s); n-- {
		if triplets && isTriplet(s[at:]) {
			at += 3
			continue
		}
		_, size := utf8.DecodeRuneInString(s[at:])
		at += size
	}
	return s[:at]
}

// The characters of RFC 3986, sections 2.2 and 2.3.
const (
	unreserved = "-._~"
	reserved   = ":/?#[]@!$&'()*+,;="
)

func isAlphanumeric(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9'
}

// encodeValue writes a value with everything but unreserved characters as percent-encoded UTF-8; with keepReserved
// reserved characters and percent triplets stay too.
func encodeValue(b *strings.Builder, s string, keepReserved bool) {
	for i := range len(s) {
		c := s[i]
		switch {
		case isAlphanumeric(c), strings.IndexByte(unreserved, c) >= 0,
			keepReserved && (strings.IndexByte(reserved, c) >= 0 || isTriplet(s[i:])):
			b.WriteByte(c)
		default:
			fmt.Fprintf(b, "%%%02X", c)
		}
	}
}

// encodeLiteral writes the author's own text: what an address cannot hold is percent-encoded (section 3.1).
func encodeLiteral(s string) string {
	var b strings.Builder
	encodeValue(&b, s, true)
	return b.String()
}

// isTriplet reports whether s begins with a percent triplet such as %2F.
func isTriplet(s string) bool {
	return len(s) >= 3 && s[0] == '%' && isHex(s[1]) && isHex(s[2])
}

func isHex(c byte) bool {
	return c >= '0' && c <= '9' || c >= 'a' && c <= 'f' || c >= 'A' && c <= 'F'
}
