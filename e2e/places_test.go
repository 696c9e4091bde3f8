package e2e

import (
	"context"
	"regexp"
	"strings"

	"github.com/chromedp/chromedp"
)

// Tests name controls by the position that they have in the document, as people count: [data-at="/questions/0/text"]. The
// page names elements by ids; positions are turned into those by the order of the page.

var positioned = regexp.MustCompile(`"(/[a-z_]+/(?:[^"\\ ]*/)?[0-9]+(?:/[^"\\ ]*)?)\\?"`)

// referring turns a position into what the page calls it: in every list, the names that stand in the page are in the order of
// the document.
const referring = `(pointer) => {
	const all = ["at", "cell", "edge", "cut"].flatMap((name) => [...document.querySelectorAll("#room [data-" + name + "]")].map((el) => el.dataset[name]));
	let out = "";
	for (const segment of pointer.slice(1).split("/")) {
		if (/^\d+$/.test(segment)) {
			const names = [...new Set(all.filter((at) => at.startsWith(out + "/")).map((at) => at.slice(out.length + 1).split("/")[0]))].filter((name) => /^[@=]/.test(name));
			out += "/" + (names[Number(segment)] ?? segment);
		} else out += "/" + segment;
	}
	return out;
}`

// named is an expression with its positions turned into names.
func (b *tab) named(ctx context.Context, expression string) string {
	for _, m := range positioned.FindAllStringSubmatch(expression, -1) {
		var ref string
		if chromedp.Evaluate("("+referring+")("+quote(m[1])+")", &ref).Do(ctx) == nil {
			expression = strings.ReplaceAll(expression, `"`+m[1]+`"`, `"`+ref+`"`)
			expression = strings.ReplaceAll(expression, `\"`+m[1]+`\"`, `\"`+ref+`\"`)
		}
	}
	return expression
}
