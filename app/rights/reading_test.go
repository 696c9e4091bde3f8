package rights

import (
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/people"
)

// What someone who only reads is shown instead of a control.
func TestReadOnly(t *testing.T) {
	viewer := &people.Account{Role: people.Viewer}
	for _, c := range []struct{ name, page, want string }{
		{"words stay", `<p class="x">Fit &amp; <b>Urgency</b></p>`, `<p class="x">Fit &amp; <b>Urgency</b></p>`},
		{"a field becomes its text", `<p><input data-do="text" data-at="/name" value="Fit"></p>`, `<p><span class="readonly">Fit </span></p>`},
		{"an empty number becomes what stands for it", `<input data-do="number" placeholder="0">`, `<span class="readonly">0 </span>`},
		{"an empty text becomes nothing", `<p><input placeholder="Your name"></p>`, `<p></p>`},
		{"a tick", `<input type="checkbox" checked><input type="checkbox">`,
			`<span class="readonly">✓ </span><span class="readonly">– </span>`},
		{"a menu becomes the option that is chosen",
			`<select><option>A</option><optgroup><option selected>B</option></optgroup></select>`, `<span class="readonly">B </span>`},
		{"the first where none is", `<select><option>A</option><option>B</option></select>`, `<span class="readonly">A </span>`},
		{"a long text", `<textarea>Two
lines</textarea>`, "<span class=\"readonly\">Two\nlines </span>"},
		{"a button that changes something goes", `<p>x<button type="button" data-patch="[]">Delete</button></p>`, `<p>x</p>`},
		{"one that only shows stays", `<button data-wide="1">wide</button>`, `<button data-wide="1">wide</button>`},
		{"a form that stores goes with all in it", `<form method="post" action="/quizzes/q/launch"><input name="a"></form>`, ``},
		{"one that asks stays", `<form method="get"><input name="q"><button>Find</button></form>`,
			`<form method="get"><input name="q"/><button>Find</button></form>`},
		{"words about a control go with it", `<h3 data-writes="">New</h3><p>Old</p>`, `<p>Old</p>`},
		{"what can be typed into the page cannot", `<p contenteditable="true">Fern</p>`, `<p>Fern</p>`},
		{"a link to what only owners see goes", `<p><a href="/team">People</a> <a href="/quizzes/q/script">Script</a></p>`,
			`<p> <a href="/quizzes/q/script">Script</a></p>`},
	} {
		require.Equal(t, c.want, string(ReadOnly(viewer, []byte(c.page))), c.name)
	}
}

// Pieces of pages within an answer are treated likewise, and what is no markup stays as it is.
func TestReadOnlyWithinJSON(t *testing.T) {
	viewer := &people.Account{Role: people.Viewer}
	got := readOnlyJSON(viewer, []byte(`{"sheet":"<p><button data-patch='[]'>x</button>Fit</p>","n":12345678901234567890,"list":["3 < x & y > 1",null]}`))
	require.JSONEq(t, `{"sheet":"<p>Fit</p>","n":12345678901234567890,"list":["3 < x & y > 1",null]}`, string(got))
	require.Contains(t, string(got), "12345678901234567890", "to the last digit")
	require.Equal(t, "this isn’t valid JSON:", string(readOnlyJSON(viewer, []byte("this isn’t valid JSON:"))))
}
