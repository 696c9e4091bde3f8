package respond

import (
	"net/netip"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/oschwald/maxminddb-golang/v2"
)

// Locator tells from which country someone comes: from a database in MaxMind's format, from a header that a trusted
// proxy sets, or not at all. The zero Locator knows no one.
type Locator struct {
	Database *maxminddb.Reader
	Header   string         // name of the header
	Trusted  []netip.Prefix // addresses of proxies whose headers are believed
}

// Country is the visitor's country (ISO 3166-1 alpha-2), "" when it is unknown.
func (l *Locator) Country(c *gin.Context) string {
	if l == nil {
		return ""
	}
	if l.Database != nil {
		if code := l.countryOf(clientOf(c)); code != "" {
			return code
		}
	}
	if l.Header != "" && l.Trusts(addressOf(c.Request.RemoteAddr)) {
		if code := strings.ToUpper(strings.TrimSpace(c.GetHeader(l.Header))); isCountry(code) {
			return code
		}
	}
	return ""
}

// countryOf is the country of an address by the database, "" where it says nothing that is one.
func (l *Locator) countryOf(a netip.Addr) string {
	var code string
	err := l.Database.Lookup(a).DecodePath(&code, "country", "iso_code")
	if err != nil || !isCountry(code) {
		return ""
	}
	return code
}

// Proxies are the networks of the proxies that are believed, as gin takes them.
func (l *Locator) Proxies() []string {
	if l == nil {
		return nil
	}
	var out []string
	for _, p := range l.Trusted {
		out = append(out, p.String())
	}
	return out
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

// Trusts reports whether a peer is one of the proxies that may say whom they forward.
func (l *Locator) Trusts(a netip.Addr) bool {
	for _, p := range l.Trusted {
		if p.Contains(a) {
			return true
		}
	}
	return false
}

// Address is whose request it is: the peer, or whom a trusted proxy names. Behind a proxy on this machine that is not
// trusted no one is known: then the address is the zero one.
func (l *Locator) Address(c *gin.Context) netip.Addr {
	remote := addressOf(c.Request.RemoteAddr)
	switch {
	case c.GetHeader("X-Forwarded-For") == "":
		return remote
	case remote.IsLoopback() && (l == nil || !l.Trusts(remote)):
		return netip.Addr{}
	}
	return clientOf(c)
}

// clientOf is the client's address as the server's trusted proxies tell it.
func clientOf(c *gin.Context) netip.Addr {
	a, err := netip.ParseAddr(c.ClientIP())
	if err != nil {
		return netip.Addr{}
	}
	return a.Unmap()
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
