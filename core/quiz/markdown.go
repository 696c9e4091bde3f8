package quiz

import (
	"strings"
	"unicode/utf8"

	"omphalos/core/say"
)

// Bounds of what authors type into one text.
const (
	LongestText = 50_000 // characters
	MostFillIns = 200    // names in braces

	// What reads Markdown takes a time that grows with the square of these.
	DeepestBlocks = 20    // quotes and lists within each other
	MostBrackets  = 2_000 // [ of links and pictures
	MostMarks     = 5_000 // * and _ of emphasis

	// MostLinked is how many bytes the addresses of links may come to in all that a text names once and refers to
	// often.
	MostLinked = 1_000_000
)

// textFault says what is too much in a text, and what to do; "" where nothing is.
func textFault(text string, markdown bool) (message, mend string) {
	switch {
	case len(text) > LongestText && utf8.RuneCountInString(text) > LongestText:
		return "the text has more than 50,000 characters", "Shorten it."
	case len(text) > MostFillIns && strings.Count(text, "{")-2*strings.Count(text, "{{") > MostFillIns:
		return "the text has more than 200 fields", "Use fewer names in braces."
	case markdown:
		return MarkdownFault(text)
	}
	return "", ""
}

// MarkdownFault says what makes a text too much to be read as Markdown, and what to do; "" where nothing does.
func MarkdownFault(text string) (message, mend string) {
	switch {
	case BlockDepth(text) > DeepestBlocks:
		return "quotes or lists are nested more than 20 deep", "Nest them less deeply."
	case marks(text, "[") > MostBrackets:
		return "the text has more than 2,000 brackets", "Use fewer links."
	case marks(text, "*_") > MostMarks:
		return "the text has more than 5,000 marks of emphasis", "Emphasize less of it."
	case marks(text, "[")*longestAddress(text) > MostLinked:
		return "links refer to a long address too often", "Use a shorter address, or fewer links."
	}
	return "", ""
}

// longestAddress is at least how long the longest address is that links can refer to: the longest definition
// of one (CommonMark 0.31, section 4.7), with the lines below it, where its address and title may stand.
func longestAddress(text string) int {
	if !strings.Contains(text, "]:") {
		return 0
	}
	longest, this := 0, 0
	for line := range strings.Lines(text) {
		switch {
		case strings.Contains(line, "]:"):
			this = len(line)
		case strings.TrimSpace(line) == "":
			this = 0
		case this > 0:
			this += len(line)
		}
		longest = max(longest, this)
	}
	return longest
}

// marks counts some signs of a text, without those behind a backslash: what people typed is filled in with one before
// every sign.
func marks(text, signs string) int {
	n := 0
	for i := 0; i < len(text); i++ {
		switch {
		case text[i] == '\\':
			i++
		case strings.IndexByte(signs, text[i]) >= 0:
			n++
		}
	}
	return n
}

// BlockDepth is at least how deep quotes and lists of a Markdown text are within each other (CommonMark 0.31, section
// 5), from the marks that lines begin with and how far these are indented.
func BlockDepth(text string) int {
	deepest := 0
	for line := range strings.Lines(text) {
		deepest = max(deepest, depthOf(line))
	}
	return deepest
}

func depthOf(line string) int {
	marks, spaces := 0, 0
	for i := 0; i < len(line); {
		switch c := line[i]; {
		case c == ' ':
			spaces++
			i++
		case c == '\t':
			spaces += 4
			i++
		case c == '>':
			marks++
			i += 1 + spaceAt(line, i+1)
		default:
			n := listMark(line[i:])
			if n == 0 {
				if marks == 0 {
					return 0 // indented, but no block that holds others
				}
				return marks + spaces/4
			}
			marks++
			i += n + spaceAt(line, i+n)
		}
	}
	return marks
}

// spaceAt is 1 where a space stands, which belongs to the mark before it.
func spaceAt(s string, i int) int {
	if i < len(s) && s[i] == ' ' {
		return 1
	}
	return 0
}

// listMark is how long the mark of a list item is that a text begins with; 0 for none.
func listMark(s string) int {
	digits := 0
	for digits < len(s) && digits < 9 && s[digits] >= '0' && s[digits] <= '9' {
		digits++
	}
	end := 1
	switch {
	case digits > 0 && digits < len(s) && (s[digits] == '.' || s[digits] == ')'):
		end = digits + 1
	case digits > 0 || !strings.ContainsRune("-+*", rune(s[0])):
		return 0
	}
	if end < len(s) && s[end] != ' ' && s[end] != '\t' && s[end] != '\n' && s[end] != '\r' {
		return 0
	}
	return end
}

// texts checks that no text is more than pages can be made of at once.
func (c *check) texts() {
	for _, t := range c.d.TextsWhere(func(text string) bool { m, _ := textFault(text, true); return m != "" }) {
		if message, mend := textFault(t.Original, t.Markdown); message != "" {
			c.ps.add(t.At, say.Plain(mend), say.Plain(message))
		}
	}
	for _, code := range c.d.Languages()[1:] {
		for place, one := range c.d.Translations[code] {
			if message, mend := textFault(one.Text, true); message != "" {
				c.ps.add(Pointer("translations", code, place), say.Plain(mend), say.Plain(message))
			}
		}
	}
}
