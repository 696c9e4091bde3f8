// Package bucket stands in for an object store in tests: as much of S3's interface as pictures need, in memory.
package bucket

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"
	"sync"
)

// Bucket is one bucket.
type Bucket struct {
	Name string
	Key  string // the access key that is let in

	mu      sync.Mutex
	objects map[string]object
	Broken  bool // it answers nothing but failures
}

type object struct {
	kind string
	data []byte
}

// Keys are those of all objects.
func (b *Bucket) Keys() []string {
	b.mu.Lock()
	defer b.mu.Unlock()
	var out []string
	for key := range b.objects {
		out = append(out, key)
	}
	return out
}

// ServeHTTP answers as an object store does.
func (b *Bucket) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	b.mu.Lock()
	defer b.mu.Unlock()
	name, key, _ := strings.Cut(strings.Trim(r.URL.Path, "/"), "/")
	switch {
	case b.Broken:
		fail(w, http.StatusServiceUnavailable, "SlowDown")
	case !strings.Contains(r.Header.Get("Authorization"), "Credential="+b.Key+"/"):
		fail(w, http.StatusForbidden, "AccessDenied")
	case name != b.Name:
		fail(w, http.StatusNotFound, "NoSuchBucket")
	case key == "":
		w.WriteHeader(http.StatusOK)
	case r.Method == http.MethodPut:
		data, err := body(r)
		if err != nil {
			fail(w, http.StatusBadRequest, "IncompleteBody")
			return
		}
		if b.objects == nil {
			b.objects = map[string]object{}
		}
		b.objects[key] = object{r.Header.Get("Content-Type"), data}
		w.Header().Set("ETag", `"1"`)
	default:
		o, there := b.objects[key]
		if !there {
			fail(w, http.StatusNotFound, "NoSuchKey")
			return
		}
		w.Header().Set("ETag", `"1"`)
		w.Header().Set("Last-Modified", "Sun, 01 Mar 2026 09:00:00 GMT")
		w.Header().Set("Content-Type", o.kind)
		w.Header().Set("Content-Length", strconv.Itoa(len(o.data)))
		if r.Method == http.MethodGet {
			_, _ = w.Write(o.data)
		}
	}
}

func fail(w http.ResponseWriter, status int, code string) {
	w.Header().Set("Content-Type", "application/xml")
	w.WriteHeader(status)
	fmt.Fprintf(w, "<Error><Code>%s</Code><Message>%s</Message></Error>", code, code)
}

// body reads what is put, which may come in signed chunks: a line with the size in hexadecimal digits and a signature,
// then so many bytes.
func body(r *http.Request) ([]byte, error) {
	if !strings.HasPrefix(r.Header.Get("X-Amz-Content-Sha256"), "STREAMING-") {
		return io.ReadAll(r.Body)
	}
	var out bytes.Buffer
	in := bufio.NewReader(r.Body)
	for {
		line, err := in.ReadString('\n')
		if err != nil {
			return nil, err
		}
		digits, _, _ := strings.Cut(strings.TrimSpace(line), ";")
		n, err := strconv.ParseInt(digits, 16, 64)
		if err != nil {
			return nil, err
		}
		if n == 0 {
			return out.Bytes(), nil
		}
		if _, err := io.CopyN(&out, in, n); err != nil {
			return nil, err
		}
		if _, err := in.ReadString('\n'); err != nil {
			return nil, err
		}
	}
}
