package quiz

import "regexp"

// emailPattern is the HTML Standard's rule for a valid e-mail address (4.10.5.1.5, input type=email).
var emailPattern = regexp.MustCompile(
	"^[a-zA-Z0-9.!#$%&'*+/=?^_`{|}~-]+@" +
		"[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?" +
		"(?:\\.[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?)*$",
)

// ValidEmail applies the HTML Standard's rule for e-mail addresses.
func ValidEmail(s string) bool { return emailPattern.MatchString(s) }
