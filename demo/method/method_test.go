package method

import (
	"encoding/xml"
	"flag"
	"io"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/demo"
)

var update = flag.Bool("update", false, "write docs/method.md and its picture anew")

const (
	pageAt  = "../../docs/method.md"
	chartAt = "../../docs/method.svg"
)

func wall(t *testing.T) *quiz.Document {
	t.Helper()
	d, err := demo.Document("living-wall")
	require.NoError(t, err)
	return d
}

// The page says what the program counts.
func TestThePageIsCurrent(t *testing.T) {
	was, err := os.ReadFile(pageAt)
	require.NoError(t, err)
	page, err := Fill(string(was), wall(t))
	require.NoError(t, err)
	chart, err := Chart(wall(t))
	require.NoError(t, err)
	if *update {
		require.NoError(t, os.WriteFile(pageAt, []byte(page), 0o644))
		require.NoError(t, os.WriteFile(chartAt, []byte(chart), 0o644))
	}
	require.Equal(t, string(was), page, "make method draws its figures anew")
	drawn, err := os.ReadFile(chartAt)
	require.NoError(t, err)
	require.Equal(t, string(drawn), chart, "make method draws it anew")
	for r := xml.NewDecoder(strings.NewReader(chart)); ; {
		if _, err := r.Token(); err == io.EOF {
			break
		} else {
			require.NoError(t, err)
		}
	}
}

// The sums of two questions, added by hand: 1, 4 or 7 and 5, 4, 2 or 1.
func TestSumsByHand(t *testing.T) {
	page, err := Fill("<!-- figure sums -->\nold\n<!-- end -->", wall(t))
	require.NoError(t, err)
	require.Contains(t, page, "| sum | 2 | 3 | 5 | 6 | 8 | 9 | 11 | 12 |")
	require.Contains(t, page, "| combinations of 12 | 1 | 1 | 2 | 2 | 2 | 2 | 1 | 1 |")
	require.NotContains(t, page, "old")
	_, err = Fill("<!-- figure none -->\n<!-- end -->", wall(t))
	require.ErrorContains(t, err, `no figure "none"`)
}

func TestGrouped(t *testing.T) {
	for digits, want := range map[string]string{"1": "1", "999": "999", "1000": "1,000", "456920": "456,920", "1234567": "1,234,567"} {
		require.Equal(t, want, grouped(digits))
	}
}
