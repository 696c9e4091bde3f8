package page

import (
	"bytes"
	"html/template"
	"strings"

	"github.com/microcosm-cc/bluemonday"
	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/extension"
	"github.com/yuin/goldmark/text"
	"github.com/yuin/goldmark/util"
)

var (
	markdown = goldmark.New(goldmark.WithExtensions(extension.Strikethrough))
	policy   = bluemonday.UGCPolicy()
)

// Markdown turns an author's Markdown into HTML that can run nothing.
func Markdown(src string) template.HTML {
	var b bytes.Buffer
	if err := markdown.Convert([]byte(src), &b); err != nil {
		return template.HTML(template.HTMLEscapeString(src))
	}
	return template.HTML(policy.SanitizeBytes(b.Bytes()))
}

// MarkdownText is an author's Markdown as plain text: headings and paragraphs apart, lists with dashes, links with
// their address behind them.
func MarkdownText(src string) string {
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
	for n := parent.FirstChild(); n != nil; n = n.NextSibling() {
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
	for n := parent.FirstChild(); n != nil; n = n.NextSibling() {
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
