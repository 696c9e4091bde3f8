package store

import (
	"fmt"
	"math/rand/v2"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/attempts"
	"omphalos/app/store/people"
)

// bothServers are two stores on one database; on a file the two are one.
func bothServers(t *testing.T, clock func() time.Time) [2]*Store {
	t.Helper()
	dir := t.TempDir()
	s, err := openAt(t, dir, clock)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	out := [2]*Store{s, s}
	if onServer() {
		out[1], err = openAt(t, dir, clock)
		require.NoError(t, err)
		t.Cleanup(func() { require.NoError(t, out[1].Close()) })
	}
	return out
}

// A rate is kept by two servers together as by a list of the moments at which it was taken: of any stretch of time no
// more than what it may be, and never less than that.
func TestRatesAreKeptTogether(t *testing.T) {
	now := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	servers := bothServers(t, func() time.Time { return now })
	r := rand.New(rand.NewPCG(16, 1))
	rate := attempts.Rate{Every: 30 * time.Second, Burst: 6}
	tokens, at := float64(rate.Burst), now // a bucket that is filled again, the same rule from the other side
	refused, allowed := 0, 0
	for n := range 400 {
		now = now.Add(time.Duration(r.IntN(40)) * time.Second)
		if n%50 == 0 {
			now = now.Add(time.Hour)
		}
		tokens = min(float64(rate.Burst), tokens+now.Sub(at).Seconds()/rate.Every.Seconds())
		at = now
		got, err := servers[r.IntN(2)].Attempts.Take("finish 192.0.2.1", rate)
		require.NoError(t, err)
		may := tokens >= 1-1e-9
		require.Equal(t, may, got.OK, "%d: %v left", n, tokens)
		if may {
			tokens--
			allowed++
		} else {
			refused++
			require.InDelta(t, (1-tokens)*rate.Every.Seconds(), got.Wait.Seconds(), 1e-3)
		}
		require.Equal(t, int(tokens+1e-9), got.Left)
	}
	require.Greater(t, refused, 50)
	require.Greater(t, allowed, 50)
	other, err := servers[1].Attempts.Take("finish 192.0.2.2", rate)
	require.NoError(t, err)
	require.Equal(t, attempts.Taken{OK: true, Left: 5}, other, "another address")
	other, err = servers[0].Attempts.Take("finish 192.0.2.2", attempts.Rate{Every: time.Second, Burst: 2})
	require.NoError(t, err)
	require.Equal(t, 1, other.Left, "another rate")
}

// Asked at once from everywhere, a rate gives no more than it has, and what is not used any more is forgotten.
func TestRatesAtOnce(t *testing.T) {
	now := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	servers := bothServers(t, func() time.Time { return now })
	var all sync.WaitGroup
	var mu sync.Mutex
	given := 0
	for k := range 8 {
		all.Go(func() {
			for range 10 {
				got, err := servers[k%2].Attempts.Take("token x", attempts.Rate{Every: time.Minute, Burst: 30})
				require.NoError(t, err)
				mu.Lock()
				if got.OK {
					given++
				}
				mu.Unlock()
			}
		})
	}
	all.Wait()
	require.Equal(t, 30, given)
	now = now.Add(24 * time.Hour)
	require.NoError(t, servers[0].PurgeOld())
	var kept []attempts.Bucket
	require.NoError(t, servers[0].Read.Find(&kept).Error)
	require.Empty(t, kept)
}

// Who has a quiz open on another server is known while that server says so.
func TestSeatsOnOtherServers(t *testing.T) {
	now := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	servers := bothServers(t, func() time.Time { return now })
	a, b := servers[0], servers[1]
	names := func(s *Store, quiz string) (out []string) {
		list, err := s.People.Elsewhere(quiz)
		require.NoError(t, err)
		for _, one := range list {
			out = append(out, fmt.Sprint(one.Account, " ", one.Room))
		}
		return out
	}
	rise, err := a.People.Sit("q", "ada@x.example", "Script")
	require.NoError(t, err)
	again, err := a.People.Sit("q", "ada@x.example", "Script")
	require.NoError(t, err)
	require.Empty(t, names(a, "q"), "its own it knows itself")
	if a == b {
		return // a file has one server
	}
	require.Equal(t, []string{"ada@x.example Script"}, names(b, "q"))
	require.Empty(t, names(b, "other"))
	require.NoError(t, rise())
	require.Len(t, names(b, "q"), 1, "the other window is still there")
	require.NoError(t, again())
	require.Empty(t, names(b, "q"))

	_, err = a.People.Sit("q", "ada@x.example", "Verdicts")
	require.NoError(t, err)
	now = now.Add(people.SeatLife - time.Second)
	require.NoError(t, a.People.KeepSeats())
	now = now.Add(people.SeatLife - time.Second)
	require.Len(t, names(b, "q"), 1, "it says so again and again")
	now = now.Add(2 * time.Second)
	require.Empty(t, names(b, "q"), "the server is gone")
	require.NoError(t, b.People.KeepSeats())
	var left []people.Seat
	require.NoError(t, b.Read.Find(&left).Error)
	require.Empty(t, left)
}
