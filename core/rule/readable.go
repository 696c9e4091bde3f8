package rule

import (
	"errors"
	"fmt"
	"regexp"
	"strings"

	"github.com/expr-lang/expr/file"
)

// The expression library speaks to programmers. What a formula’s author reads names the spot and says what to write
// instead.

var (
	unknownName   = regexp.MustCompile(`^unknown name (\S+)`)
	unexpected    = regexp.MustCompile(`^unexpected token (\w+)(?:\("(.*)"\))?`)
	mismatched    = regexp.MustCompile(`^invalid operation: (\S+) \(mismatched types`)
	fewArguments  = regexp.MustCompile(`^not enough arguments to call (\w+)`)
	manyArguments = regexp.MustCompile(`^too many arguments to call (\w+)`)
	badArgument   = regexp.MustCompile(`^cannot use .* as argument .*to call (\w+)`)
)

// readable is an error of the expression library in the words of whoever wrote the formula.
func readable(src string, err error) error {
	var at *file.Error
	if !errors.As(err, &at) {
		text, _, _ := strings.Cut(err.Error(), "\n")
		if strings.Contains(text, "maximum allowed nodes") {
			return errors.New("the formula is too long: split it into several computed values")
		}
		return errors.New("the formula can’t be read: check its brackets and commas")
	}
	spot := near(src, at.Column)
	message := at.Message
	switch {
	case unknownName.MatchString(message):
		return errors.New(unknownFunction(unknownName.FindStringSubmatch(message)[1]))
	case unexpected.MatchString(message):
		m := unexpected.FindStringSubmatch(message)
		if m[1] == "EOF" {
			return errors.New("the formula ends too early: add what is missing, such as a number or a closing bracket")
		}
		return fmt.Errorf("the formula can’t be read at %s: check for a missing sign, bracket or comma before it", spot)
	case mismatched.MatchString(message):
		sign := mismatched.FindStringSubmatch(message)[1]
		return fmt.Errorf("“%s” can’t join text and a number: use numbers on both sides of it, at %s", sign, spot)
	case fewArguments.MatchString(message):
		name := fewArguments.FindStringSubmatch(message)[1]
		return fmt.Errorf("%s needs a value between its brackets, as in %s(scale.fit)", name, name)
	case manyArguments.MatchString(message):
		name := manyArguments.FindStringSubmatch(message)[1]
		return fmt.Errorf("%s has too many values between its brackets: remove one", name)
	case badArgument.MatchString(message):
		name := badArgument.FindStringSubmatch(message)[1]
		return fmt.Errorf("%s can’t use the value between its brackets: use a number or a score", name)
	case strings.Contains(message, "literal not terminated"):
		return fmt.Errorf("a text has no closing quote: add it after %s", spot)
	}
	return fmt.Errorf("the formula can’t be read at %s: check its brackets, commas and names", spot)
}

// unknownFunction says which names a formula can use instead.
func unknownFunction(name string) string {
	var functions []string
	for _, f := range Functions {
		functions = append(functions, f.Name)
	}
	return fmt.Sprintf("nothing is called “%s”: use answer.ID, scale.ID or computed.ID, or a function (%s)",
		name, strings.Join(functions, ", "))
}

// maxSpot is how many characters of a formula are shown for its spot.
const maxSpot = 14

// near is the part of a formula from a column on, in quotes.
func near(src string, column int) string {
	letters := []rune(src)
	if column < 0 || column >= len(letters) {
		return "its end"
	}
	rest := letters[column:]
	if len(rest) > maxSpot {
		return "“" + string(rest[:maxSpot]) + "…”"
	}
	return "“" + string(rest) + "”"
}
