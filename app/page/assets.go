package page

import (
	"bytes"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strings"
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
		a := asset{data: data, etag: `"` + hex.EncodeToString(sum[:8]) + `"`, kind: kind}
		assets[name] = a
		return nil
	})
	if err != nil {
		panic(err) // embedded files can always be read
	}
}

// AssetPath is the address of an asset; it changes with its contents, so it may be kept for ever.
func AssetPath(name string) string {
	return "/assets/" + name + "?v=" + strings.Trim(assets[name].etag, `"`)
}

// ServeAssets answers /assets/*name.
func ServeAssets(c *gin.Context) {
	a, ok := assets[strings.TrimPrefix(c.Param("name"), "/")]
	if !ok {
		c.Status(http.StatusNotFound)
		return
	}
	h := c.Writer.Header()
	h.Set("ETag", a.etag)
	h.Set("Cache-Control", "no-cache")
	if c.Query("v") == strings.Trim(a.etag, `"`) {
		h.Set("Cache-Control", "public, max-age=31536000, immutable")
	}
	h.Set("Access-Control-Allow-Origin", "*")
	h.Set("Content-Type", a.kind)
	http.ServeContent(c.Writer, c.Request, "", time.Time{}, bytes.NewReader(a.data))
}
