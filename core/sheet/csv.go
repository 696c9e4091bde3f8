package sheet

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
)

// ByteOrderMark begins a CSV file that a spreadsheet will open: without it many read UTF-8 as something else.
const ByteOrderMark = "\ufeff"

// CSV reads records of CSV (RFC 4180) one after another. A line that is no CSV is one bad line: it is told by its
// number and the lines after it are read. Line breaks within cells come as they stand in the file, CRLF too.
type CSV struct {
	rest  []byte // from where r began to read
	line  int    // the line that rest begins with, from 1
	comma rune
	r     *csv.Reader
	done  int64 // bytes of rest that hold the records read so far
	spare int   // bytes that may still be looked at in vain by asTyped
}

// NewCSV reads a whole table from memory; a byte order mark at its beginning is passed over. comma separates cells.
func NewCSV(data []byte, comma rune) *CSV {
	c := &CSV{rest: bytes.TrimPrefix(data, []byte(ByteOrderMark)), line: 1, comma: comma, spare: 4 * len(data)}
	c.r = c.reader(c.rest)
	return c
}

// BadLine is the error of a line that is no CSV. Cells are what can be made of it.
type BadLine struct {
	Line  int // from 1
	Why   string
	Cells []string
}

// Error says all of it on one line.
func (b *BadLine) Error() string { return fmt.Sprintf("line %d: %s", b.Line, b.Why) }

// Next returns the next record and the line that it begins on. Empty lines are passed over. At the end the error is
// io.EOF; a *BadLine is the error of that line alone.
func (c *CSV) Next() (record []string, line int, err error) {
	record, err = c.r.Read()
	var parse *csv.ParseError
	switch {
	case errors.As(err, &parse):
		if errors.Is(parse.Err, csv.ErrBareQuote) {
			if record, line, ok := c.asTyped(parse); ok {
				return record, line, nil
			}
		}
		bad := c.passOver(parse)
		return nil, bad.Line, bad
	case err != nil: // only io.EOF: memory does not fail
		return nil, c.line, err
	}
	first, _ := c.r.FieldPos(0)
	raw := c.rest[c.done:c.r.InputOffset()]
	c.done = c.r.InputOffset()
	return c.withBreaks(record, raw), c.line + first - 1, nil
}

func (c *CSV) reader(data []byte) *csv.Reader {
	r := csv.NewReader(bytes.NewReader(data))
	r.Comma, r.FieldsPerRecord = c.comma, -1
	return r
}

// asTyped reads a record that has quotes within cells that do not begin with one, such as 5" or the "small" one, as
// spreadsheets do: the quotes are part of the text. It reports false, and has read nothing, where more is wrong.
//
// A record that turns out to be wrong may be as long as the rest of the table, and the next line may begin such a one
// again: spare bounds how much is looked at in vain.
func (c *CSV) asTyped(parse *csv.ParseError) (record []string, line int, ok bool) {
	if c.spare <= 0 {
		return nil, 0, false
	}
	at := 0
	for range parse.StartLine - 1 {
		at += bytes.IndexByte(c.rest[at:], '\n') + 1
	}
	quoted, n := c.quoteRecord(c.rest[at:])
	r := c.reader(quoted)
	record, err := r.Read()
	if err != nil || r.InputOffset() != int64(len(quoted)) {
		c.spare -= n
		return nil, 0, false
	}
	line = c.line + parse.StartLine - 1
	c.line += bytes.Count(c.rest[:at+n], []byte("\n"))
	c.rest = c.rest[at+n:]
	c.r, c.done = c.reader(c.rest), 0
	return c.withBreaks(record, quoted), line, true
}

// quoteRecord returns the record that data begins with, and its length n. Cells that hold a quote but do not begin with
// one are put in quotes.
func (c *CSV) quoteRecord(data []byte) (quoted []byte, n int) {
	comma := []byte(string(c.comma))
	for n < len(data) {
		start, inQuotes, begins := n, false, data[n] == '"'
		for ; n < len(data); n++ {
			if begins && data[n] == '"' {
				inQuotes = !inQuotes // of two in a row the second opens again
			}
			if !inQuotes && (data[n] == '\n' || bytes.HasPrefix(data[n:], comma)) {
				break
			}
		}
		cell := data[start:n]
		end := bytes.TrimRight(cell, "\r")
		if !begins && bytes.IndexByte(cell, '"') >= 0 {
			quoted = fmt.Appendf(quoted, `"%s"%s`, bytes.ReplaceAll(end, []byte(`"`), []byte(`""`)), cell[len(end):])
		} else {
			quoted = append(quoted, cell...)
		}
		if n == len(data) {
			return quoted, n
		}
		if data[n] == '\n' {
			return append(quoted, '\n'), n + 1
		}
		quoted = append(quoted, comma...)
		n += len(comma)
	}
	return quoted, n
}

// passOver continues behind the line on which a record that is no CSV begins. A quote that is never closed takes in the
// lines below it: reading continues with the very next one, so that only this line is lost.
func (c *CSV) passOver(parse *csv.ParseError) *BadLine {
	for range parse.StartLine - 1 {
		c.cutLine()
	}
	out := &BadLine{
		Line: c.line,
		Why:  "there’s a quotation mark inside a cell; put the whole cell in quotes and double the marks within it",
	}
	if errors.Is(parse.Err, csv.ErrQuote) {
		out.Why = "a quotation mark isn’t closed, or text follows the closing one; " +
			"put the whole cell in quotes, and double those within it"
	}
	lenient := c.reader(bytes.TrimRight(c.cutLine(), "\r\n"))
	lenient.LazyQuotes = true
	out.Cells, _ = lenient.Read() // what cannot be read even so has no cells
	c.r, c.done = c.reader(c.rest), 0
	return out
}

// cutLine takes the first line off rest.
func (c *CSV) cutLine() []byte {
	end := bytes.IndexByte(c.rest, '\n') + 1
	if end == 0 {
		end = len(c.rest)
	}
	line := c.rest[:end]
	c.rest, c.line = c.rest[end:], c.line+1
	return line
}

// brokenLine marks a carriage return before a line feed while a record is read again; no UTF-8 text holds the byte.
const brokenLine = "\xff\n"

// withBreaks gives the cells of a record their line breaks as they stand in the file. encoding/csv makes CRLF to LF;
// every line break within a record stands in a cell, since one outside of quotes would have ended it.
func (c *CSV) withBreaks(record []string, raw []byte) []string {
	body := bytes.TrimRight(raw, "\r\n")
	if !bytes.Contains(body, []byte("\r\n")) {
		return record
	}
	again, err := c.reader(bytes.ReplaceAll(body, []byte("\r\n"), []byte(brokenLine))).Read()
	if err != nil {
		return record
	}
	for i := range again {
		again[i] = strings.ReplaceAll(again[i], brokenLine, "\r\n")
	}
	return again
}

// All reads the rest of the table: records by line, so that the record of line n stands at n − 1 and lines that hold
// none are nil; and a Fault for every bad line. With more than most cells it stops with a Fault that says so; most 0
// has no bound.
func (c *CSV) All(most int) (table [][]string, faults []Fault) {
	cells := 0
	for {
		record, line, err := c.Next()
		var bad *BadLine
		switch {
		case errors.As(err, &bad):
			faults = append(faults, Fault{Line: bad.Line, Message: bad.Why})
			continue
		case err != nil:
			return table, faults
		}
		if cells += len(record); most > 0 && cells > most {
			return table, append(
				faults,
				Fault{Line: line, Message: fmt.Sprintf("the table has more than %d cells", most)},
			)
		}
		for len(table) < line-1 {
			table = append(table, nil)
		}
		table = append(table, record)
	}
}

// Separator guesses what separates the cells of a table's first line: a comma, a semicolon or a tab.
func Separator(data []byte) rune {
	first, _, _ := bytes.Cut(data, []byte("\n"))
	best := ','
	for _, comma := range []rune{';', '\t'} {
		if bytes.Count(first, []byte(string(comma))) > bytes.Count(first, []byte(string(best))) {
			best = comma
		}
	}
	return best
}

// CSVWriter writes records of CSV (RFC 4180), each ended by CRLF; line breaks within cells are written as they are.
type CSVWriter struct {
	out  io.Writer
	end  string
	csv  *csv.Writer
	line bytes.Buffer
}

// NewCSVWriter writes a table for people: it begins with a byte order mark, and its lines end with CRLF (section 2,
// rule 1).
func NewCSVWriter(out io.Writer) (*CSVWriter, error) {
	_, err := io.WriteString(out, ByteOrderMark)
	return newCSVWriter(out, "\r\n"), err
}

// NewPlainCSVWriter writes a table for programs: without a mark, its lines end with LF.
func NewPlainCSVWriter(out io.Writer) *CSVWriter { return newCSVWriter(out, "\n") }

func newCSVWriter(out io.Writer, end string) *CSVWriter {
	w := &CSVWriter{out: out, end: end}
	w.csv = csv.NewWriter(&w.line)
	return w
}

// Write writes one record.
func (w *CSVWriter) Write(record []string) error {
	w.line.Reset()
	if err := w.csv.Write(record); err != nil {
		return err
	}
	w.csv.Flush() // into memory
	text := bytes.TrimSuffix(w.line.Bytes(), []byte("\n"))
	if _, err := w.out.Write(text); err != nil {
		return err
	}
	_, err := io.WriteString(w.out, w.end)
	return err
}

// CSVText writes a whole table for people.
func CSVText(table [][]string) []byte {
	var b bytes.Buffer
	w, err := NewCSVWriter(&b)
	for _, record := range table {
		if err == nil {
			err = w.Write(record)
		}
	}
	if err != nil {
		panic(err) // a buffer takes everything, and the separator is a comma
	}
	return b.Bytes()
}

// GuardAll guards every cell of a record, for a table that a spreadsheet will open.
func GuardAll(record []string) []string {
	out := make([]string, len(record))
	for i, cell := range record {
		out[i] = Guard(cell)
	}
	return out
}
