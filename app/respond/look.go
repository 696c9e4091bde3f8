package respond

import (
	"fmt"
	"strings"

	"omphalos/core/colour"
	"omphalos/core/quiz"
)

// words are what buttons and messages say, by key, unless the theme says otherwise.
var words = map[string]string{
	"begin": "Begin", "next": "Go on", "back": "Back", "result": "See the result", "your_result": "Your result", "skip": "Skip this",
	"contact": "One last thing", "may_be_empty": "may be left empty", "nothing_kept": "Nothing about you was kept.", "again": "Take it again", "print": "Print",
	"copy": "Copy link to this result", "copied": "Copied", "review": "Your answers", "right": "Right", "wrong": "Wrong", "your_answer": "Your answer", "right_answer": "Right answer",
	"sending": "You are being sent on", "go_now": "Go there now", "score": "Your score", "of": "of", "choose": "Choose an answer.", "choose_some": "Choose at least one answer.",
	"type": "Type an answer.", "type_number": "Type a number.", "tick": "Tick the box to go on.", "fill_in": "Please fill this in.", "email": "Type an e-mail address such as name@example.org.",
	"phone": "Type a telephone number with its country code, such as +353 1 496 0123.", "row": "Choose an answer in this row.", "say_which": "Say which", "choose_one": "choose one", "yes": "Yes",
	"error": "Error", "sale": "now", "was": "instead of", "thanks": "Thank you, we have it.", "question": "Question", "lost": "Your place was lost",
	"number_range": "Type a number from {1} to {2}.", "number_least": "Type a number of at least {1}.", "number_most": "Type a number of at most {1}.", "number_steps": "Type a number in steps of {1} from {2}.",
	"number_whole": "Type a whole number.", "number_such": "Type a number, such as {1}.", "decimals": "Use at most {1} decimals.", "characters": "Use at most {1} characters.",
	"choose_most": "Choose at most {1}; you chose {2}.", "choose_least": "Choose at least {1}; you chose {2}.", "alone": "“{1}” goes only alone: take it away, or the others.", "date": "Type a day as YYYY-MM-DD, such as 2026-03-31.",
	"product": "See it", "languages": "Languages", "lost_why": "The address is incomplete or has been changed, so your answers cannot be found.", "start_over": "Begin again",
}

// look is how the pages of a version look and what their buttons say.
type look struct {
	Style     string // the theme's own style sheet; "" for none
	Logo      string
	LogoAlt   string
	Direction string
	said      map[string]string // by the owner
	usual     map[string]string // in this language
}

// say is what a button or message says.
func (l *look) say(key string) string {
	return quiz.FirstOf(l.said[key], l.usual[key], words[key])
}

// translate says a message of the walk in the theme's words. In words with {1} and {2} these are what the message names.
func (l *look) translate(message string) string {
	for key, english := range words {
		if english == message {
			return l.say(key)
		}
		parts, ok := named(english, message)
		if !ok {
			continue
		}
		said := l.say(key)
		for i, part := range parts {
			said = strings.ReplaceAll(said, fmt.Sprintf("{%d}", i+1), part)
		}
		return said
	}
	return message
}

// named finds what a message has in the places of {1} and {2} of a pattern; false when it is not of this pattern.
func named(pattern, message string) ([]string, bool) {
	before, rest, ok := strings.Cut(pattern, "{1}")
	if !ok || !strings.HasPrefix(message, before) {
		return nil, false
	}
	message = message[len(before):]
	between, after, two := strings.Cut(rest, "{2}")
	if !two {
		part, ok := strings.CutSuffix(message, rest)
		return []string{part}, ok
	}
	first, second, ok := strings.Cut(message, between)
	second, ends := strings.CutSuffix(second, after)
	return []string{first, second}, ok && ends
}

// rightToLeft are languages that are written so.
var rightToLeft = map[string]bool{"ar": true, "fa": true, "he": true, "ur": true, "ps": true, "sd": true, "ug": true, "yi": true, "dv": true, "ckb": true}

// fonts are the pairs that a theme chooses from: of headings, and of all else.
var fonts = map[string][2]string{
	"didot": {`"GFS Didot", Georgia, serif`, "Commissioner, system-ui, sans-serif"},
	"plain": {"Commissioner, system-ui, sans-serif", "Commissioner, system-ui, sans-serif"},
	"book":  {`"GFS Didot", Georgia, serif`, `"GFS Didot", Georgia, serif`},
}

// Theme names read from the document's theme.
const (
	themeColour     = "colour"
	themeBackground = "background"
	themePicture    = "picture"
	themeLogo       = "logo"
	themeLogoAlt    = "logo_alt"
	themeFonts      = "fonts"
	themeDirection  = "direction"
	themeWords      = "words"
)

func themeText(t quiz.Theme, name string) string {
	s, _ := t[name].(string)
	return s
}

// newLook reads a document's theme. A colour is made darker or lighter until text on it and in it can be read.
func newLook(d *quiz.Document) *look {
	t := d.Theme
	l := &look{Logo: picturePath(themeText(t, themeLogo)), LogoAlt: themeText(t, themeLogoAlt), said: map[string]string{}, Direction: themeText(t, themeDirection)}
	l.usual, _ = WordsIn(d.Language)
	if m, ok := t[themeWords].(map[string]any); ok {
		for k, v := range m {
			if s, ok := v.(string); ok {
				l.said[k] = s
			}
		}
	}
	if l.Direction != "ltr" && l.Direction != "rtl" {
		l.Direction = ""
		primary, _, _ := strings.Cut(d.Language, "-")
		if rightToLeft[strings.ToLower(primary)] {
			l.Direction = "rtl"
		}
	}
	ground, err := colour.Parse(themeText(t, themeBackground))
	hasGround := err == nil
	if !hasGround {
		ground, _ = colour.Parse("#fbfaf6")
	}
	for tone := colour.On(ground); colour.Contrast(tone, ground) < colour.Readable; { // a middling ground gives way
		if tone == colour.White {
			ground = colour.Mix(ground, colour.Colour{}, 0.05)
		} else {
			ground = colour.Mix(ground, colour.White, 0.05)
		}
	}
	strong, err := colour.Parse(themeText(t, themeColour))
	hasStrong := err == nil
	if !hasStrong {
		strong, _ = colour.Parse("#2e6f62")
	}
	var b strings.Builder
	if hasGround || hasStrong {
		// Text in the strong colour stands on the ground; buttons carry white or ink on it; answers are white sheets.
		text, ok := colour.Against(strong, colour.Readable, ground)
		if !ok {
			text = colour.On(ground)
		}
		fill, on := strong, colour.On(strong)
		for colour.Contrast(fill, on) < colour.Readable {
			fill = colour.Mix(fill, colour.Colour{}, 0.06)
			on = colour.White
		}
		ink := colour.On(ground)
		quiet, ok := colour.Against(colour.Mix(ink, ground, 0.35), colour.Readable, ground)
		if !ok {
			quiet = ink
		}
		bad, ok := colour.Against(colour.Colour{R: 0x8e, G: 0x1f, B: 0x3b}, colour.Readable, ground)
		if !ok {
			bad = ink
		}
		fmt.Fprintf(&b, ":root{--strong:%s;--on-strong:%s;--strong-text:%s;--wash:%s;--ground:%s;--ink:%s;--quiet:%s;--bad:%s}\n",
			fill, on, text, colour.Mix(colour.White, strong, 0.1), ground, ink, quiet, bad)
	}
	if pair, ok := fonts[themeText(t, themeFonts)]; ok {
		fmt.Fprintf(&b, "h1,h2{font-family:%s}body,button,.button{font-family:%s}\n", pair[0], pair[1])
	}
	if p := picturePath(themeText(t, themePicture)); p != "" { // what is read stands on a sheet, whatever the picture is
		fmt.Fprintf(&b, "body{background:var(--ground) url(%q) center/cover fixed}main{background:var(--ground);margin-top:24px;margin-bottom:24px;border-radius:3px}\n", p+atWidth(p, 1280))
	}
	l.Style = b.String()
	return l
}

// picturePath lets only pictures of the library through.
func picturePath(s string) string {
	if (strings.HasPrefix(s, "/media/") || strings.HasPrefix(s, "/samples/")) && !strings.ContainsAny(s, "\"'()\\?#<>&\n\r ") {
		return s
	}
	return ""
}

func atWidth(image string, width int) string {
	if strings.HasPrefix(image, "/media/") {
		return fmt.Sprintf("?w=%d", width)
	}
	return ""
}
