package respond

import (
	"cmp"
	"embed"
	"encoding/json"
	"maps"
	"slices"
	"strings"
	"sync"

	"golang.org/x/text/language"
	"golang.org/x/text/language/display"

	"omphalos/core/quiz"
)

// tongue is a language that a quiz can be taken in.
type tongue struct {
	Code string // BCP 47
	Name string // in that language
}

// langField is the parameter and the button that choose a language.
const langField = ".lang"

// tonguesOf are the languages of a quiz, its own first; none when there is only one.
func tonguesOf(d *quiz.Document) []tongue {
	codes := d.Languages()
	if len(codes) < 2 {
		return nil
	}
	out := make([]tongue, len(codes))
	for i, code := range codes {
		out[i] = tongue{code, SelfName(code)}
	}
	return out
}

// SelfName is what a language calls itself, or its code.
func SelfName(code string) string {
	tag, err := language.Parse(code)
	if err != nil {
		return code
	}
	name := display.Self.Name(tag)
	if name == "" {
		return code
	}
	first := []rune(name)
	return strings.ToUpper(string(first[:1])) + string(first[1:])
}

// in is the version in one of its languages, by default in its own.
func (v *version) in(code string) *version {
	if other := v.own.others[code]; other != nil {
		return other
	}
	return v.own
}

// offers reports whether the quiz can be taken in a language, and how the document spells it.
func (v *version) offers(code string) (string, bool) {
	for _, t := range v.Tongues {
		if code != "" && strings.EqualFold(t.Code, code) {
			return t.Code, true
		}
	}
	return "", false
}

// prefers is the language of the quiz that suits an Accept-Language header best (RFC 9110 12.5.4), its own when none does.
func (v *version) prefers(header string) string {
	if v.matcher == nil {
		return ""
	}
	wanted, _, err := language.ParseAcceptLanguage(header)
	if err != nil || len(wanted) == 0 {
		return ""
	}
	if _, i, sure := v.matcher.Match(wanted...); sure > language.No && i > 0 {
		return v.Tongues[i].Code
	}
	return ""
}

// matcher finds the best of several languages; nil when there is only one.
func matcher(tongues []tongue) language.Matcher {
	if len(tongues) == 0 {
		return nil
	}
	var tags []language.Tag
	for _, t := range tongues {
		tags = append(tags, language.Make(t.Code))
	}
	return language.NewMatcher(tags)
}

// speak sets the language that a respondent chooses. Rules see it too, until the walk has ended: an outcome stays what it is.
func (p *place) speak(v *version, code string) bool {
	code, ok := v.offers(code)
	if !ok {
		return false
	}
	p.Language = code
	if p.At == atEnd || p.At == atAfter || p.At == atResult {
		return true
	}
	primary, _, _ := strings.Cut(code, "-")
	p.Visitor.Language = strings.ToLower(primary)
	return true
}

//go:embed words/*.json
var wordFiles embed.FS

// shipped are the words of buttons and messages in the languages that come with the program, by primary language.
var shipped = sync.OnceValue(func() map[string]map[string]string {
	out := map[string]map[string]string{"en": words}
	files, err := wordFiles.ReadDir("words")
	for _, f := range files {
		var list map[string]string
		var data []byte
		if data, err = wordFiles.ReadFile("words/" + f.Name()); err == nil {
			err = json.Unmarshal(data, &list)
		}
		if err != nil {
			break
		}
		out[strings.TrimSuffix(f.Name(), ".json")] = list
	}
	if err != nil {
		panic(err) // they are built in
	}
	return out
})

// WordsIn lists what buttons and messages say in a language, by key: English where the program does not have it (false).
func WordsIn(code string) (map[string]string, bool) {
	primary, _, _ := strings.Cut(code, "-")
	list, ok := shipped()[strings.ToLower(quiz.FirstOf(primary, "en"))]
	if !ok {
		return words, false
	}
	return list, true
}

// OwnWords lists what buttons and messages say in a quiz's own language: the words of its theme before those of the program.
func OwnWords(d *quiz.Document) map[string]string {
	usual, _ := WordsIn(d.Languages()[0])
	out := maps.Clone(usual)
	said, _ := d.Theme[themeWords].(map[string]any)
	for key := range out {
		if word, _ := said[key].(string); word != "" {
			out[key] = word
		}
	}
	return out
}

// WordKeys are the keys of what buttons and messages say, in the order of their English.
func WordKeys() []string {
	return slices.SortedFunc(maps.Keys(words), func(a, b string) int { return cmp.Or(cmp.Compare(words[a], words[b]), cmp.Compare(a, b)) })
}
