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

// special are the networks that are no addresses of the public Internet, beside those that net/netip knows: shared
// address space (RFC 6598), benchmarks (RFC 2544), documentation (RFC 5737, RFC 3849), reserved (RFC 1112), IETF
// assignments (RFC 6890), and IPv4 within IPv6 (RFC 6052, RFC 3056).
var special = []netip.Prefix{
	netip.MustParsePrefix("0.0.0.0/8"),
	netip.MustParsePrefix("100.64.0.0/10"),
	netip.MustParsePrefix("192.0.0.0/24"),
	netip.MustParsePrefix("192.0.2.0/24"),
	netip.MustParsePrefix("198.18.0.0/15"),
	netip.MustParsePrefix("198.51.100.0/24"),
	netip.MustParsePrefix("203.0.113.0/24"),
	netip.MustParsePrefix("240.0.0.0/4"),
	netip.MustParsePrefix("64:ff9b::/96"),
	netip.MustParsePrefix("64:ff9b:1::/48"),
	netip.MustParsePrefix("2001:db8::/32"),
	netip.MustParsePrefix("2002::/16"),
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

// client sends to public addresses, and to those that are allowed beside them. The address is looked at when the
// connection is made: a name cannot lead elsewhere between being asked and being used. Nobody is led on.
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
			return fmt.Errorf("%s is no public address: --hooks-may-reach allows more", at)
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
