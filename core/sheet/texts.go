package sheet

import (
	"strings"

	"golang.org/x/text/language"

	"omphalos/core/quiz"
)

// Columns of a table of texts that come before those of the languages.
const (
	placeColumn = "place"
	whereColumn = "where"
)

// Word is what a button or a message says: its key, and its wording in the quiz's own language.
type Word struct{ Key, Said string }

func (w Word) place() string { return "words." + w.Key }

// WriteTexts writes what a quiz says to respondents as a table: a line a text, with its place, where that is in
// words, and a column for each language, the quiz's own first. The words of buttons and messages stand at the end.
func WriteTexts(d *quiz.Document, words ...Word) [][]string {
	codes := d.Languages()
	out := [][]string{append([]string{placeColumn, whereColumn}, codes...)}
	line := func(place, where, original string) {
		row := []string{place, where, original}
		for _, code := range codes[1:] {
			row = append(row, d.Translations[code][place].Text)
		}
		out = append(out, row)
	}
	for _, t := range d.Texts() {
		if strings.TrimSpace(t.Original) != "" {
			line(t.Place, d.Place(t.At), t.Original)
		}
	}
	for _, w := range words {
		line(w.place(), "buttons and messages", w.Said)
	}
	return out
}

// GuardedTexts returns a table of texts with every cell guarded.
func GuardedTexts(table [][]string) [][]string {
	out := make([][]string, len(table))
	for y, row := range table {
		out[y] = GuardAll(row)
	}
	return out
}

// IsTexts reports whether a table is one of texts, by its first cell.
func IsTexts(table [][]string) bool {
	return len(table) > 0 && len(table[0]) > 0 && strings.EqualFold(strings.TrimSpace(table[0][0]), placeColumn)
}

// ReadTexts reads a table of texts into a quiz: columns headed by a language (BCP 47) other than the quiz's own are
// its further languages. The own column says which wording a text was made for. Empty cells leave what is there. d
// itself is not changed.
func ReadTexts(d *quiz.Document, table [][]string, words ...Word) (*quiz.Document, []Fault) {
	r := &tableReader{n: 1}
	next := *d
	next.Translations = quiz.Translations{}
	for code, texts := range d.Translations {
		next.Translations[code] = map[string]quiz.Translated{}
		for place, text := range texts {
			next.Translations[code][place] = text
		}
	}
	own, columns := -1, map[int]string{}
	for x, cell := range table[0] {
		head := strings.TrimSpace(Unguard(cell))
		switch tag, err := language.Parse(head); {
		case x == 0 || head == "" || strings.EqualFold(head, whereColumn):
		case strings.EqualFold(head, d.Languages()[0]):
			own = x
		case err != nil:
			r.fault(head, isntLanguageUseCodeSuch.With(head))
		default:
			columns[x] = tag.String()
			for code := range d.Translations {
				if strings.EqualFold(code, head) {
					columns[x] = code
				}
			}
		}
	}
	if len(columns) == 0 && len(r.faults) == 0 {
		r.fault("", theresNoColumnAnotherLanguage.With())
	}
	originals := map[string]string{}
	for _, t := range d.Texts() {
		originals[t.Place] = t.Original
	}
	isWord := map[string]bool{} // they are short, and hold for any wording
	for _, w := range words {
		isWord[w.place()] = true
	}
	for i, row := range table[1:] {
		r.n = i + 2
		if len(row) == 0 || strings.TrimSpace(row[0]) == "" {
			continue
		}
		place := strings.TrimSpace(row[0])
		original, known := originals[place]
		if !known && !isWord[place] {
			r.fault(placeColumn, quizHasNoText.With(place))
			continue
		}
		if known && own >= 0 && own < len(row) && strings.TrimSpace(row[own]) != "" {
			original = Unguard(row[own])
		}
		for x, code := range columns {
			if x >= len(row) || strings.TrimSpace(row[x]) == "" {
				continue
			}
			if next.Translations[code] == nil {
				next.Translations[code] = map[string]quiz.Translated{}
			}
			text := Unguard(row[x])
			if was := next.Translations[code][place]; was.Text == text && (was.Of == "" || was.Of == original) {
				continue
			}
			next.Translations[code][place] = quiz.Translated{Text: text, Of: original}
		}
	}
	if len(next.Translations) == 0 {
		next.Translations = nil
	}
	return &next, r.faults
}
