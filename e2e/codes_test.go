package e2e

import (
	"encoding/base64"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// scanned reads a picture of a QR code with zbarimg, a reference program of Debian's (package zbar-tools).
func scanned(t *testing.T, picture []byte) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "code.png")
	require.NoError(t, os.WriteFile(file, picture, 0o600))
	out, err := exec.Command("zbarimg", "--quiet", "--raw", file).Output()
	require.NoError(t, err)
	return strings.TrimSpace(string(out))
}

// Each code that the page shows, offers to download and prints leads to the link that stands next to it: of the bare
// link and of every place, at every level, with words and without.
func TestCodesLeadWhereThePageSays(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	b := open(t, 1280, 900)
	b.signIn(w)
	room := w.URL + "/quizzes/" + id + "/launch?part=link"
	picture := func(selector string) []byte {
		var data []byte
		b.run(chromedp.Screenshot(selector, &data, chromedp.ByQuery, chromedp.NodeVisible))
		return data
	}
	promised := func(expression string) string {
		var out string
		b.run(chromedp.Evaluate(expression, &out, func(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }))
		return out
	}
	b.goTo(room)
	b.has("Tracked links")
	for _, name := range []string{"Spring newsletter", "Fair & stand"} {
		b.fill("#place", name)
		b.fill("#medium", "print")
		b.click(".placeform button")
		b.has(name)
	}
	places, err := w.Store.Documents.PutPlaces(id)
	require.NoError(t, err)
	require.NotEmpty(t, places)
	for _, place := range []string{"", places[0].ID, places[1].ID} {
		panel := ".qr"
		if place != "" {
			panel = "#qr-" + place + " .qr"
		}
		settings := [][2]string{{"L", ""}, {"H", "Ready?"}}
		if place == "" {
			settings = append(settings, [2]string{"M", "Scan me"}, [2]string{"Q", ""})
		}
		modules := map[string]int{} // dark runs in the picture, by level
		for _, c := range settings {
			b.goTo(room + "&place=" + place)
			b.has("Tracked links")
			want := b.eval(`(document.querySelector("#qr-` + place + `")?.previousElementSibling || document).querySelector("[data-own]").textContent.trim()`)
			want += map[bool]string{true: "&", false: "?"}[strings.Contains(want, "?")] + "qr=1"
			b.choose(panel+" select", map[string]string{"L": "7%", "M": "15%", "Q": "25%", "H": "30%"}[c[0]])
			b.fill(panel+` [name="words"]`, c[1])
			b.click(panel+" button", "Update code")
			b.wait(`location.search.includes("level=` + c[0] + `") && document.querySelector("` + panel + ` img")?.complete`)
			require.Equal(t, want, scanned(t, picture(panel+" img")), "%s %v", place, c)
			svg := promised(`fetch(document.querySelector("` + panel + ` a[download]").href).then((r) => r.text())`)
			require.Equal(t, c[1] != "", strings.Contains(svg, c[1]) && c[1] != "")
			modules[c[0]] = len(regexp.MustCompile(`[Mm]\d`).FindAllString(svg, -1))
			png, err := base64.StdEncoding.DecodeString(promised(`fetch(document.querySelector("` + panel + ` [data-png]").href).then((r) => r.arrayBuffer()).then((a) => btoa(String.fromCharCode(...new Uint8Array(a))))`))
			require.NoError(t, err)
			require.Equal(t, want, scanned(t, png), "the PNG of %s %v", place, c)
			b.eval(`(location.href = document.querySelector("` + panel + ` a[target]").href, "going")`)
			b.wait(`location.pathname.endsWith("/launch/qr") && document.images.length > 0 && [...document.images].every((i) => i.complete)`)
			b.eval(`([...document.images].sort((a, b) => b.width - a.width)[0].id = "largest")`)
			require.Equal(t, want, scanned(t, picture("#largest")), "the sheet of %s %v", place, c)
		}
		require.Greater(t, modules["H"], modules["L"], "more damage to survive takes more modules")
	}
}
