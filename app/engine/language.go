package engine

import (
	"strings"

	"golang.org/x/text/language"

	"omphalos/app/words"
	"omphalos/core/quiz"
)

// Language is a language that a quiz can be taken in.
type Language struct {
	Code string // BCP 47
	Name string // in that language
}

// languagesOf are the languages of a quiz, its own first; none when there is only one.
func languagesOf(d *quiz.Document) []Language {
	codes := d.Languages()
	if len(codes) < 2 {
		return nil
	}
	out := make([]Language, len(codes))
	for i, code := range codes {
		out[i] = Language{code, words.SelfName(code)}
	}
	return out
}

// inLanguage is the source in one of its languages, by default in its own.
func (s *Source) inLanguage(code string) *Source {
	if other := s.own.others[code]; other != nil {
		return other
	}
	return s.own
}

// offers reports whether the quiz can be taken in a language, and how the document spells it.
func (s *Source) offers(code string) (string, bool) {
	for _, l := range s.Languages {
		if code != "" && strings.EqualFold(l.Code, code) {
			return l.Code, true
		}
	}
	return "", false
}

// prefers is the language of the quiz that suits an Accept-Language header best (RFC 9110 12.5.4), its own when none
// does.
func (s *Source) prefers(header string) string {
	if s.own.matcher == nil {
		return ""
	}
	wanted, _, err := language.ParseAcceptLanguage(header)
	if err != nil || len(wanted) == 0 {
		return ""
	}
	if _, i, sure := s.own.matcher.Match(wanted...); sure > language.No && i > 0 {
		return s.Languages[i].Code
	}
	return ""
}

// matcher finds the best of several languages; nil when there is only one.
func matcher(languages []Language) language.Matcher {
	if len(languages) == 0 {
		return nil
	}
	var tags []language.Tag
	for _, l := range languages {
		tags = append(tags, language.Make(l.Code))
	}
	return language.NewMatcher(tags)
}

// setLanguage sets the language that a respondent chooses. Rules see it too, until the walk has ended: an outcome
// stays what it is.
func (p *Place) setLanguage(s *Source, code string) bool {
	code, ok := s.offers(code)
	if !ok {
		return false
	}
	p.Language = code
	if p.At == atEnd || p.At == atAfter {
		return true
	}
	primary, _, _ := strings.Cut(code, "-")
	p.Visitor.Language = strings.ToLower(primary)
	return true
}
