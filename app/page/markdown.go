package page

import (
	"bytes"
	"html/template"

	"github.com/microcosm-cc/bluemonday"
	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/extension"
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
