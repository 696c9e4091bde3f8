package fill

import (
	"strings"

	"omphalos/core/quiz"
)

// EachAddress calls f for every address of a document that respondents can be sent to, with its JSON Pointer.
func EachAddress(d *quiz.Document, f func(at, address string)) {
	for i := range d.Outcomes {
		e := d.Outcomes[i].Ending
		if e == nil {
			continue
		}
		if e.URL != "" {
			f(quiz.Pointer("outcomes", i, "ending", "url"), e.URL)
		}
		for j, b := range e.Buttons {
			if b.URL != "" {
				f(quiz.Pointer("outcomes", i, "ending", "buttons", j, "url"), b.URL)
			}
		}
		if e.Lookup != nil && e.Lookup.Fallback != "" {
			f(quiz.Pointer("outcomes", i, "ending", "lookup", "fallback"), e.Lookup.Fallback)
		}
	}
}

// UnsafeAddresses are the addresses of a document that respondents must not be sent to, each with what is wrong with
// it.
func UnsafeAddresses(d *quiz.Document) quiz.Problems {
	var out quiz.Problems
	EachAddress(d, func(at, address string) {
		if _, err := ParseAddress(address); err != nil {
			p := AddressProblem(at, err)
			if p.Instead = Mended(address); p.Instead != "" {
				p.Mend = "Write " + p.Instead + "."
			}
			out = append(out, p)
		}
	})
	return out
}

// Mended is an address with the scheme that was left out, as people leave it out: example.org/page. It is "" where that
// is not all that is wrong.
func Mended(address string) string {
	address = strings.TrimSpace(address)
	host, _, _ := strings.Cut(address, "/")
	if strings.Contains(address, "://") || !strings.Contains(host, ".") {
		return ""
	}
	mended := "https://" + strings.TrimPrefix(address, "//")
	if _, err := ParseAddress(mended); err != nil {
		return ""
	}
	return mended
}

// AddressProblem says what ParseAddress found wrong: what is wrong and the mend stand on both sides of its colon.
func AddressProblem(at string, err error) quiz.Problem {
	message, mend, _ := strings.Cut(err.Error(), ": ")
	if mend != "" {
		mend = strings.ToUpper(mend[:1]) + mend[1:] + "."
	}
	return quiz.Problem{Where: at, Message: message, Mend: mend}
}
