// Package e2e uses the program as people do: in Debian's Chromium, on a fresh database.
package e2e

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/cdproto/target"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"omphalos/app"
	"omphalos/app/account"
	"omphalos/app/delivery"
	"omphalos/app/store"
	"omphalos/app/store/storetest"
	"omphalos/demo"
	"omphalos/standins/larkmoor"
	"omphalos/standins/mailbox"
)

var takeShots = flag.Bool("shots", false, "write docs/screenshots anew")

// world is a running program with the invented company's sites next to it.
type world struct {
	clicked bool // the demonstration\'s link has been used
	URL     string
	Sites   string
	Store   *store.Store
	Dir     string // of the database
	Box     *mailbox.Mailbox
}

const (
	oneClick = "one-click"
	password = "larkmoor-tests"
)

// patience is how long a step may take before its test fails: long, as a machine that is shared can stand still for a
// while.
const patience = 40 * time.Second

// start runs the program on a fresh database; filled has the demonstration in it, else only its owner.
func start(t *testing.T, filled bool) *world {
	t.Helper()
	dir := t.TempDir()
	s, err := store.Open(dir, store.Options{Database: storetest.Database(t, dir)})
	require.NoError(t, err)
	w := &world{Store: s, Dir: dir, Box: &mailbox.Mailbox{}}
	settings := w.takeMail(t)
	sites := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) { larkmoor.Handler(w.URL, w.Box).ServeHTTP(rw, r) }))
	w.Sites = sites.URL
	if filled {
		require.NoError(t, demo.Fill(s, sites.URL, password, time.Now()))
	} else {
		_, err = s.People.CreateOwner(demo.Owner, password)
		require.NoError(t, err)
	}
	server := httptest.NewUnstartedServer(nil)
	w.URL = "http://" + server.Listener.Addr().String()
	ctx, stop := context.WithCancel(context.Background())
	server.Config.Handler, err = app.New(s, app.Options{OneClick: oneClick, Patient: true, Origin: w.URL, Mail: settings, Hearing: ctx})
	require.NoError(t, err)
	server.Start()
	var sending sync.WaitGroup
	sending.Go(func() { (&delivery.Sender{Store: s, Settings: settings, Origin: w.URL, Now: time.Now}).Run(ctx) })
	t.Cleanup(func() {
		stop()
		sending.Wait()
		server.Close()
		sites.Close()
		require.NoError(t, s.Close())
	})
	return w
}

// takeMail lets the mailbox take mail, and returns how mail leaves for it.
func (w *world) takeMail(t *testing.T) delivery.Settings {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	server := w.Box.SMTP()
	go func() { _ = server.Serve(l) }()
	t.Cleanup(func() { server.Close() })
	settings, err := delivery.Read(delivery.Flags{Server: "smtp://" + l.Addr().String(), From: "Larkmoor Botanics <hello@larkmoor.example>"})
	require.NoError(t, err)
	return settings
}

// tab is a browser window; every step fails the test when it takes too long.
type tab struct {
	*testing.T
	ctx    context.Context
	Errors []string // of the page's own scripts, and what its policy blocked
	inner  bool     // steps go to a document embedded in the page
	part   string   // of its address; "" for the first one
}

// browser is the one browser process of all tests: starting one takes seconds. It ends with the tests.
var browser = sync.OnceValue(func() context.Context {
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath("chromium"), chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.Flag("disable-dev-shm-usage", true), chromedp.Flag("disable-background-networking", true),
		chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-sync", true), chromedp.Flag("disable-quic", true),
		chromedp.Flag("force-color-profile", "srgb"), chromedp.WSURLReadTimeout(patience))
	alloc, _ := chromedp.NewExecAllocator(context.Background(), options...)
	ctx, _ := chromedp.NewContext(alloc)
	if err := chromedp.Run(ctx); err != nil {
		panic(err)
	}
	return ctx
})

// window makes a window with cookies and storage of its own, which go with the test.
func window(t *testing.T) target.ID {
	t.Helper()
	ctx := cdp.WithExecutor(browser(), chromedp.FromContext(browser()).Browser)
	profile, err := target.CreateBrowserContext().Do(ctx)
	require.NoError(t, err)
	t.Cleanup(func() { _ = target.DisposeBrowserContext(profile).Do(ctx) })
	id, err := target.CreateTarget("about:blank").WithBrowserContextID(profile).WithNewWindow(true).Do(ctx)
	require.NoError(t, err)
	return id
}

// open opens a window of the given size, with cookies and storage of its own.
func open(t *testing.T, width, height int64) *tab {
	t.Helper()
	if _, err := exec.LookPath("chromium"); err != nil {
		t.Fatal("Chromium is missing: run make test, which installs it")
	}
	ctx, cancel := chromedp.NewContext(browser(), chromedp.WithTargetID(window(t)))
	b := &tab{T: t, ctx: ctx}
	t.Cleanup(cancel)
	chromedp.ListenTarget(ctx, func(ev any) {
		switch e := ev.(type) {
		case *page.EventJavascriptDialogOpening:
			b.Errors = append(b.Errors, "the page asked: "+e.Type.String())
			go chromedp.Run(ctx, page.HandleJavaScriptDialog(true))
		case *runtime.EventExceptionThrown:
			b.Errors = append(b.Errors, e.ExceptionDetails.Error())
		case *log.EventEntryAdded:
			if e.Entry.Level == log.LevelError && !strings.Contains(e.Entry.Text, "status of 4") {
				b.Errors = append(b.Errors, e.Entry.Text+" "+e.Entry.URL)
			}
		}
	})
	require.NoError(t, chromedp.Run(ctx, chromedp.EmulateViewport(width, height), emulation.SetFocusEmulationEnabled(true)))
	return b
}

func (b *tab) run(actions ...chromedp.Action) {
	b.Helper()
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	if err := chromedp.Run(ctx, actions...); err != nil {
		b.Fatalf("%v\n%s", err, b.scene())
	}
}

// signIn signs in as the owner: by the demonstration's link the first time, which works once, then by a sign-in made
// in the database.
func (b *tab) signIn(w *world) {
	b.Helper()
	if !w.clicked {
		w.clicked = true
		b.run(chromedp.Navigate(w.URL + "/demo/" + oneClick))
		return
	}
	b.run(network.SetCookie(account.CookieName(&http.Request{}), w.session(b.T)).WithURL(w.URL).WithHTTPOnly(true),
		chromedp.Navigate(w.URL))
}

// session is the token of a new sign-in of the owner.
func (w *world) session(t *testing.T) string {
	t.Helper()
	owner, err := w.Store.People.FirstAccount()
	require.NoError(t, err)
	token, err := w.Store.People.StartSession(owner)
	require.NoError(t, err)
	return token
}

// goTo opens an address. A form that is still answered may take the page somewhere else meanwhile: then it is asked for
// again, as a person would.
func (b *tab) goTo(url string) {
	b.Helper()
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	for {
		err := chromedp.Run(ctx, chromedp.Navigate(url))
		if err == nil {
			return
		}
		if !strings.Contains(err.Error(), "net::ERR_ABORTED") {
			b.Fatalf("%v\n%s", err, b.scene())
		}
	}
}

// click clicks the first visible element of a CSS selector with the mouse; text, if given, must stand in it.
func (b *tab) click(selector string, text ...string) {
	b.Helper()
	find := fmt.Sprintf(`(() => {
		const el = [...document.querySelectorAll(%s)].find((e) => e.checkVisibility() && e.textContent.includes(%s));
		if (!el || el.disabled || document.readyState !== "complete") return [];
		el.scrollIntoView({ block: "center" });
		const box = el.getClientRects()[0];
		const link = el.closest(".rooms a, a.pick, #state a");
		window.left = link && link.href.split("#")[0] !== location.href.split("#")[0];
		return [box.x + box.width / 2, box.y + box.height / 2];
	})()`, quote(selector), quote(strings.Join(text, "")))
	for end := time.Now().Add(patience); ; time.Sleep(15 * time.Millisecond) {
		var before, at, origin []float64
		if err := chromedp.Run(b.ctx, b.evaluate(find, &before), chromedp.Sleep(40*time.Millisecond), b.evaluate(find, &at), b.origin(&origin)); err == nil && len(at) == 2 && len(origin) == 2 && slices.Equal(before, at) {
			b.run(chromedp.MouseClickXY(origin[0]+at[0], origin[1]+at[1]))
			b.wait(`!window.left`) // what is done next is done on the page that the link leads to
			return
		}
		if time.Now().After(end) {
			b.Fatalf("there is no %s %v to click\n%s", selector, text, b.scene())
		}
	}
}

// focus puts the focus on a visible element, and selects what a field holds. It asks until it holds: a page may be
// leaving.
func (b *tab) focus(selector string) {
	b.Helper()
	b.wait(fmt.Sprintf(`(() => {
		const el = document.readyState === "complete" && document.querySelector(%s);
		if (!el || !el.checkVisibility()) return false;
		el.focus();
		if (el.select) el.select();
		return document.activeElement === el;
	})()`, quote(selector)))
}

// put types into a field, in place of what it holds.
func (b *tab) put(selector, text string) {
	b.Helper()
	b.focus(selector)
	b.run(chromedp.KeyEvent(text))
}

// fill types into a field of the workbench, in place of what it holds, and leaves it.
func (b *tab) fill(selector, text string) {
	b.Helper()
	b.put(selector, text)
	b.run(chromedp.Evaluate(`document.activeElement.blur()`, nil))
	b.settled()
}

// set gives a field or a menu its value without typing, as a date picker does.
func (b *tab) set(selector, value string) {
	b.Helper()
	b.wait(fmt.Sprintf(`(() => {
		const el = document.readyState === "complete" && document.querySelector(%s);
		if (el) el.value = %s;
		return !!el;
	})()`, quote(selector), quote(value)))
}

// choose picks an entry of a menu by its words.
func (b *tab) choose(selector, words string) {
	b.Helper()
	b.wait(fmt.Sprintf(`(() => {
		const el = document.readyState === "complete" && document.querySelector(%s);
		const words = %s;
		const option = el && ([...el.options].find((o) => o.textContent === words) || [...el.options].find((o) => o.textContent.includes(words)));
		if (!option) return false;
		el.value = option.value;
		el.selectedIndex = option.index;
		el.dispatchEvent(new Event("change", { bubbles: true }));
		return true;
	})()`, quote(selector), quote(words)))
	b.settled()
}

// press sends keys to what has the focus.
func (b *tab) press(keys ...string) {
	b.Helper()
	for _, k := range keys {
		b.run(chromedp.KeyEvent(k))
	}
}

// settled waits until every edit is stored.
func (b *tab) settled() {
	b.Helper()
	b.wait(`(() => { const s = document.querySelector("[data-saved]"); return !s || s.textContent.endsWith("saved"); })()`)
}

// wait polls an expression of the page until it is true.
func (b *tab) wait(expression string) {
	b.Helper()
	for end := time.Now().Add(patience); ; time.Sleep(15 * time.Millisecond) {
		var ok bool // an error is a page that is just leaving, or not there yet
		ctx, cancel := context.WithTimeout(b.ctx, 10*time.Second)
		err := chromedp.Run(ctx, b.evaluate("!!("+expression+")", &ok))
		cancel()
		if err == nil && ok {
			return
		}
		if time.Now().After(end) {
			b.Fatalf("waited in vain for %s\n%s", expression, b.scene())
		}
	}
}

// scene describes what the window shows, for a test that fails.
func (b *tab) scene() string {
	ctx, cancel := context.WithTimeout(b.ctx, 3*time.Second)
	defer cancel()
	var where, text string
	_ = chromedp.Run(ctx, chromedp.Location(&where),
		b.evaluate(`(document.querySelector(".toast")?.innerText || "") + "\n" + document.body.innerText.slice(0, 900)`, &text))
	return fmt.Sprintf("at %s\n%s\n%v", where, text, b.Errors)
}

func (b *tab) eval(expression string) string {
	b.Helper()
	var out any
	b.run(b.evaluate(expression, &out))
	return fmt.Sprint(out)
}

func (b *tab) text(selector string) string {
	b.Helper()
	b.wait(fmt.Sprintf(`!!document.querySelector(%s)`, quote(selector)))
	return b.eval(fmt.Sprintf(`document.querySelector(%s).innerText`, quote(selector)))
}

func (b *tab) has(words string) {
	b.Helper()
	b.wait(fmt.Sprintf(`(document.body?.innerText || "").includes(%s)`, quote(words)))
}

// shot writes a picture of the window.
func (b *tab) shot(path string) {
	b.Helper()
	var png []byte
	b.run(chromedp.Evaluate(`document.fonts.ready.then(() => true)`, nil, func(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }),
		chromedp.Sleep(250*time.Millisecond), chromedp.CaptureScreenshot(&png))
	require.NoError(b, os.WriteFile(path, png, 0o644))
}

func (b *tab) dark() {
	b.run(emulation.SetEmulatedMedia().WithFeatures([]*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: "dark"}}))
}

// quiet fails the test when a page's script failed or its policy blocked something.
func (b *tab) quiet() {
	b.Helper()
	require.Empty(b, b.Errors)
}

func quote(s string) string {
	q, _ := json.Marshal(s)
	return string(q)
}

var enter, tabKey = kb.Enter, kb.Tab

func quizID(t *testing.T, w *world) string {
	t.Helper()
	q, err := w.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	return q.ID
}

func now() time.Time { return time.Now() }

// cell puts the focus on a cell of the ledger: the line at base, and the column from 0.
func (b *tab) cell(base string, column int) {
	b.Helper()
	b.wait(fmt.Sprintf(`(() => { const c = document.querySelector('tr[data-at="%s"]')?.cells[%d]; c?.focus(); return !!c; })()`, base, column+2))
}

// table reads the ledger's cells: lines with | between cells, / between lines.
func (b *tab) table() string {
	b.Helper()
	return b.eval(`[...document.querySelectorAll("tr.answer")].map((tr) => [...tr.querySelectorAll(".cell")].map((c) => c.textContent).join("|")).join("/")`)
}

func mustRevision(t *testing.T, w *world, id string) int {
	t.Helper()
	n, err := w.Store.Documents.RevisionNow(id)
	require.NoError(t, err)
	return n
}
