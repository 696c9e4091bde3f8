package main

import (
	"fmt"
	"net/netip"

	"github.com/oschwald/maxminddb-golang/v2"
	"github.com/spf13/cobra"

	"omphalos/app/respond"
)

// locatorFlags say how visitors' countries are told.
type locatorFlags struct {
	file, header string
	proxies      []string
}

func (f *locatorFlags) add(c *cobra.Command) {
	flags := c.Flags()
	flags.StringVar(&f.file, "countries", "", "file in MaxMind format (.mmdb) used to look up visitors’ countries")
	flags.StringVar(&f.header, "country-header", "",
		"header in which a trusted proxy sends the visitor’s country, such as X-Country")
	flags.StringSliceVar(&f.proxies, "trusted-proxy", nil,
		"address or network of a proxy to trust, such as 10.0.0.0/8; can be repeated")
}

func (f *locatorFlags) locator() (*respond.Locator, error) {
	l := &respond.Locator{Header: f.header}
	for _, p := range f.proxies {
		prefix, err := netip.ParsePrefix(p)
		if a, aerr := netip.ParseAddr(p); err != nil && aerr == nil {
			prefix, err = netip.PrefixFrom(a, a.BitLen()), nil
		}
		if err != nil {
			return nil, fmt.Errorf("--trusted-proxy: %q isn’t an address or network", p)
		}
		l.Trusted = append(l.Trusted, prefix)
	}
	if f.header != "" && len(l.Trusted) == 0 {
		return nil, fmt.Errorf("--country-header needs --trusted-proxy; otherwise anyone could send the header")
	}
	if f.file != "" {
		db, err := maxminddb.Open(f.file)
		if err != nil {
			return nil, fmt.Errorf("--countries %s: %w", f.file, err)
		}
		l.Database = db
	}
	return l, nil
}
