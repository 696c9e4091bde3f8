package leads

import (
	"io"
	"strings"
	"unicode/utf8"
)

// guard keeps a spreadsheet from running text that a respondent typed: text that begins like a formula gets a single
// quote before it. Source: the triggers of the OWASP page on CSV injection (= + - @, tab, carriage return, line feed and
// the full-width forms), from memory. Numbers that this program computed are not text and stay as they are.
func guard(text string) string {
	if first, _ := utf8.DecodeRuneInString(text); text != "" && strings.ContainsRune("=+-@\t\r\n＝＋－＠", first) {
		return "'" + text
	}
	return text
}

// writeRecord writes one line of CSV (RFC 4180, section 2): fields with commas, quotes or line breaks are quoted, and the
// line ends with CRLF.
func writeRecord(w io.Writer, fields []string) error {
	var b strings.Builder
	for i, f := range fields {
		if i > 0 {
			b.WriteByte(',')
		}
		if strings.ContainsAny(f, ",\"\r\n") {
			f = `"` + strings.ReplaceAll(f, `"`, `""`) + `"`
		}
		b.WriteString(f)
	}
	b.WriteString("\r\n")
	_, err := io.WriteString(w, b.String())
	return err
}
