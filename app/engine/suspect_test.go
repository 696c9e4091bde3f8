package engine

import (
	"encoding/json"
	"net/netip"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
)

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

func TestWhatLooksLikeAProgramIsKeptAside(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	g := &guard{take: s.Attempts.Take}
	home := netip.MustParseAddr("192.0.2.1")
	require.Empty(t, g.suspect(home, false, time.Minute, 8))
	require.Contains(t, g.suspect(home, true, time.Minute, 8), "it filled in a field that people can’t see")
	require.Contains(t, g.suspect(home, false, 100*time.Millisecond, 8), "faster")
	for range perAddress.Burst {
		g.suspect(home, false, time.Minute, 8)
	}
	require.Contains(t, g.suspect(home, false, time.Minute, 8), "many responses came from the same address")
	require.Empty(t, g.suspect(netip.MustParseAddr("192.0.2.2"), false, time.Minute, 8), "another address")
	here := netip.MustParseAddr("127.0.0.1")
	for range perAddress.Burst + 5 {
		require.Empty(t, g.suspect(here, false, time.Millisecond, 8), "this machine’s own")
	}
	require.NotEmpty(t, g.suspect(here, true, time.Minute, 8))
	require.NotEmpty(t, g.suspect(netip.Addr{}, false, time.Millisecond, 8), "behind a proxy that is not trusted speed still tells")
	six := netip.MustParseAddr("2001:db8::1")
	for range perAddress.Burst {
		g.suspect(six, false, time.Minute, 8)
	}
	require.Contains(t, g.suspect(netip.MustParseAddr("2001:db8::2"), false, time.Minute, 8), "many responses came from the same address", "a household has a whole network")
}
