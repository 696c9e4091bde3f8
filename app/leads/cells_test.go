package leads

import (
	"encoding/csv"
	"encoding/json"
	"omphalos/core/sheet"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Source: testdata/csv_cells.json, RFC 4180 section 2 and the OWASP page on CSV injection (from memory).
func TestCellsAreSafeAndComeBack(t *testing.T) {
	b, err := os.ReadFile("testdata/csv_cells.json")
	require.NoError(t, err)
	var file struct {
		Cases []struct {
			Value   string `json:"value"`
			RFC     string `json:"rfc4180"`
			Guarded string `json:"guarded"`
			Guard   bool   `json:"needs_guard"`
		} `json:"cases"`
	}
	require.NoError(t, json.Unmarshal(b, &file))
	require.Greater(t, len(file.Cases), 10)
	for _, c := range file.Cases {
		require.Equal(t, c.Guard, sheet.Guard(c.Value) != c.Value, "%q", c.Value)
		var out strings.Builder
		require.NoError(t, writeRecord(&out, []string{sheet.Guard(c.Value), "next"}))
		require.Equal(t, c.Guarded+",next\r\n", out.String())
		out.Reset()
		require.NoError(t, writeRecord(&out, []string{c.Value, "next"}))
		require.Equal(t, c.RFC+",next\r\n", out.String())
		back, err := csv.NewReader(strings.NewReader(out.String())).Read()
		require.NoError(t, err)
		require.Equal(t, strings.ReplaceAll(c.Value, "\r\n", "\n"), back[0])
	}
}
