package fill

import (
	"encoding/json"
	"math/rand/v2"
	"net/url"
	"os"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/require"

	"omphalos/core/corpus"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

func readJSON(t *testing.T, name string, into any) {
	t.Helper()
	b, err := os.ReadFile("testdata/" + name)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(b, into))
}

// Source: RFC 6570, the examples of section 3.2, behind a plain host as our addresses need one.
func TestAddressesFillAsRFC6570Says(t *testing.T) {
	var file struct {
		Variables map[string]any
		Cases     []struct{ Section, Template, Want string }
	}
	readJSON(t, "rfc6570_3_2.json", &file)
	look := func(name string) ([]string, bool) {
		switch v := file.Variables[name].(type) {
		case string:
			return []string{v}, true
		case []any:
			var out []string
			for _, s := range v {
				text, ok := s.(string)
				if !ok {
					return nil, false // a map: our names have none
				}
				out = append(out, text)
			}
			return out, true
		}
		return nil, false
	}
	checked := 0
	for _, c := range file.Cases {
		if strings.Contains(c.Template, "keys") {
			continue
		}
		a, err := ParseAddress("https://host.example/" + c.Template)
		require.NoError(t, err, c.Template)
		got, err := a.Fill(look)
		require.NoError(t, err)
		require.Equal(t, "https://host.example/"+c.Want, got, "%s %s", c.Section, c.Template)
		checked++
	}
	require.Greater(t, checked, 80)
}

// Source: the WHATWG URL Standard by whatwg-url 16.0.1: an address that is taken goes to the very host that it shows.
func TestAddressesGoWhereTheySay(t *testing.T) {
	var file struct {
		Cases []struct{ Input, Href, Scheme, Host string }
	}
	readJSON(t, "redirect_targets_whatwg.json", &file)
	taken := 0
	for _, c := range file.Cases {
		a, err := ParseAddress(c.Input)
		if err != nil {
			continue
		}
		taken++
		require.Contains(t, []string{"http:", "https:"}, c.Scheme, c.Input)
		filled, err := a.Fill(func(string) ([]string, bool) { return nil, false })
		require.NoError(t, err)
		u, err := url.Parse(filled)
		require.NoError(t, err)
		if c.Host != "" {
			require.Equal(t, strings.Trim(c.Host, "[]"), u.Hostname(), c.Input)
		}
	}
	require.Positive(t, taken)
	for src, says := range map[string]string{
		"": "empty", "/thanks": "the address must start with https:// or http://", "//evil.example": "the address must start with https:// or http://", "javascript:alert(1)": "the address must start with https:// or http://", "https:/evil.example": "the address must start with https:// or http://",
		"https://": "isn’t a domain; use one such as example.org", "https://{area}.example/": "the domain can’t contain inserted fields; put a / before the first field", "https://example.org{area}": "the domain can’t contain inserted fields; put a / before the first field", "https://a b.example/": "space",
		"https://example.org\\@evil.example": `\`, "http://quiz.example@evil.example/": "user name", "https://example.org/{unclosed": "braces", "https://exa%6dple.org/": "isn’t a domain; use one such as example.org",
	} {
		_, err := ParseAddress(src)
		require.ErrorContains(t, err, says, src)
	}
	for _, ok := range []string{"https://example.org{?area}", "https://example.org{/area}", "http://127.0.0.1:8081/booking{?area,scale.fit,lead.id}", "https://example.org/#x{area}"} {
		_, err := ParseAddress(ok)
		require.NoError(t, err, ok)
	}
}

// The host comes from the text that was typed, whatever the answers are. Source of the number hosts: the WHATWG URL
// Standard, section 3.5, "ends in a number checker", and its IPv4 parser.
func TestHostsAreWhatWasTyped(t *testing.T) {
	for src, says := range map[string]string{
		"https://a.example{?n}@b.example/": "put a / before", "https://a.example{/n}@b.example/": "put a / before",
		"https://a.example{#n}@b.example/": "put a / before", "https://a.example{/n}.b.example": "put a / before",
		"https://a.example{?n}:8080/": "put a / before", "https://a.example{?n}{x}": "put a / before",
		"https://a.example{/n}{#m}.b.example/": "put a / before", "https://a.example{;n}/": "the domain can’t contain inserted fields; put a / before the first field",
		"https://a.example{+n}/": "the domain can’t contain inserted fields; put a / before the first field", "https://a.example{&n}": "the domain can’t contain inserted fields; put a / before the first field",
		"https://a.example:65536/": "port", "https://a.example:99999999999/": "port", "https://a.example:0/": "port",
		"https://a.example:8o80/": "port", "https://999.1.1.1/": "number", "https://a.1/": "number", "https://1.2.3.4.5/": "number",
		"http://2130706433/": "number", "http://0x7f000001/": "number", "http://0177.0.0.1/": "number", "http://127.1/": "number",
		"http://127.0.0.1./": "number", "http://a.0x/": "number", "http://１２７.0.0.1/": "number",
		"http://[::1%25eth0]/": "isn’t a domain; use one such as example.org", "http://[1.2.3.4]/": "isn’t a domain; use one such as example.org", "http://[::1/": "isn’t a domain; use one such as example.org",
		"https://a.example/}": "brace", "https://a.example/{x:0}": "braces", "https://a.example/{x:10000}": "braces",
		"https://a.example/{=x}": "braces", "https://a.example/{x y}": "space", "https://a.example/{}": "braces",
	} {
		_, err := ParseAddress(src)
		require.ErrorContains(t, err, says, src)
	}
	for _, ok := range []string{
		"https://a.example:65535/", "https://192.0.2.7/", "http://[2001:db8::1]:8080/x", "https://a.example{/n}{?m}{#o}",
		"https://a.example{/n}/{m}@c", "https://a.example{?n}#x", "https://1.example/", "https://bücher.example/",
	} {
		_, err := ParseAddress(ok)
		require.NoError(t, err, ok)
	}
}

// Source: RFC 6570, section 2.4.1 (a prefix counts characters) and 3.2.3 (reserved expansion keeps percent triplets).
func TestValuesAreFilledByTheCharacter(t *testing.T) {
	values := map[string]string{"name": "Zoë 🌿 Quill", "path": "/a%2Fb c%zz", "my-id": "5", "one": "%C3%A9x"}
	look := func(name string) ([]string, bool) {
		v, known := values[name]
		return []string{v}, known
	}
	for src, want := range map[string]string{
		"{name:3}": "Zo%C3%AB", "{name:5}": "Zo%C3%AB%20%F0%9F%8C%BF", "{?name:99}": "?name=Zo%C3%AB%20%F0%9F%8C%BF%20Quill",
		"{+path}": "/a%2Fb%20c%25zz", "{#path}": "#/a%2Fb%20c%25zz", "{path}": "%2Fa%252Fb%20c%25zz", "{+path:3}": "/a%2F",
		"{+one:1}": "%C3", "{?my-id}": "?my-id=5", "{/my-id*}": "/5", "é{my-id}": "%C3%A95", "100%{my-id}": "100%255",
	} {
		a, err := ParseAddress("https://host.example/" + src)
		require.NoError(t, err, src)
		got, err := a.Fill(look)
		require.NoError(t, err, src)
		require.Equal(t, "https://host.example/"+want, got, src)
	}
}

func source() Source {
	d := &quiz.Document{Scales: []quiz.Scale{{ID: "fit"}}, Outcomes: []quiz.Outcome{{ID: "v", Name: "Visit"}}, Otherwise: "v",
		Questions: []quiz.Question{
			{ID: "area", Kind: quiz.Single, Choices: []quiz.Choice{{ID: "s", Label: "Under 5 m² & *more*", Points: map[string]rule.Number{"fit": rule.MustNumber("2.5")}}}},
			{ID: "looks", Kind: quiz.Multiple, Choices: []quiz.Choice{{ID: "a", Label: "A, b"}, {ID: "c", Label: "C"}}},
			{ID: "who", Kind: quiz.ShortText}, {ID: "blank", Kind: quiz.ShortText},
		}}
	c, err := walk.New(d)
	if err != nil {
		panic(err)
	}
	in := walk.Input{Answers: map[string]walk.Answer{"area": {Picks: []string{"s"}}, "looks": {Picks: []string{"a", "c"}}, "who": {Text: `<script>x</script> [a](javascript:b) {area}`}}, Params: map[string]string{"src": "fair"}}
	return Source{Doc: d, Input: in, Result: c.Walk(in), Lead: "L1"}
}

func TestTexts(t *testing.T) {
	s := source()
	for src, want := range map[string]string{
		"A wall of {area}.": "A wall of Under 5 m² & *more*.", "{blank|nobody}": "nobody", "{blank}": "", "{nothing|else}": "else",
		"{{area}": "{area}", "{ area }": "{ area }", "{": "{", "there’s a } without a matching {; to show a brace, type %%7D": "there’s a } without a matching {; to show a brace, type %%7D", "{looks}": "A, b, C", "{scale.fit} of {percent.fit}": "2.5 of 100",
		"{param.src} {lead.id} {outcome.name} {area.id}": "fair L1 Visit s", "{who}": s.Input.Answers["who"].Text,
	} {
		require.Equal(t, want, Text(src, s.Lookup, Plain), src)
	}
	require.Equal(t, `\<script\>x\<\/script\> \[a\]\(javascript\:b\) \{area\}`, Text("{who}", s.Lookup, EscapeMarkdown))
	require.Equal(t, []string{"area", "x"}, Names("{area} {{no} {x|y}"))
	require.True(t, Known(s.Doc, "scale.fit"))
	require.False(t, Known(s.Doc, "scale.fat"))
	a, err := ParseAddress("https://example.org/{?area,looks,blank,lead.id}")
	require.NoError(t, err)
	got, err := a.Fill(s.Lookup)
	require.NoError(t, err)
	require.Equal(t, "https://example.org/?area=Under%205%20m%C2%B2%20%26%20%2Amore%2A&looks=A%2C%20b,C&lead.id=L1", got)
}

// Whatever is typed, filling ends, keeps the host that the author wrote, and escapes what it fills in.
func FuzzFill(f *testing.F) {
	corpus.Add(f)
	f.Add("A {who|nobody} {{ {scale.fit", "https://example.org/{?who,scale.fit}", "<b>")
	f.Add("{}{|}{a|b|c}", "https://example.org{/who}", "//evil.example")
	f.Fuzz(func(t *testing.T, text, address, typed string) {
		look := func(name string) ([]string, bool) { return []string{typed}, name == "who" }
		Names(text)
		for _, c := range []byte(Text("{who}", look, EscapeMarkdown)) {
			require.NotEqual(t, byte('\n'), c)
		}
		Text(text, look, EscapeMarkdown)
		a, err := ParseAddress(address)
		if err != nil {
			return
		}
		plain, err := a.Fill(func(string) ([]string, bool) { return nil, false })
		require.NoError(t, err)
		filled, err := a.Fill(look)
		require.NoError(t, err)
		before, err := url.Parse(plain)
		require.NoError(t, err, plain)
		after, err := url.Parse(filled)
		require.NoError(t, err, filled)
		require.Equal(t, before.Host, after.Host)
		require.Equal(t, before.Scheme, after.Scheme)
	})
}

// However often a long answer is filled in, a text takes so much of it and no more; the author's words all stay.
func TestFillingIsBounded(t *testing.T) {
	long := strings.Repeat("wörd ", 2_000)
	look := func(name string) ([]string, bool) {
		return map[string][]string{"t": {long}, "s": {"short"}, "l": {long, long}}[name], name != "unknown"
	}
	r := rand.New(rand.NewPCG(4, 28))
	for range 40 {
		var src strings.Builder
		words := 0
		for range r.IntN(3000) {
			src.WriteString([]string{"{t}", "{l}", "{s}", "{unknown|x}", "word "}[r.IntN(5)])
		}
		words = strings.Count(src.String(), "word ")
		most := 1 + r.IntN(100_000)
		out := TextWithin(NewBudget(most), src.String(), look, Plain)
		require.LessOrEqual(t, len(out), most+4*len(src.String()), "values, and three bytes for each that is cut")
		require.GreaterOrEqual(t, strings.Count(out, "word "), words)
		require.True(t, utf8.ValidString(out))
	}
	require.Equal(t, strings.Repeat("short ", 50), Text(strings.Repeat("{s} ", 50), look, Plain), "an innocent text")

	a, err := ParseAddress("https://www.larkmoor.example/{?t,s}{&l*}")
	require.NoError(t, err)
	to, err := a.Fill(look)
	require.NoError(t, err)
	require.Less(t, len(to), 4*MostInAddress)
	for name, c := range map[string]struct {
		s    string
		most int
		want string
	}{
		"fits": {"four words stand here", 21, "four words stand here"}, "at a word": {"four words stand here", 18, "four words…"},
		"within a word": {"abcdefghij", 7, "abcd…"}, "within a letter": {"äöüäöü", 8, "äö…"}, "nothing": {"abc", 0, "…"},
	} {
		require.Equal(t, c.want, Cut(c.s, c.most), name)
	}
}
