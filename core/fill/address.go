package fill

import (
	"errors"
	"fmt"
	"net/url"
	"strings"

	"github.com/yosida95/uritemplate/v3"
	"golang.org/x/net/idna"
)

// Address is a checked URI template (RFC 6570) of an absolute http or https address.
type Address struct{ template *uritemplate.Template }

// ParseAddress checks the template: its scheme and host must be plain text that a browser reads as they stand, so that no
// answer can lead to another site. The error says what to change.
func ParseAddress(src string) (*Address, error) {
	switch {
	case src == "":
		return nil, errors.New("the address is empty: type one such as https://example.org/thanks")
	case strings.IndexFunc(src, func(r rune) bool { return r <= ' ' || r == 0x7f }) >= 0:
		return nil, errors.New("the address has a space or a control character in it: write %20 for a space")
	case strings.Contains(src, `\`):
		return nil, errors.New(`the address has a \ in it: write /`)
	}
	lower := strings.ToLower(src)
	rest, ok := strings.CutPrefix(lower, "https://")
	if !ok {
		if rest, ok = strings.CutPrefix(lower, "http://"); !ok {
			return nil, errors.New("the address must be absolute: begin it with https:// or http://")
		}
	}
	host := rest
	if i := strings.IndexAny(rest, "/?#{"); i >= 0 {
		host = rest[:i]
		if strings.HasPrefix(rest[i:], "{") && !hasAnyPrefix(rest[i:], "{/", "{?", "{#") {
			return nil, errors.New("the host must be plain text: put a / before what is filled in")
		}
	}
	if strings.Contains(host, "@") {
		return nil, errors.New("the address has a user name before the host: leave it out")
	}
	u, err := url.Parse("http://" + host)
	if err != nil || u.Hostname() == "" || strings.ContainsAny(host, "%<>^|\"`[]") && !strings.HasPrefix(host, "[") {
		return nil, fmt.Errorf("%q is not a host: type one such as example.org", host)
	}
	if host = u.Hostname(); !strings.Contains(host, ":") { // an IPv6 address is no name
		host, err = idna.Lookup.ToASCII(host)
	}
	if err != nil {
		return nil, fmt.Errorf("%q is not a host: type one such as example.org", u.Hostname())
	}
	t, err := uritemplate.New(ascii(src, u.Hostname(), host))
	if err != nil {
		return nil, errors.New("what is in braces is not a name to fill in: write {area}, {?area,scale.fit} or {/area}")
	}
	if expanded, err := t.Expand(nil); err != nil {
		return nil, err
	} else if _, err := url.Parse(expanded); err != nil {
		return nil, errors.New("the address has a character that addresses cannot have: write it with % as in %20")
	}
	return &Address{t}, nil
}

// ascii writes the plain parts of an address in ASCII: the host by IDNA (UTS 46), the rest percent-encoded UTF-8 (RFC 3986,
// section 2.5).
func ascii(src, host, plainHost string) string {
	if i := strings.Index(strings.ToLower(src), host); i >= 0 {
		src = src[:i] + plainHost + src[i+len(host):]
	}
	var b strings.Builder
	for i := range len(src) {
		if c := src[i]; c < 0x80 {
			b.WriteByte(c)
		} else {
			fmt.Fprintf(&b, "%%%02X", c)
		}
	}
	return b.String()
}

// octets spreads text so that each byte of its UTF-8 is a character of its own: the template library encodes characters by
// their number, where RFC 6570 (section 1.6) wants the bytes of their UTF-8.
func octets(s string) string {
	out := make([]rune, len(s))
	for i := range len(s) {
		out[i] = rune(s[i])
	}
	return string(out)
}

func hasAnyPrefix(s string, prefixes ...string) bool {
	for _, p := range prefixes {
		if strings.HasPrefix(s, p) {
			return true
		}
	}
	return false
}

// Names returns the names that the address fills in.
func (a *Address) Names() []string { return a.template.Varnames() }

// Fill expands the template. Blank and unknown values are undefined, as RFC 6570 has it: they leave no trace.
func (a *Address) Fill(look Lookup) (string, error) {
	values := uritemplate.Values{}
	for _, name := range a.template.Varnames() {
		v, known := look(name)
		switch {
		case !known || len(v) == 0:
		case len(v) == 1:
			values.Set(name, uritemplate.String(octets(v[0])))
		default:
			for i := range v {
				v[i] = octets(v[i])
			}
			values.Set(name, uritemplate.List(v...))
		}
	}
	return a.template.Expand(values)
}
