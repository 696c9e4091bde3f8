package responses

import (
	"encoding/json"
	"maps"
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"omphalos/app/store/tallies"
	"omphalos/core/walk"
)

// Word is where a word stands that someone gave: in a name, an email address, a contact field or a typed answer.
// Search looks words up by how they begin; among a million responses it reads those few.
type Word struct {
	QuizID     string `gorm:"primaryKey"`
	Word       string `gorm:"primaryKey"` // in small letters
	ResponseID string `gorm:"primaryKey"`
}

// Bounds of the words of one response.
const (
	maxWords    = 80
	maxWordSize = 254 // bytes: an email address is one word too (RFC 5321 4.5.3.1.3)
)

// wordsOf are the words that a response is found by: those of its texts, an email address whole and from its domain
// on, so that both orla and fenhall.example find it.
func wordsOf(r *Response, answers map[string]walk.Answer) []string {
	seen := map[string]bool{}
	add := func(word string) {
		if word != "" && len(word) <= maxWordSize && len(seen) < maxWords {
			seen[word] = true
		}
	}
	text := func(s string) {
		for _, word := range splitWords(s) {
			add(word)
		}
	}
	if email := strings.ToLower(strings.TrimSpace(r.Email)); email != "" {
		add(email)
		_, domain, _ := strings.Cut(email, "@")
		add(domain)
	}
	text(r.Name)
	var contact map[string]string
	if json.Unmarshal(r.Contact, &contact) == nil { // what cannot be read has no words
		for _, field := range slices.Sorted(maps.Keys(contact)) {
			if !strings.EqualFold(contact[field], r.Email) { // its parts would be half the words that there are
				text(contact[field])
			}
		}
	}
	if answers == nil {
		_ = json.Unmarshal(r.Answers, &answers)
	}
	for _, id := range slices.Sorted(maps.Keys(answers)) {
		text(typedText(answers[id]))
	}
	return slices.Sorted(maps.Keys(seen))
}

// typedText is what someone typed as an answer, or next to the choices.
func typedText(a walk.Answer) string { return a.Text + " " + a.Other }

// splitWords cuts a text into its words, in small letters.
func splitWords(text string) []string {
	return strings.FieldsFunc(
		strings.ToLower(text),
		func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsNumber(r) && !unicode.IsMark(r) },
	)
}

// mostWanted is how many different words of a search are looked for: the first ones.
const mostWanted = 24

// searchWords are the words of a search: an address or a domain within it is one.
func searchWords(search string) []string {
	words := allWanted(search)
	var out []string
	for _, word := range words {
		if len(out) < mostWanted && !slices.Contains(out, word) {
			out = append(out, word)
		}
	}
	return out
}

func allWanted(search string) []string {
	var out []string
	for _, part := range strings.Fields(strings.ToLower(search)) {
		if address.MatchString(part) {
			out = append(out, part)
		} else {
			out = append(out, splitWords(part)...)
		}
	}
	return out
}

// address is an email address or a domain, or how one begins: letters on both sides of its sign.
var address = regexp.MustCompile(`@|\pL\.\pL`)

// matches reports whether every word of a search begins one of the words.
func matches(words, search []string) bool {
	for _, want := range search {
		if !slices.ContainsFunc(words, func(word string) bool { return strings.HasPrefix(word, want) }) {
			return false
		}
	}
	return len(search) > 0
}

// hits are the responses that a search finds.
type hits struct {
	search []string
	ids    []string // at most MostCounted
	many   bool     // there are more: each response is looked at in its turn, as many of them are found
}

// MostCounted is up to how many of those that a search finds are counted.
const MostCounted = 2_000

// find looks a search up.
func (s *Store) find(quizID, search string) (*hits, error) {
	h := &hits{search: searchWords(search)}
	ids := "SELECT id FROM responses WHERE id = ?"
	args := []any{strings.TrimSpace(search)}
	if len(h.search) > 0 {
		const with = "SELECT response_id FROM words WHERE quiz_id = ? AND word >= ? AND word < ?"
		// The shortest word no longer exists through, and each found is looked up among those of the longer ones, which
		// are fewer. They stand next to each other: databases take few queries within queries.
		words := slices.Clone(h.search)
		slices.SortStableFunc(words, func(a, b string) int { return len(a) - len(b) })
		ids += " UNION ALL " + with + strings.Repeat(" AND response_id IN ("+with+")", len(words)-1)
		for _, word := range words {
			args = append(args, quizID, word, after(word))
		}
	}
	args = append(args, 2*MostCounted) // a response may have several words that begin so
	if err := s.Read.Raw(ids+" LIMIT ?", args...).Scan(&h.ids).Error; err != nil {
		return nil, err
	}
	slices.Sort(h.ids)
	h.many = len(h.ids) == 2*MostCounted
	if h.ids = slices.Compact(h.ids); len(h.ids) > MostCounted {
		h.many = true
	}
	return h, nil
}

// after is the first text behind all that begin so.
func after(prefix string) string {
	r, size := utf8.DecodeLastRuneInString(prefix)
	return prefix[:len(prefix)-size] + string(r+1)
}

// marksOf are the answers of a response as one text that a filter finds each in, and nothing else: FIELD=VALUE between
// signs that no id holds.
func marksOf(f tallies.Facts) string {
	var b strings.Builder
	for _, a := range f.Answers {
		if a[1] != tallies.ValueAsked {
			b.WriteString(mark(a[0], a[1]))
		}
	}
	return b.String()
}

// Signs around a mark.
const markStart, markEnd = "\x02", "\x03"

func mark(field, value string) string { return markStart + field + "=" + value + markEnd }
