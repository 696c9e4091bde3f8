// Package docs carries the documents that the program shows to the people who use it.
package docs

import "embed"

// Files are the guide, the documents that it links to, and the pictures of both.
//
//go:embed guide/*.md api.md kit.md command-line.md screenshots/*.png
var Files embed.FS
