package quiz

import "regexp"

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
