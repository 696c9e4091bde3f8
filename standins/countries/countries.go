// Package countries makes a small database in MaxMind's format that stands in for a real one: made-up countries for
// the address ranges that are kept for documentation, and for this machine.
package countries

import (
	"bytes"
	"net"

	"github.com/maxmind/mmdbwriter"
	"github.com/maxmind/mmdbwriter/mmdbtype"
)

// ranges are documentation addresses (RFC 5737, RFC 3849) and the loopback.
var ranges = []struct{ network, country string }{
	{"192.0.2.0/24", "IE"}, {"198.51.100.0/24", "GB"}, {"203.0.113.0/24", "NL"}, {"2001:db8::/33", "IE"}, {"2001:db8:8000::/33", "NL"}, {"127.0.0.0/8", "IE"}, {"::1/128", "IE"},
}

// Database returns the bytes of the database.
func Database() ([]byte, error) {
	tree, err := mmdbwriter.New(mmdbwriter.Options{DatabaseType: "Stand-in-Country", Description: map[string]string{"en": "Fictional countries for documentation IP addresses"},
		IncludeReservedNetworks: true, RecordSize: 24, BuildEpoch: 1767225600})
	if err != nil {
		return nil, err
	}
	for _, r := range ranges {
		_, network, err := net.ParseCIDR(r.network)
		if err != nil {
			return nil, err
		}
		if err := tree.Insert(network, mmdbtype.Map{"country": mmdbtype.Map{"iso_code": mmdbtype.String(r.country)}}); err != nil {
			return nil, err
		}
	}
	var b bytes.Buffer
	_, err = tree.WriteTo(&b)
	return b.Bytes(), err
}
