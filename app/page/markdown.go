package page

import (
	"bytes"
	"errors"
	"html/template"
	"strings"

	"github.com/microcosm-cc/bluemonday"
	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/extension"
	"github.com/yuin/goldmark/text"
	"github.com/yuin/goldmark/util"

	"omphalos/core/quiz"
)

var (
	markdown = goldmark.New(goldmark.WithExtensions(extension.Strikethrough))
	policy   = bluemonday.UGCPolicy()
)

// mostHTML is how many bytes of HTML a text becomes at most: references to one long address would make a text of a few
// kilobytes hundreds of megabytes.
const mostHTML = 2 << 20

// Markdown turns an author's Markdown into HTML that can run nothing. A text whose blocks are nested too deeply, or
// that would become too much, is shown as it was typed.
func Markdown(src string) template.HTML {
	if fault, _ := quiz.MarkdownFault(src); fault != "" {
		return asTyped(src)
	}
	b := limitedBuffer{most: mostHTML}
	if err := markdown.Convert([]byte(src), &b); err != nil || b.over {
		return asTyped(src)
	}
	return template.HTML(policy.SanitizeBytes(b.Bytes()))
}

func asTyped(src string) template.HTML {
	return template.HTML("<p>" + template.HTMLEscapeString(src) + "</p>")
}

// limitedBuffer takes so many bytes and no more.
type limitedBuffer struct {
	bytes.Buffer
	most int
	over bool
}

// Write fails past the bound.
func (b *limitedBuffer) Write(p []byte) (int, error) {
	if b.over = b.over || b.Len()+len(p) > b.most; b.over {
		return 0, errTooMuch
	}
	return b.Buffer.Write(p)
}

var errTooMuch = errors.New("the text becomes too much HTML")

// MarkdownText is an author's Markdown as plain text: headings and paragraphs apart, lists with dashes, links with
// their address behind them.
func MarkdownText(src string) string {
	if fault, _ := quiz.MarkdownFault(src); fault != "" {
		return src
	}
	w := &plainWriter{src: []byte(src)}
	w.blocks(markdown.Parser().Parse(text.NewReader(w.src)), "")
	return strings.TrimSpace(w.b.String()) + "\n"
}

type plainWriter struct {
	src []byte
	b   strings.Builder
}

// blocks writes what stands below each other; indent begins the lines after the first of an item.
func (w *plainWriter) blocks(parent ast.Node, indent string) {
	for n := parent.FirstChild(); n != nil && w.b.Len() < mostHTML; n = n.NextSibling() {
		switch n := n.(type) {
		case *ast.List:
			for item := n.FirstChild(); item != nil; item = item.NextSibling() {
				w.b.WriteString(indent + "- ")
				w.blocks(item, indent+"  ")
			}
			w.b.WriteString("\n")
		case *ast.ThematicBreak:
			w.b.WriteString(indent + "----\n\n")
		case *ast.FencedCodeBlock, *ast.CodeBlock:
			w.b.Write(n.Lines().Value(w.src))
			w.b.WriteString("\n")
		case *ast.HTMLBlock: // it is taken out of pages too
		case *ast.Blockquote, *ast.ListItem:
			w.blocks(n, indent)
		case *ast.TextBlock:
			w.inline(n)
			w.b.WriteString("\n")
		default:
			w.inline(n)
			w.b.WriteString("\n\n")
		}
	}
}

func (w *plainWriter) inline(parent ast.Node) {
	for n := parent.FirstChild(); n != nil && w.b.Len() < mostHTML; n = n.NextSibling() {
		switch n := n.(type) {
		case *ast.Text:
			w.b.Write(util.UnescapePunctuations(n.Segment.Value(w.src)))
			if n.SoftLineBreak() || n.HardLineBreak() {
				w.b.WriteString("\n")
			}
		case *ast.String:
			w.b.Write(n.Value)
		case *ast.AutoLink:
			w.b.Write(n.URL(w.src))
		case *ast.Link:
			w.inline(n)
			if to := string(util.UnescapePunctuations(n.Destination)); to != "" {
				w.b.WriteString(" (" + to + ")")
			}
		case *ast.RawHTML:
		default: // emphasis, code, pictures: what they say
			w.inline(n)
		}
	}
}
