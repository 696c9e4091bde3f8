package respond

import (
	"encoding/json"
	"net/http/httptest"
	"net/netip"
	"os"
	"testing"

	"github.com/gin-gonic/gin"
	"github.com/oschwald/maxminddb-golang/v2"
	"github.com/stretchr/testify/require"

	"omphalos/app/workbench"
	"omphalos/core/corpus"
	"omphalos/standins/countries"
)

func locator(t *testing.T) *Locator {
	t.Helper()
	made, err := countries.Database()
	require.NoError(t, err)
	db, err := maxminddb.OpenBytes(made)
	require.NoError(t, err)
	return &Locator{Database: db, Header: "X-Country", Trusted: []netip.Prefix{netip.MustParsePrefix("10.0.0.0/8")}}
}

// asked is a request from an address to a server that trusts the locator's proxies.
func asked(t *testing.T, l *Locator, remote string) *gin.Context {
	t.Helper()
	c, g := gin.CreateTestContext(httptest.NewRecorder())
	g.RemoteIPHeaders = []string{"X-Forwarded-For"}
	require.NoError(t, g.SetTrustedProxies(l.Proxies()))
	c.Request = httptest.NewRequest("GET", "/", nil)
	c.Request.RemoteAddr = remote
	return c
}

func TestACountryIsBelievedFromWhoMayTell(t *testing.T) {
	l := locator(t)
	for name, c := range map[string]struct{ remote, forwarded, header, want string }{
		"by address":                {"192.0.2.7:1", "", "", "IE"},
		"by address, IPv6":          {"[2001:db8:8000::1]:1", "", "", "NL"},
		"IPv4 in IPv6":              {"[::ffff:198.51.100.4]:1", "", "", "GB"},
		"unknown":                   {"9.9.9.9:1", "", "", ""},
		"a header from anybody":     {"9.9.9.9:1", "", "GB", ""},
		"a header from a proxy":     {"10.1.2.3:1", "", "gb", "GB"},
		"not a country":             {"10.1.2.3:1", "", "Ireland", ""},
		"forwarded by a proxy":      {"10.1.2.3:1", "203.0.113.9", "", "NL"},
		"forwarded by anybody":      {"9.9.9.9:1", "203.0.113.9", "", ""},
		"the last untrusted counts": {"10.1.2.3:1", "192.0.2.1, 198.51.100.1, 10.9.9.9", "", "GB"},
		"a forged hop":              {"10.1.2.3:1", "nonsense", "", ""},
	} {
		r := asked(t, l, c.remote)
		if c.forwarded != "" {
			r.Request.Header.Set("X-Forwarded-For", c.forwarded)
		}
		if c.header != "" {
			r.Request.Header.Set("X-Country", c.header)
		}
		require.Equal(t, c.want, l.Country(r), name)
	}
	for remote, want := range map[string]string{"192.0.2.7:1": "192.0.2.7", "10.1.2.3:1": "203.0.113.9", "127.0.0.1:1": "invalid IP"} {
		r := asked(t, l, remote)
		r.Request.Header.Set("X-Forwarded-For", "203.0.113.9")
		require.Equal(t, want, l.Address(r).String())
	}
	var none *Locator
	require.Equal(t, "192.0.2.1", none.Address(asked(t, none, "192.0.2.1:1")).String())
	require.Empty(t, none.Country(asked(t, none, "192.0.2.1:1")))
}

// Source of the codes: ISO 3166-1.
func TestEveryPublishedCountryCanBeChosen(t *testing.T) {
	text, err := os.ReadFile("testdata/iso3166_1_alpha2.json")
	require.NoError(t, err)
	var codes []string
	require.NoError(t, json.Unmarshal(text, &codes))
	offered := map[string]bool{}
	for _, c := range workbench.Countries {
		offered[c.Value] = true
	}
	for _, code := range codes {
		require.True(t, isCountry(code))
		require.True(t, offered[code], code)
	}
}

// FuzzCountries: whatever the file of addresses holds, a country is two letters or none.
func FuzzCountries(f *testing.F) {
	corpus.Add(f)
	made, err := countries.Database()
	require.NoError(f, err)
	f.Add(made, []byte{192, 0, 2, 7})
	f.Add(made[len(made)/2:], []byte{0x20, 1, 0xd, 0xb8, 0x80, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 1})
	f.Fuzz(func(t *testing.T, file, address []byte) {
		db, err := maxminddb.OpenBytes(file)
		a, is := netip.AddrFromSlice(address)
		if err != nil || !is {
			return
		}
		if code := (&Locator{Database: db}).countryOf(a); code != "" {
			require.Len(t, code, 2)
		}
	})
}
