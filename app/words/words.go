// Package words translates the buttons and messages of respondents’ pages, and lists the sentences of the workbench for
// translators.
package words

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

	"omphalos/core/kind"
	"omphalos/core/quiz"
)

// english are the words of pages, by key; messages about answers are those of core/kind.
var english = map[string]string{
	"again":            "Take the quiz again",
	"back":             "Back",
	"begin":            "Start",
	"choose_one":       "Choose one",
	"contact":          "One last thing",
	"copied":           "Copied",
	"copy":             "Copy a link to this result",
	"error":            "Error",
	"figures":          "Chart values",
	"fill_in":          "Please fill this in.",
	"go_now":           "Continue now",
	"languages":        "Languages",
	"lost":             "We’ve lost your place",
	"lost_why":         "The link is incomplete or has changed, so we can’t find your answers.",
	"may_be_empty":     "optional",
	"next":             "Continue",
	"nothing_kept":     "Nothing about you was stored.",
	"rehearsal":        "This is a test: your answers aren’t saved.",
	"closed":           "This quiz is closed.",
	"not_open_yet":     "This quiz isn’t open yet.",
	"paused":           "This quiz is paused. Please come back later.",
	"full":             "This quiz is full: no more answers are being accepted.",
	"invited":          "This quiz is by invitation only. Please use the link in your invitation.",
	"invitation_used":  "This invitation has already been used or withdrawn.",
	"passphrase":       "Enter the passphrase",
	"passphrase_wrong": "That passphrase isn’t right. Please try again.",
	"passphrase_wait":  "Too many attempts. Please wait a minute and try again.",
	"of":               "of",
	"others":           "others",
	"place":            "Place",
	"print":            "Print",
	"product":          "View product",
	"question":         "Question",
	"rank_down":        "Lower: {1}",
	"rank_hint":        "Press the answers in your order, the best first.",
	"rank_up":          "Higher: {1}",
	"result":           "See your result",
	"review":           "Your answers",
	"right":            "Correct",
	"right_answer":     "Correct answer",
	"sale":             "now",
	"say_which":        "Please specify",
	"score":            "Your score",
	"sending":          "Redirecting you",
	"skip":             "Skip this",
	"start_over":       "Start over",
	"thanks":           "Thank you, we’ve received it.",
	"was":              "instead of",
	"wrong":            "Incorrect",
	"yes":              "Yes",
	"your_answer":      "Your answer",
	"your_result":      "Your result",
}

// unseen are messages that no page of ours brings about: only a program that makes up a form meets them, in English.
var unseen = []string{"one_answer", "not_a_choice", "two_choices", "tick_or_not"}

//go:embed *.json
var files embed.FS

// shipped are the words by primary language.
var shipped = sync.OnceValue(func() map[string]map[string]string {
	all := maps.Clone(english)
	for code, sentence := range kind.Sentences {
		if !slices.Contains(unseen, code) {
			all[code] = sentence
		}
	}
	out := map[string]map[string]string{"en": all}
	list, err := files.ReadDir(".")
	for _, f := range list {
		var said map[string]string
		var data []byte
		if data, err = files.ReadFile(f.Name()); err == nil {
			err = json.Unmarshal(data, &said)
		}
		if err != nil {
			break
		}
		delete(said, "_") // says how the file came about
		out[strings.TrimSuffix(f.Name(), ".json")] = said
	}
	if err != nil {
		panic(err) // they are built in
	}
	return out
})

// In lists what buttons and messages say in a language (BCP 47), by key: English where the program does not have it
// (false).
func In(code string) (map[string]string, bool) {
	primary, _, _ := strings.Cut(code, "-")
	list, ok := shipped()[strings.ToLower(quiz.FirstOf(primary, "en"))]
	if !ok {
		return shipped()["en"], false
	}
	return list, true
}

// English is what a key says in English.
func English(key string) string {
	return quiz.FirstOf(shipped()["en"][key], kind.Sentences[key])
}

// Own lists what buttons and messages say in a quiz's own language: the words of its theme before those of the
// program.
func Own(d *quiz.Document) map[string]string {
	usual, _ := In(d.Languages()[0])
	out := maps.Clone(usual)
	for key := range out {
		if said := d.Theme.Words[key]; said != "" {
			out[key] = said
		}
	}
	return out
}

// Keys are the keys of what buttons and messages say, in the order of their English.
func Keys() []string {
	return slices.SortedFunc(maps.Keys(shipped()["en"]), func(a, b string) int {
		return cmp.Or(cmp.Compare(English(a), English(b)), cmp.Compare(a, b))
	})
}

// SelfName is what a language calls itself, or its code.
func SelfName(code string) string {
	tag, err := language.Parse(code)
	if err != nil {
		return code
	}
	name := []rune(display.Self.Name(tag))
	if len(name) == 0 {
		return code
	}
	return strings.ToUpper(string(name[:1])) + string(name[1:])
}
