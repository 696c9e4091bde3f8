package main

import (
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/responses"
)

// What the page says follows from what was measured: ratios to the limit, and how far they grow from 1 ×.
func TestThePageSaysWhatWasMeasured(t *testing.T) {
	file, server := newMeasured(""), newMeasured("postgres://x")
	for i := range factors {
		cost := time.Duration(i+1) * 200 * time.Microsecond
		for _, l := range []*line{&file.page, &file.clients, &file.submit, &file.crowd, &file.leads, &file.replay, &file.edit} {
			l.add(cost, 100*time.Microsecond)
		}
		for _, l := range []*line{&server.page, &server.clients, &server.submit, &server.crowd, &server.leads, &server.replay} {
			l.add(50*time.Millisecond, 25*time.Millisecond)
		}
	}
	file.perByte = map[int]int64{1: 1_000_000, 100: 1_000_000 + 99*answered*2000}
	page, err := report([]*measured{file, server})
	require.NoError(t, err)
	for _, says := range []string{
		"| an edit of a weight, counted | the convolution of the scale | 200 µs (2.0 ×) | 400 µs (4.0 ×) | 600 µs (6.0 ×) | 3.00 |",
		"| Leads, opened | Leads with 1,000 responses | 50 ms (2.0 ×) | 50 ms (2.0 ×) | 50 ms (2.0 ×) | 1.00 |",
		"## SQLite", "## PostgreSQL", "as many at the same time by COPY",
		"over connections of 4, 40 and 400 clients",
		"A response takes 2000 bytes", "200 GB", "1667 responses a second", "in 17 hours", "600 s for a million responses",
	} {
		require.Contains(t, page, says)
	}
	require.NotContains(t, page, "<no value>")
}

// Clients that ask at once are all answered, and an answer that is not the page is an error.
func TestClientsAreAnswered(t *testing.T) {
	path := "/q/wall"
	h := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path != path {
			http.NotFound(w, r)
		}
	})
	cost, err := asked(h, path, 20, 3)
	require.NoError(t, err)
	require.Positive(t, cost)
	_, err = asked(h, "/other", 20, 3)
	require.ErrorContains(t, err, "404")
}

// The bare rows are stored: what stands next to the program's own cost is no empty loop.
func TestBareRowsAreStored(t *testing.T) {
	bare, err := newBareFile(t.TempDir())
	require.NoError(t, err)
	defer bare.close()
	all := submitter{quiz: "q"}
	require.NoError(t, bare.put([]*responses.Response{all.sample(1), all.sample(2)}))
	require.Error(t, bare.put([]*responses.Response{all.sample(3), all.sample(2)}), "one is there already")
	var n int
	require.NoError(t, bare.(bareFile).QueryRow("SELECT count(*) FROM bare").Scan(&n))
	require.Equal(t, 2, n, "and those beside it are not stored")
}
