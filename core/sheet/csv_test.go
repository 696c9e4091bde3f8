package sheet

import (
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Source: testdata/csv_cells.json, RFC 4180 section 2 and the OWASP page on CSV injection (from memory). More cells may
// be quoted than must be (rule 5); what is read back is compared, and that every cell that must be quoted is.
func TestCellsAreSafeAndComeBack(t *testing.T) {
	text, err := os.ReadFile("testdata/csv_cells.json")
	require.NoError(t, err)
	var file struct {
		Cases []struct {
			Value   string `json:"value"`
			RFC     string `json:"rfc4180"`
			Guarded string `json:"guarded"`
			Guard   bool   `json:"needs_guard"`
		} `json:"cases"`
	}
	require.NoError(t, json.Unmarshal(text, &file))
	require.Greater(t, len(file.Cases), 10)
	for _, c := range file.Cases {
		require.Equal(t, c.Guard, Guard(c.Value) != c.Value, "%q", c.Value)
		for value, want := range map[string]string{c.Value: c.RFC, Guard(c.Value): c.Guarded} {
			written := string(CSVText([][]string{{value, "next"}}))
			body, ends := strings.CutSuffix(written, ",next\r\n")
			require.True(t, ends, "%q", written)
			body = strings.TrimPrefix(body, ByteOrderMark)
			if strings.HasPrefix(want, `"`) {
				require.Equal(t, want, body)
			}
			record, _, err := NewCSV([]byte(written), ',').Next()
			require.NoError(t, err)
			require.Equal(t, []string{value, "next"}, record)
		}
	}
}

func TestABadLineIsOneBadLine(t *testing.T) {
	for name, c := range map[string]struct {
		text string
		bad  []int
		good []string // first cells
	}{
		"a quote never closed":     {"id,a\n1,\"x\n2,y\n3,z\n", []int{2}, []string{"id", "2", "3"}},
		"closed by a later line":   {"id,a\n1,\"x\n2,\"y\"\n3,z\n", []int{2}, []string{"id", "2", "3"}},
		"more after the quote":     {"id,a\r\n1,\"x\"y\r\n2,z\r\n", []int{2}, []string{"id", "2"}},
		"behind lines in a cell":   {"id,a\n1,\"x\ny\"\n2,\"a\"b\n3,c", []int{4}, []string{"id", "1", "3"}},
		"the last line, no break":  {"id,a\n1,b\n2,\"c", []int{3}, []string{"id", "1"}},
		"every line":               {"\"a\"b\n\"c\"d\n", []int{1, 2}, nil},
		"nothing bad, empty lines": {"\nid,a\n\n1,b\n", nil, []string{"id", "1"}},
	} {
		t.Run(name, func(t *testing.T) {
			table, faults := NewCSV([]byte(c.text), ',').All(0)
			var bad []int
			for _, f := range faults {
				bad = append(bad, f.Line)
			}
			require.Equal(t, c.bad, bad)
			var good []string
			for _, record := range table {
				if record != nil {
					good = append(good, record[0])
				}
			}
			require.Equal(t, c.good, good)
		})
	}
	c := NewCSV([]byte("id,a\n1,\"x\"y\n"), ',')
	_, _, err := c.Next()
	require.NoError(t, err)
	_, line, err := c.Next()
	var bad *BadLine
	require.ErrorAs(t, err, &bad)
	require.Equal(t, 2, line)
	require.Equal(t, []string{"1", `x"y`}, bad.Cells, "nothing of the line is lost")
	_, _, err = c.Next()
	require.ErrorIs(t, err, io.EOF)
	_, faults := NewCSV([]byte("a,b\nc,d\n"), ',').All(3)
	require.Equal(t, []Fault{{Line: 2, Message: "the table has more than 3 cells"}}, faults)
}

// Whatever is in the cells comes back as it was, and records begin on the lines that the file has them on.
func TestTablesComeBackAsTheyWere(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 1))
	pieces := []string{"a", ",", `"`, "\n", "\r\n", "\r", " ", "=", "é", "\t", ""}
	for range 2000 {
		table := make([][]string, 1+r.IntN(4))
		for y := range table {
			table[y] = []string{"k", ""}
			for range r.IntN(6) {
				table[y][1] += pieces[r.IntN(len(pieces))]
			}
		}
		text := CSVText(table)
		c := NewCSV(text, ',')
		line := 1
		for _, want := range table {
			got, at, err := c.Next()
			require.NoError(t, err, "%q", text)
			require.Equal(t, want, got, "%q", text)
			require.Equal(t, line, at)
			line += 1 + strings.Count(want[1], "\n")
		}
		_, _, err := c.Next()
		require.ErrorIs(t, err, io.EOF)
	}
	require.Equal(t, ';', Separator([]byte("a;b;c,d\n1;2")))
	require.True(t, bytes.HasPrefix(CSVText(nil), []byte(ByteOrderMark)))
}

// Spaces before a formula keep no spreadsheet from running it; they do not make one of a number or a word.
func TestSpacesBeforeAFormula(t *testing.T) {
	for text, guarded := range map[string]bool{
		" =1+1": true, "\u00a0\u00a0@SUM(A1)": true, "   +1": true, " \tx": true, "\tx": true,
		" words": false, "": false, "  ": false, "1 = 1": false,
	} {
		require.Equal(t, guarded, Guard(text) != text, "%q", text)
		require.Equal(t, text, Unguard(Guard(text)), "%q", text)
	}
}

// Quotes amid a cell that does not begin with one are what they are, as in spreadsheets.
func TestQuotesAmidACell(t *testing.T) {
	for text, want := range map[string][][]string{
		"id,a\n1,x\"y\n2,z\n":                               {{"id", "a"}, {"1", "x\"y"}, {"2", "z"}},
		"a 5\" pipe,\"5\"\" and\r\n6\"\"\",,c\r\nnext,\r\n": {{"a 5\" pipe", "5\" and\r\n6\"", "", "c"}, {"next", ""}},
		"\n\nthe \"small\" one,b":                           {{"the \"small\" one", "b"}},
		"a\"b\nc\"d\n\"e\nf\",g\"\n":                        {{"a\"b"}, {"c\"d"}, {"e\nf", "g\""}},
	} {
		table, faults := NewCSV([]byte(text), ',').All(0)
		require.Empty(t, faults, "%q", text)
		table = slices.DeleteFunc(table, func(record []string) bool { return record == nil })
		require.Equal(t, want, table, "%q", text)
	}
	table, faults := NewCSV([]byte("a\"b;\"c;d\"\n"), ';').All(0)
	require.Empty(t, faults)
	require.Equal(t, []string{`a"b`, "c;d"}, table[0])
}

// Lines that each begin a record of a whole table, wrong at its end, are looked at a few times and no more.
func TestQuotesThatNeverEndAreLookedAtLittle(t *testing.T) {
	data := []byte(strings.Repeat("a\",b,\"\n", 2_000))
	c := NewCSV(data, ',')
	lines := 0
	for {
		_, _, err := c.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		lines++
		require.Greater(t, c.spare, -len(data), "no more than one look past the bound")
	}
	require.Equal(t, 2_000, lines, "each is a line of its own, and none is lost")
}
