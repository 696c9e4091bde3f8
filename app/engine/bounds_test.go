package engine

import (
	"fmt"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/deliveries"
	"omphalos/app/store/documents"
)

const lookup = `"params":["ref"],"questions":[{"id":"who","kind":"short_text","text":"Who?"},
	{"id":"where","kind":"single","text":"Where?","choices":[{"id":"x","label":"X"},{"id":"y","label":"Y"}]},
	{"id":"lead","kind":"single","text":"Lead?","choices":[{"id":"yes"},{"id":"no"}]}],
	"outcomes":[{"id":"lead","ending":{"kind":"redirect","delay":9,"url":"https://a.example","lookup":{"table":"places","key":"KEY","column":"url","fallback":"https://b.example"}}},
	{"id":"none","keep":false,"ending":{"kind":"redirect","delay":9,"url":"https://a.example","lookup":{"table":"places","key":"KEY","column":"url","fallback":"https://b.example"}}}],
	"otherwise":"lead","verdicts":[{"when":{"fact":"answer.lead","op":"is","value":"no"},"outcome":"none"}]`

// A key that a table does not have is counted once for a finish that keeps its answers, and never where it is typed.
func TestMissesLeaveNoTrace(t *testing.T) {
	for _, c := range []struct {
		key, lead string
		want      int
	}{
		{"answer.where", "yes", 1}, {"answer.where", "no", 0}, {"answer.who", "yes", 0}, {"who", "yes", 0}, {"answer.who", "no", 0}, {"param.ref", "yes", 1},
	} {
		w := newWorld(t, strings.ReplaceAll(lookup, "KEY", c.key))
		require.NoError(t, w.s.Documents.SaveTable(w.quiz, 1, 0, &documents.Table{Name: "places", Columns: []string{"key", "url"}, Rows: [][]string{{"y", "https://y.example"}}}))
		p := w.somebody("ada").open("").send("who=ada@larkmoor.example").send("where=x").send("lead=" + c.lead)
		end := strings.TrimPrefix(p.reply.To, "/q/pages/end/")
		for range 3 {
			reply, err := w.End(p.visit(end))
			require.NoError(t, err)
			require.Equal(t, "https://b.example", reply.Screen.To)
		}
		misses, err := w.s.Documents.Misses(w.quiz)
		require.NoError(t, err)
		require.Len(t, misses, c.want, "%s %s", c.key, c.lead)
		if c.want > 0 {
			require.Equal(t, 1, misses[0].Count)
		}
	}
}

// A number that no quiz can hold is refused with words, and the answers before it stay.
func TestAHugeNumberLosesNothing(t *testing.T) {
	w := newWorld(t, `"questions":[{"id":"a","kind":"short_text","text":"A"},{"id":"n","kind":"number","text":"N"}],"outcomes":[{"id":"o"}],"otherwise":"o"`)
	p := w.somebody("ada").open("").send("a=kept")
	for _, n := range []string{strings.Repeat("9", 46), strings.Repeat("9", 39), "1e99", "-1e99", "1000000000001"} {
		p.send("n=" + n)
		p.open(p.at)
		require.NotNil(t, p.reply.Screen.Error, n)
		require.Equal(t, n, p.reply.Screen.Blocks[0].Inputs[0].Value)
	}
	p.send("n=1000000000000")
	require.Len(t, w.responses(), 1)
	require.Contains(t, string(w.responses()[0].Answers), "kept")
}

// Long answers make places that are too long for an address: the server keeps those for a day, and no address is
// longer than 2,000 characters.
func TestLongPlacesAreHeld(t *testing.T) {
	var questions []string
	for i := range 5 {
		questions = append(questions, fmt.Sprintf(`{"id":"q%d","kind":"long_text","text":"Q"}`, i))
	}
	w := newWorld(t, `"questions":[`+strings.Join(questions, ",")+`],"outcomes":[{"id":"o"}],"otherwise":"o"`)
	p := w.somebody("ada").open("")
	answer := func(i int) string { // nothing that packs well
		var b strings.Builder
		for j := range 1200 {
			fmt.Fprintf(&b, "%x ", (i*7919+j*104729)%65521)
		}
		return b.String()[:5000]
	}
	for i := range 5 {
		p.send(url.Values{fmt.Sprintf("q%d", i): {answer(i)}}.Encode())
		require.Less(t, len(p.reply.To), 2000)
		if i < 4 {
			p.open(p.at)
			require.Less(t, len(p.reply.Screen.Back), 2000)
		}
	}
	end := strings.TrimPrefix(p.reply.To, "/q/pages/end/")
	require.True(t, strings.HasPrefix(end, heldMark))
	reply, err := w.End(p.visit(end))
	require.NoError(t, err)
	require.Equal(t, "end", reply.Page)
	require.Contains(t, string(w.responses()[0].Answers), answer(4)[:100])
	w.clock = w.clock.Add(25 * time.Hour)
	reply, err = w.End(p.visit(end))
	require.NoError(t, err)
	require.True(t, reply.Lost)
}

// Where there is no room for long places, no one's goes: the page itself answers the form and holds what was typed, up
// to the end.
func TestLongPlacesWithoutRoomStayInTheirPage(t *testing.T) {
	var questions []string
	for i := range 3 {
		questions = append(questions, fmt.Sprintf(`{"id":"q%d","kind":"long_text","text":"Q"}`, i))
	}
	w := newWorld(t, `"questions":[`+strings.Join(questions, ",")+`],"outcomes":[{"id":"o","heading":"Done"}],"otherwise":"o"`)
	answer := func(i int) string {
		var b strings.Builder
		for j := range 1200 {
			fmt.Fprintf(&b, "%x ", (i*7919+j*104729)%65521)
		}
		return b.String()[:5000]
	}
	honest := w.somebody("ada").open("")
	honest.send(url.Values{"q0": {answer(0)}}.Encode())
	kept := honest.at
	require.NotEmpty(t, honest.reply.To)
	full := 0
	for i := range 400 { // of the same network
		held, err := w.s.Deliveries.Hold(deliveries.HeldPlace{ID: fmt.Sprint("other", i), QuizID: "another", Walk: fmt.Sprint(i), Network: "127.0.0.1", Token: strings.Repeat("x", 12_000)})
		require.NoError(t, err)
		if !held {
			full++
		}
	}
	require.Positive(t, full)

	p := w.somebody("ben").open("")
	for i := range 3 {
		p.send(url.Values{fmt.Sprintf("q%d", i): {answer(i)}}.Encode())
		require.Empty(t, p.reply.To, "the page is the answer")
		require.False(t, strings.HasPrefix(p.at, heldMark))
		require.Less(t, len(p.reply.Screen.Back), 2000)
	}
	require.Equal(t, "end", p.reply.Page)
	require.Equal(t, "Done", p.reply.Screen.Title)
	require.Len(t, w.responses(), 1)
	require.Contains(t, string(w.responses()[0].Answers), answer(2)[:100])
	honest.open(kept)
	require.False(t, honest.reply.Lost, "what was kept before stays")
}

// What is too long comes back whole, to be shortened where it was typed.
func TestTooLongComesBackWhole(t *testing.T) {
	w := newWorld(t, `"questions":[{"id":"q","kind":"long_text","text":"Q"},{"id":"o","kind":"single","text":"O","choices":[{"id":"x","label":"X"},{"id":"z","label":"Z","other":true}]}],
		"outcomes":[{"id":"o"}],"otherwise":"o"`)
	p := w.somebody("ada").open("")
	long := strings.Repeat("wörd ", 3000)
	p.send(url.Values{"q": {long}}.Encode())
	p.open(p.at)
	require.Equal(t, "characters", p.reply.Screen.Error.Code)
	require.Equal(t, long, p.reply.Screen.Blocks[0].Inputs[0].Value)
	p.send("q=short")
	p.open(p.at)
	other := strings.Repeat("ö", 600)
	p.send(url.Values{"o": {"z"}, "o.other": {other}}.Encode())
	p.open(p.at)
	require.NotNil(t, p.reply.Screen.Error)
	require.Equal(t, other, p.reply.Screen.Blocks[0].Inputs[1].Other.Value)
}

const handed = `"questions":[{"id":"where","kind":"single","text":"Where?","choices":[{"id":"c1","label":"North West"},{"id":"c2","label":"south"},{"id":"c3","label":"East"}]}],
	"contact":{"place":"before_outcome","optional":true,"fields":[{"id":"email","kind":"email","label":"E-mail"},{"id":"org","kind":"company","label":"Company"}]},
	"outcomes":[{"id":"go","ending":{"kind":"redirect","delay":DELAY,"url":"https://none.example/","lookup":{"table":"regions","key":"answer.where","column":"url","fallback":"https://else.example/{?contact.email}"}}}],"otherwise":"go"`

// A table's line is found by the answer's id, else by its words, spaces around and case aside; and addresses hand over
// what the contact step was given, to the respondent alone.
func TestLinesAreFoundByWordsAndContactIsHandedOver(t *testing.T) {
	for _, delay := range []string{"0", "5"} {
		w := newWorld(t, strings.Replace(handed, "DELAY", delay, 1))
		require.NoError(t, w.s.Documents.SaveTable(w.quiz, 1, 0, &documents.Table{Name: "regions", Columns: []string{"key", "url"}, Rows: [][]string{
			{" north west ", "https://nw.example/{?contact.email,contact.org}"}, {"South", "https://s.example/"}, {"c2", "https://c2.example/{?contact.org}"}}}))
		for answer, want := range map[string]string{
			"c1": "https://nw.example/?contact.email=ada%40larkmoor.example&contact.org=Larkmoor%20%26%20Co",
			"c2": "https://c2.example/?contact.org=Larkmoor%20%26%20Co", // the id comes first
			"c3": "https://else.example/?contact.email=ada%40larkmoor.example",
		} {
			p := w.somebody("ada" + answer).open("").send("where=" + answer)
			p.open(p.at)
			p.send(".c.email=ada@larkmoor.example&.c.org=Larkmoor+%26+Co")
			to := p.reply.To
			if delay != "0" {
				end := strings.TrimPrefix(p.reply.To, "/q/pages/end/")
				reply, err := w.End(p.visit(end))
				require.NoError(t, err)
				to = reply.Screen.To
				other := w.somebody("stranger" + answer)
				reply, err = w.End(other.visit(end))
				require.NoError(t, err)
				require.NotContains(t, fmt.Sprintf("%+v", reply.Screen), "larkmoor.example", "it is nobody else's")
			}
			require.Equal(t, want, to, answer)
		}
	}
}

// Two finishes of one walk at once, with different answers, are one response, and both are sent where that one leads.
func TestTwoFinishesAtOnceEndAlike(t *testing.T) {
	for n := range 20 {
		w := newWorld(t, `"questions":[{"id":"a","kind":"single","text":"A","choices":[{"id":"x"},{"id":"y"}]}],
			"outcomes":[{"id":"x","ending":{"kind":"redirect","url":"https://x.example/"}},{"id":"y","ending":{"kind":"redirect","url":"https://y.example/"}}],"otherwise":"y",
			"verdicts":[{"when":{"fact":"answer.a","op":"is","value":"x"},"outcome":"x"}]`)
		p := w.somebody(fmt.Sprint("ada", n)).open("")
		w.clock = w.clock.Add(time.Minute)
		var both sync.WaitGroup
		var to [2]string
		for i, answer := range []string{"x", "y"} {
			both.Go(func() {
				reply, err := w.Post(p.visit(p.at), url.Values{"a": {answer}})
				if err == nil {
					to[i] = reply.To
				}
			})
		}
		both.Wait()
		list := w.responses()
		require.Len(t, list, 1)
		want := "https://" + list[0].Outcome + ".example/"
		require.Equal(t, [2]string{want, want}, to)
	}
}
