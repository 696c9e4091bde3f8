package fill

import (
	"errors"
	"net/netip"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/net/idna"
)

// Address is a checked URI template (RFC 6570) of an absolute http or https address.
type Address struct {
	template template
	scheme   string // with its "://"
	host     string // with its port, in ASCII
}

// Errors of an address, each with its mend.
var (
	errEmptyAddress = errors.New("the address is empty; type one, such as https://example.org/thanks")
	errSpace        = errors.New("the address contains a space; use %20 instead")
	errBackslash    = errors.New(`the address contains \; use / instead`)
	errScheme       = errors.New("the address must start with https:// or http://")
	errFilledHost   = errors.New("the domain can’t contain inserted fields; put a / before the first field")
	errAfterHost    = errors.New("the field after the domain may be empty; put a / before it")
	errUser         = errors.New("the address contains a user name before the domain; remove it")
	errNumberHost   = errors.New(
		"the domain is a number; use a name such as example.org or a full IP address such as 192.0.2.7",
	)
	errPort      = errors.New("the port must be a number from 1 to 65535")
	errOtherHost = errors.New("with the fields filled in, the address leads to a different domain")
)

// ParseAddress checks the template. Its scheme, host and port must be literal text that a browser reads as it stands,
// so that no answer, and no blank one either, can lead to another site. The error says what to change.
func ParseAddress(src string) (*Address, error) {
	if err := checkCharacters(src); err != nil {
		return nil, err
	}
	scheme, rest, err := cutScheme(src)
	if err != nil {
		return nil, err
	}
	authority, after := rest, ""
	if i := strings.IndexAny(rest, "/?#{"); i >= 0 {
		authority, after = rest[:i], rest[i:]
	}
	if strings.HasPrefix(after, "{") && !opensPath(after) {
		return nil, errFilledHost
	}
	host, err := checkAuthority(authority)
	if err != nil {
		return nil, err
	}
	t, err := parseTemplate(scheme + host + after)
	if err != nil {
		return nil, err
	}
	if err := checkAfterHost(after); err != nil {
		return nil, err
	}
	a := &Address{template: t, scheme: scheme, host: host}
	if err := a.check(t.expand(nothing)); err != nil {
		return nil, addressContainsCharacterIsntAllowed.Error()
	}
	return a, nil
}

// nothing is the Lookup of a respondent who left everything blank.
func nothing(string) ([]string, bool) { return nil, false }

func checkCharacters(src string) error {
	switch {
	case src == "":
		return errEmptyAddress
	case strings.IndexFunc(src, func(r rune) bool { return r <= ' ' || r == 0x7f }) >= 0:
		return errSpace
	case strings.Contains(src, `\`):
		return errBackslash
	}
	return nil
}

func cutScheme(src string) (scheme, rest string, err error) {
	for _, scheme := range []string{"https://", "http://"} {
		if len(src) >= len(scheme) && strings.EqualFold(src[:len(scheme)], scheme) {
			return scheme, src[len(scheme):], nil
		}
	}
	return "", "", errScheme
}

// opensPath reports whether an expression ends the host whenever it has a value.
func opensPath(expression string) bool {
	return strings.HasPrefix(expression, "{/") || strings.HasPrefix(expression, "{?") ||
		strings.HasPrefix(expression, "{#")
}

// checkAfterHost refuses text that would join the host once the expressions before it are filled with nothing: in
// https://a.example{?n}@b.example/ the host is b.example whenever n is blank.
func checkAfterHost(after string) error {
	for strings.HasPrefix(after, "{") {
		if !opensPath(after) {
			return errAfterHost
		}
		_, after, _ = strings.Cut(after, "}")
	}
	if after != "" && strings.IndexByte("/?#", after[0]) < 0 {
		return errAfterHost
	}
	return nil
}

// checkAuthority checks host and port as the WHATWG URL Standard reads them, and returns them in ASCII (UTS 46).
func checkAuthority(authority string) (string, error) {
	if strings.Contains(authority, "@") {
		return "", errUser
	}
	host, port := authority, ""
	if i := strings.LastIndexByte(authority, ':'); i > strings.LastIndexByte(authority, ']') {
		host, port = authority[:i], authority[i+1:]
		if n, err := strconv.ParseUint(port, 10, 16); err != nil || n == 0 {
			return "", errPort
		}
		port = ":" + port
	}
	bad := isntDomainUseOneSuch.Error(host)
	if inner, ok := strings.CutPrefix(host, "["); ok {
		inner, ok = strings.CutSuffix(inner, "]")
		if ip, err := netip.ParseAddr(inner); !ok || err != nil || !ip.Is6() || ip.Zone() != "" {
			return "", bad
		}
		return host + port, nil
	}
	ascii, err := idna.Lookup.ToASCII(host)
	if err != nil || ascii == "" || strings.ContainsAny(host, "%<>^|\"`[]:") {
		return "", bad
	}
	if endsInNumber(ascii) {
		// A browser takes 2130706433, 0x7f.1 and 127.1 for 127.0.0.1: only the usual form says where it leads.
		if ip, err := netip.ParseAddr(host); err != nil || !ip.Is4() {
			return "", errNumberHost
		}
	}
	return ascii + port, nil
}

// endsInNumber is the "ends in a number checker" of the WHATWG URL Standard, section 3.5.
func endsInNumber(host string) bool {
	labels := strings.Split(host, ".")
	last := labels[len(labels)-1]
	if last == "" && len(labels) > 1 {
		last = labels[len(labels)-2]
	}
	if last != "" && strings.Trim(last, "0123456789") == "" {
		return true
	}
	digits, isHexNumber := strings.CutPrefix(strings.ToLower(last), "0x")
	return isHexNumber && strings.Trim(digits, "0123456789abcdef") == ""
}

// Names returns the names that the address fills in, each once, in order.
func (a *Address) Names() []string {
	var out []string
	for _, part := range a.template {
		for _, v := range part.vars {
			if !slices.Contains(out, v.name) {
				out = append(out, v.name)
			}
		}
	}
	return out
}

// Fill expands the template. Blank and unknown values are undefined, as RFC 6570 has it: they leave no trace. The
// host is compared once more with the one that was typed.
func (a *Address) Fill(look Lookup) (string, error) {
	to := a.template.expand(look)
	return to, a.check(to)
}

// check reports whether a filled address leads to the host of the template.
func (a *Address) check(filled string) error {
	u, err := url.Parse(filled)
	if err != nil {
		return err
	}
	if u.Scheme+"://" != a.scheme || u.Host != a.host || u.User != nil {
		return errOtherHost
	}
	return nil
}
