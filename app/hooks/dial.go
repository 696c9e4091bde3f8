package hooks

import (
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"syscall"
	"time"
)

// Bounds of one attempt.
const (
	attemptTime = 15 * time.Second
	mostRead    = 16 << 10 // bytes of an answer that are read
)

// special are the networks that are no addresses of the public Internet, next to those that net/netip knows: the
// entries of IANA's registries of special-purpose addresses (RFC 6890) that are not globally reachable, and all that
// hold an IPv4 address, which could be one of a private network.
var special = []netip.Prefix{
	netip.MustParsePrefix("0.0.0.0/8"),
	netip.MustParsePrefix("100.64.0.0/10"),
	netip.MustParsePrefix("192.0.0.0/24"),
	netip.MustParsePrefix("192.0.2.0/24"),   // documentation (RFC 5737)
	netip.MustParsePrefix("192.88.99.0/24"), // relays of 6to4 (RFC 7526)
	netip.MustParsePrefix("198.18.0.0/15"),
	netip.MustParsePrefix("198.51.100.0/24"),
	netip.MustParsePrefix("203.0.113.0/24"),
	netip.MustParsePrefix("240.0.0.0/4"),
	netip.MustParsePrefix("::/96"),           // IPv4-compatible (RFC 4291)
	netip.MustParsePrefix("::ffff:0:0:0/96"), // IPv4-translated (RFC 2765)
	netip.MustParsePrefix("64:ff9b::/96"),    // IPv4 of NAT64 (RFC 6052)
	netip.MustParsePrefix("64:ff9b:1::/48"),  // the same, local (RFC 8215)
	netip.MustParsePrefix("100::/64"),        // discarded (RFC 6666)
	netip.MustParsePrefix("100:0:0:1::/64"),  // dummy (RFC 9780)
	netip.MustParsePrefix("2001::/23"),       // assignments of the IETF, Teredo among them (RFC 2928, RFC 4380)
	netip.MustParsePrefix("2001:db8::/32"),   // documentation (RFC 3849)
	netip.MustParsePrefix("2002::/16"),       // IPv4 of 6to4 (RFC 3056)
	netip.MustParsePrefix("3fff::/20"),       // documentation (RFC 9637)
	netip.MustParsePrefix("5f00::/16"),       // segment identifiers (RFC 9602)
	netip.MustParsePrefix("fec0::/10"),       // site-local (RFC 3879)
}

// Public reports whether an address is one of the public Internet.
func Public(a netip.Addr) bool {
	a = a.Unmap()
	if !a.IsGlobalUnicast() || a.IsPrivate() {
		return false
	}
	for _, p := range special {
		if p.Contains(a) {
			return false
		}
	}
	return true
}

// client sends to public addresses, and to those that are allowed next to them. The address is looked at when the
// connection is made: a name cannot lead elsewhere between being asked and being used. No one is led on.
func client(allowed []netip.Prefix) *http.Client {
	dialer := &net.Dialer{Timeout: 5 * time.Second, Control: func(_, address string, _ syscall.RawConn) error {
		to, err := netip.ParseAddrPort(address)
		if err != nil {
			return err
		}
		at := to.Addr().Unmap()
		for _, p := range allowed {
			if p.Contains(at) {
				return nil
			}
		}
		if !Public(at) {
			return fmt.Errorf("%s isn’t a public address; use --hooks-may-reach to allow it", at)
		}
		return nil
	}}
	return &http.Client{
		Timeout: attemptTime,
		Transport: &http.Transport{ // no proxy: what it may reach is not what may be reached
			DialContext:           dialer.DialContext,
			TLSHandshakeTimeout:   5 * time.Second,
			ResponseHeaderTimeout: attemptTime,
			MaxIdleConnsPerHost:   2,
			IdleConnTimeout:       time.Minute,
		},
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
}
