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

// readable is an error of the expression library in the words of anyone who wrote the formula.
func readable(src string, err error) error {
	var at *file.Error
	if !errors.As(err, &at) {
		text, _, _ := strings.Cut(err.Error(), "\n")
		if strings.Contains(text, "maximum allowed nodes") {
			return formulaTooLongSplitInto.Error()
		}
		return formulaCantReadCheckBrackets.Error()
	}
	spot := near(src, at.Column)
	message := at.Message
	switch {
	case unknownName.MatchString(message):
		return errors.New(unknownFunction(unknownName.FindStringSubmatch(message)[1]))
	case unexpected.MatchString(message):
		m := unexpected.FindStringSubmatch(message)
		if m[1] == "EOF" {
			return formulaEndsTooEarlyAdd.Error()
		}
		return formulaCantReadAtCheck.Error(spot)
	case mismatched.MatchString(message):
		sign := mismatched.FindStringSubmatch(message)[1]
		return cantJoinTextNumberUse.Error(sign, spot)
	case fewArguments.MatchString(message):
		name := fewArguments.FindStringSubmatch(message)[1]
		return needsValueBetweenBracketsIn.Error(name, name)
	case manyArguments.MatchString(message):
		name := manyArguments.FindStringSubmatch(message)[1]
		return hasTooManyValuesBetween.Error(name)
	case badArgument.MatchString(message):
		name := badArgument.FindStringSubmatch(message)[1]
		return cantUseValueBetweenBrackets.Error(name)
	case strings.Contains(message, "literal not terminated"):
		return textHasNoClosingQuote.Error(spot)
	}
	return formulaCantReadAtCheck2.Error(spot)
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
