package e2e

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Property: someone types into text fields at random, faster than the answers come, leaves them by Tab, Enter, the
// pointer or a change of room, while another window edits elsewhere. Each word is stored once, at the place where it
// was typed.
func TestATypistLosesNoWord(t *testing.T) {
	for _, seed := range []uint64{1} { // more of them found nothing else
		t.Run(fmt.Sprint("seed ", seed), func(t *testing.T) {
			w := start(t, true)
			p := newTroubled(t, w)
			id := quizID(t, w)
			b, other := open(t, 1280, 800), open(t, 1280, 800)
			for _, one := range []*tab{b, other} {
				one.signIn(w)
				one.goTo(p.URL + "/quizzes/" + id + "/script")
				one.has("7 questions")
			}
			r := rand.New(rand.NewPCG(seed, 5))
			fates := []string{"", "late", "late", "lost"}
			p.set(func(*http.Request) string { return fates[p.rand.IntN(len(fates))] })
			typed := map[string]string{} // what was typed last, by place
			n := 0
			for _, room := range []string{"Verdicts", "Messages", "Endings", "Script", "Endings", "Script"} {
				b.click("#rooms a", room)
				b.wait(`document.querySelector("#rooms [aria-current]")?.textContent.includes(` + quote(room) + `) && document.querySelectorAll("#room [data-do]").length > 3`)
				for range 5 {
					at := b.eval(fmt.Sprintf(`(() => {
						const fields = [...document.querySelectorAll('#room [data-do="text"]:not([data-formula]):not([data-fill=address])')].filter((el) => el.checkVisibility());
						if (!fields.length) return "";
						const el = fields[%d %% fields.length];
						el.focus();
						el.select();
						return el.dataset.at;
					})()`, r.IntN(1000)))
					if at == "" {
						break
					}
					n++
					word := fmt.Sprintf("Word%dx", n)
					b.press(word)
					typed[at] = word
					switch r.IntN(4) {
					case 0:
						b.press(tabKey)
					case 1:
						b.eval(`(document.activeElement.blur(), "left")`)
					case 2:
						other.typeInto("/questions/6/text", "Theirs "+word)
						delete(typed, "/questions/@country/text")
					}
				}
			}
			p.set(nil)
			b.eval(`(document.activeElement.blur(), "left")`)
			b.settled()
			other.settled()
			text, err := json.Marshal(draft(t, w, id))
			require.NoError(t, err)
			require.Greater(t, len(typed), 8)
			for at, word := range typed {
				if at != "/questions/@country/text" { // there the other window types too
					require.Equal(t, 1, strings.Count(string(text), quote(word)), "%s at %s", word, at)
				}
			}
		})
	}
}
