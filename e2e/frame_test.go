package e2e

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// within is the same window, with its steps in the first document that the page embeds, of whatever origin.
func (b *tab) within() *tab {
	inner := *b
	inner.inner = true
	return &inner
}

// withinThe is within for the document that is embedded with an address which has the part in it.
func (b *tab) withinThe(part string) *tab {
	inner := b.within()
	inner.part = part
	return inner
}

// evaluate is chromedp's, in the document that the steps go to. The context of an embedded one is asked for each time,
// as it goes from page to page.
func (b *tab) evaluate(expression string, out any) chromedp.Action {
	if !b.inner {
		return chromedp.ActionFunc(func(ctx context.Context) error { return chromedp.Evaluate(b.named(ctx, expression), out).Do(ctx) })
	}
	return chromedp.ActionFunc(func(ctx context.Context) error {
		tree, err := page.GetFrameTree().Do(ctx)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(tree.ChildFrames, func(f *page.FrameTree) bool { return strings.Contains(f.Frame.URL, b.part) })
		if at < 0 {
			return errors.New("the page embeds nothing yet")
		}
		world, err := page.CreateIsolatedWorld(tree.ChildFrames[at].Frame.ID).Do(ctx)
		if err != nil {
			return err
		}
		got, thrown, err := runtime.Evaluate(expression).WithContextID(world).WithReturnByValue(true).Do(ctx)
		switch {
		case err != nil:
			return err
		case thrown != nil:
			return thrown
		case out == nil:
			return nil
		}
		return json.Unmarshal(got.Value, out)
	})
}

// origin is where the document that the steps go to begins in the window.
func (b *tab) origin(out *[]float64) chromedp.Action {
	if !b.inner {
		*out = []float64{0, 0}
		return chromedp.ActionFunc(func(context.Context) error { return nil })
	}
	return chromedp.Evaluate(`(() => {
		const f = [...document.querySelectorAll("iframe")].find((f) => f.src.includes(`+quote(b.part)+`));
		f.scrollIntoView({ block: "nearest" });
		const box = f.getBoundingClientRect();
		return [box.x + f.clientLeft, box.y + f.clientTop];
	})()`, out)
}

// answerWall goes through the living-wall quiz to its ending.
func (b *tab) answerWall() {
	b.Helper()
	b.click("button", "Start")
	for _, answer := range []string{"Under 5 m²", "Sun for most of the day", "I do", "Under €3,000", "This spring"} {
		b.click("label", answer) // continues by itself
	}
	b.has("How many people work there?")
	b.click("form button", "Continue")
	b.click("label", "Ireland")
	b.has("Email")
	b.put(`input[autocomplete="name"]`, "Orla")
	b.put(`input[type="email"]`, "orla@frame.example")
	b.click("label", "may write to me")
	b.click("button", "See your result")
	b.has("Begin with pots")
}

// waitFor asks for a page of the invented company's sites until it has the words.
func (w *world) waitFor(t *testing.T, path, words string) {
	t.Helper()
	for end := time.Now().Add(patience); ; time.Sleep(50 * time.Millisecond) {
		r, err := http.Get(w.Sites + path)
		require.NoError(t, err)
		body, err := io.ReadAll(r.Body)
		r.Body.Close()
		require.NoError(t, err)
		if strings.Contains(string(body), words) {
			return
		}
		if time.Now().After(end) {
			t.Fatalf("%s never got %q:\n%s", path, words, body)
		}
	}
}
