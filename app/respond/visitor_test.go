package respond

import (
	"encoding/json"
	"net/http/httptest"
	"net/netip"
	"os"
	"testing"
	"time"

	"github.com/oschwald/maxminddb-golang/v2"
	"github.com/stretchr/testify/require"

	"omphalos/app/workbench"
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
		r := httptest.NewRequest("GET", "/", nil)
		r.RemoteAddr = c.remote
		if c.forwarded != "" {
			r.Header.Set("X-Forwarded-For", c.forwarded)
		}
		if c.header != "" {
			r.Header.Set("X-Country", c.header)
		}
		require.Equal(t, c.want, l.Country(r), name)
	}
	for remote, want := range map[string]string{"192.0.2.7:1": "192.0.2.7", "10.1.2.3:1": "203.0.113.9", "127.0.0.1:1": "invalid IP"} {
		r := httptest.NewRequest("GET", "/", nil)
		r.RemoteAddr = remote
		r.Header.Set("X-Forwarded-For", "203.0.113.9")
		require.Equal(t, want, l.Address(r).String())
	}
	var none *Locator
	require.Equal(t, "192.0.2.1", none.Address(httptest.NewRequest("GET", "/", nil)).String())
	require.Empty(t, none.Country(httptest.NewRequest("GET", "/", nil)))
}

// Source of the numbers: libphonenumber-js 1.13.16 (metadata of libphonenumber), E.164.
func TestTelephoneNumbersAsPublished(t *testing.T) {
	text, err := os.ReadFile("testdata/e164.json")
	require.NoError(t, err)
	var file struct {
		Examples []struct {
			Country, National, International, E164 string
			Valid                                  bool
		}
		Parse []struct {
			DefaultCountry string `json:"default_country"`
			Input, Parsed  string
			Valid          bool
		}
	}
	require.NoError(t, json.Unmarshal(text, &file))
	require.NotEmpty(t, file.Examples)
	for _, c := range file.Examples {
		if !c.Valid {
			_, err := E164(c.National, c.Country)
			require.Error(t, err, c.National)
			continue
		}
		for _, written := range []string{c.National, c.International, c.E164} {
			got, err := E164(written, c.Country)
			require.NoError(t, err, written)
			require.Equal(t, c.E164, got)
		}
		_, err := E164(c.National, "")
		require.Error(t, err, "a national number says nothing without a country")
	}
	for _, c := range file.Parse {
		got, err := E164(c.Input, c.DefaultCountry)
		require.Equal(t, c.Valid, err == nil, c.Input)
		if c.Valid {
			require.Equal(t, c.Parsed, got, c.Input)
		}
	}
	for _, bad := range []string{"", "12", "call me", "+", "+999 123456", "00000000000"} {
		_, err := E164(bad, "IE")
		require.Error(t, err, bad)
	}
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

func TestWhatLooksLikeAProgramIsKeptAside(t *testing.T) {
	g := &guard{}
	home := netip.MustParseAddr("192.0.2.1")
	require.Empty(t, g.suspect(home, false, time.Minute, 8))
	require.Contains(t, g.suspect(home, true, time.Minute, 8), "hidden field")
	require.Contains(t, g.suspect(home, false, 100*time.Millisecond, 8), "faster")
	for range finishBurst {
		g.suspect(home, false, time.Minute, 8)
	}
	require.Contains(t, g.suspect(home, false, time.Minute, 8), "one address")
	require.Empty(t, g.suspect(netip.MustParseAddr("192.0.2.2"), false, time.Minute, 8), "another address")
	here := netip.MustParseAddr("127.0.0.1")
	for range finishBurst + 5 {
		require.Empty(t, g.suspect(here, false, time.Millisecond, 8), "this machine’s own")
	}
	require.NotEmpty(t, g.suspect(here, true, time.Minute, 8))
	require.NotEmpty(t, g.suspect(netip.Addr{}, false, time.Millisecond, 8), "behind a proxy that is not trusted speed still tells")
	six := netip.MustParseAddr("2001:db8::1")
	for range finishBurst {
		g.suspect(six, false, time.Minute, 8)
	}
	require.Contains(t, g.suspect(netip.MustParseAddr("2001:db8::2"), false, time.Minute, 8), "one address", "a household has a whole network")
}
