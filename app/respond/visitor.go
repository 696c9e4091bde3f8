package respond

import (
	"fmt"
	"net/http"
	"net/netip"
	"strings"

	"github.com/nyaruka/phonenumbers"
	"github.com/oschwald/maxminddb-golang/v2"
)

// Locator tells from which country somebody comes: from a database in MaxMind's format, from a header that a trusted proxy
// sets, or not at all. The zero Locator knows nobody.
type Locator struct {
	Database *maxminddb.Reader
	Header   string         // name of the header
	Trusted  []netip.Prefix // addresses of proxies whose headers are believed
}

// Country is the visitor's country (ISO 3166-1 alpha-2), "" when it is unknown.
func (l *Locator) Country(r *http.Request) string {
	if l == nil {
		return ""
	}
	remote := addressOf(r.RemoteAddr)
	if l.Database != nil {
		var code string
		if err := l.Database.Lookup(l.client(r, remote)).DecodePath(&code, "country", "iso_code"); err == nil && isCountry(code) {
			return code
		}
	}
	if l.Header != "" && l.trusts(remote) {
		if code := strings.ToUpper(strings.TrimSpace(r.Header.Get(l.Header))); isCountry(code) {
			return code
		}
	}
	return ""
}

func isCountry(code string) bool {
	return len(code) == 2 && strings.Trim(code, "ABCDEFGHIJKLMNOPQRSTUVWXYZ") == ""
}

func addressOf(hostport string) netip.Addr {
	if a, err := netip.ParseAddrPort(hostport); err == nil {
		return a.Addr().Unmap()
	}
	return netip.Addr{}
}

func (l *Locator) trusts(a netip.Addr) bool {
	for _, p := range l.Trusted {
		if p.Contains(a) {
			return true
		}
	}
	return false
}

// Address is whose request it is: the peer, or whom a trusted proxy names. Behind a proxy on this machine that is not trusted
// nobody is known: then the address is the zero one.
func (l *Locator) Address(r *http.Request) netip.Addr {
	remote := addressOf(r.RemoteAddr)
	if l != nil && l.trusts(remote) {
		return l.client(r, remote)
	}
	if remote.IsLoopback() && r.Header.Get("X-Forwarded-For") != "" {
		return netip.Addr{}
	}
	return remote
}

// client is whose request it is: the last address in X-Forwarded-For that is no trusted proxy, if the request comes from one.
func (l *Locator) client(r *http.Request, remote netip.Addr) netip.Addr {
	if !l.trusts(remote) {
		return remote
	}
	hops := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
	for i := len(hops) - 1; i >= 0; i-- {
		a, err := netip.ParseAddr(strings.TrimSpace(hops[i]))
		if err != nil {
			return remote
		}
		if a = a.Unmap(); !l.trusts(a) {
			return a
		}
	}
	return remote
}

// E164 writes a telephone number as E.164 has it (+ and at most 15 digits). Without a country code it is read as one of the
// region (ISO 3166-1 alpha-2), if there is one.
func E164(text, region string) (string, error) {
	n, err := phonenumbers.Parse(text, region)
	if err != nil || !phonenumbers.IsValidNumber(n) {
		return "", fmt.Errorf("%q is no telephone number", text)
	}
	return phonenumbers.Format(n, phonenumbers.E164), nil
}

// firstLanguage is the first language of an Accept-Language header, without its region.
func firstLanguage(header string) string {
	first, _, _ := strings.Cut(header, ",")
	first, _, _ = strings.Cut(first, ";")
	first, _, _ = strings.Cut(strings.TrimSpace(first), "-")
	if len(first) < 2 || len(first) > 3 {
		return ""
	}
	return strings.ToLower(first)
}

func device(agent string) string {
	switch {
	case agent == "":
		return ""
	case strings.Contains(agent, "iPad") || strings.Contains(agent, "Tablet"):
		return "tablet"
	case strings.Contains(agent, "Mobi"):
		return "phone"
	}
	return "desktop"
}
