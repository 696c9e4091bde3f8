package page

import (
	"bytes"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"io"
	"io/fs"
	"maps"
	"mime"
	"net/http"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
)

//go:embed static
var static embed.FS

// asset is a file that is served from memory.
type asset struct {
	data []byte
	etag string
	kind string

	from fs.FS // where it was embedded
	path string
}

// read is the asset as it is now, where it is read again for each page.
func (a asset) read() (asset, error) {
	data, err := fs.ReadFile(sources.folder(a.from), a.path)
	a.data = data
	return a, err
}

var assets = map[string]asset{}

func init() {
	RegisterAssets(static, "static")
}

// RegisterAssets serves every file below dir at /assets/ under its path within dir. Rooms register their scripts with
// it when the program starts.
func RegisterAssets(fsys fs.FS, dir string) {
	err := fs.WalkDir(fsys, dir, func(p string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() || strings.HasSuffix(p, ".html") {
			return err
		}
		data, err := fs.ReadFile(fsys, p)
		if err != nil {
			return err
		}
		sum := sha256.Sum256(data)
		name := strings.TrimPrefix(strings.TrimPrefix(p, dir), "/")
		kind := mime.TypeByExtension(path.Ext(p))
		if strings.HasSuffix(p, ".woff2") {
			kind = "font/woff2"
		}
		etag := `"` + hex.EncodeToString(sum[:8]) + `"`
		assets[name] = asset{data: data, etag: etag, kind: kind, from: fsys, path: p}
		return nil
	})
	if err != nil {
		panic(err) // embedded files can always be read
	}
}

// edition is a name of all assets together; it changes with the contents of any. Scripts import each other, and styles
// name their fonts, by relative addresses, so one name in the path of the first is in the paths of all.
var edition = sync.OnceValue(func() string {
	all := sha256.New()
	for _, name := range slices.Sorted(maps.Keys(assets)) {
		io.WriteString(all, name+assets[name].etag)
	}
	return hex.EncodeToString(all.Sum(nil)[:6])
})

// AssetPath is the address of an asset; it changes with the program's assets, so it may be kept for ever.
func AssetPath(name string) string { return "/assets/" + edition() + "/" + name }

// ServeAssets answers /assets/*name: under the edition, kept for ever; under that of another release, or without one,
// asked for again each time.
func ServeAssets(c *gin.Context) {
	name := strings.TrimPrefix(c.Param("name"), "/")
	first, rest, _ := strings.Cut(name, "/")
	current := first == edition()
	if current || ofAnotherRelease(first) {
		name = rest
	}
	a, ok := assets[name]
	if !ok {
		c.Status(http.StatusNotFound)
		return
	}
	h := c.Writer.Header()
	h.Set("Cache-Control", "no-cache")
	if sources != nil {
		var err error
		if a, err = a.read(); err != nil {
			Failed(c, err)
			return
		}
	} else {
		h.Set("ETag", a.etag)
	}
	if current && sources == nil {
		h.Set("Cache-Control", "public, max-age=31536000, immutable")
	}
	h.Set("Access-Control-Allow-Origin", "*")
	h.Set("Content-Type", a.kind)
	http.ServeContent(c.Writer, c.Request, "", time.Time{}, bytes.NewReader(a.data))
}

// ofAnotherRelease reports whether a segment of a path has the form of an edition.
func ofAnotherRelease(segment string) bool {
	_, err := hex.DecodeString(segment)
	return err == nil && len(segment) == 12
}
