package sheet

import (
	"strings"
	"unicode/utf8"
)

// triggers are the characters that make a spreadsheet take text for a formula. Source: the OWASP page on CSV
// injection (= + - @, tab, carriage return, line feed and the full-width forms), from memory.
const triggers = "=+-@\t\r\n＝＋－＠"

// Guard keeps a spreadsheet from running text that someone typed: text that begins like a formula gets a single
// quote before it. Numbers that this program computed are not text and stay as they are.
func Guard(text string) string {
	first, _ := utf8.DecodeRuneInString(strings.TrimLeft(text, " \u00a0")) // spreadsheets pass over spaces
	if text != "" && (strings.ContainsRune(triggers, first) || text[0] == '\t') {
		return "'" + text
	}
	return text
}

// Unguard takes the quote away again.
func Unguard(text string) string {
	if rest, ok := strings.CutPrefix(text, "'"); ok && Guard(rest) != rest {
		return rest
	}
	return text
}

// Guarded returns a written table with its words, heads too, guarded and its figures as they are.
func Guarded(table [][]string) [][]string {
	out := make([][]string, len(table))
	for y, row := range table {
		out[y] = append([]string{}, row...)
		for x := range row {
			if y == 0 || x < Fixed && fixed[x] != "from" && fixed[x] != "to" {
				out[y][x] = Guard(row[x])
			}
		}
	}
	return out
}
