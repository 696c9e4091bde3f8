package leads

import (
	"io"
	"strings"
)

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
