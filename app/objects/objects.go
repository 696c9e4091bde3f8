// Package objects stores pictures in a bucket of an S3-compatible object store, for servers that share a database or
// want to keep it small.
package objects

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/url"
	"strings"
	"time"

	"github.com/minio/minio-go/v7"
	"github.com/minio/minio-go/v7/pkg/credentials"
)

// Bucket is a place for objects.
type Bucket struct {
	client *minio.Client
	name   string
	prefix string // of all keys
}

// wait is how long one object may take.
const wait = 30 * time.Second

// Open opens a bucket at an address such as https://objects.larkmoor.example/quiz/pictures: the server, the bucket, and
// what all keys begin with. Errors say what to do: the address cannot be read, the bucket is not there, or it is not
// let in.
func Open(address, key, secret, region string) (*Bucket, error) {
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || strings.Trim(u.Path, "/") == "" {
		const use = "use https://SERVER/BUCKET/PREFIX, where PREFIX may be left out"
		return nil, fmt.Errorf("%q isn’t a bucket address: %s", address, use)
	}
	name, prefix, _ := strings.Cut(strings.Trim(u.Path, "/"), "/")
	if prefix != "" {
		prefix += "/"
	}
	client, err := minio.New(u.Host, &minio.Options{
		Creds: credentials.NewStaticV4(key, secret, ""), Secure: u.Scheme == "https", Region: region,
		BucketLookup: minio.BucketLookupPath, MaxRetries: 3,
	})
	if err != nil {
		return nil, err
	}
	b := &Bucket{client, name, prefix}
	ctx, done := context.WithTimeout(context.Background(), wait)
	defer done()
	there, err := client.BucketExists(ctx, name)
	switch {
	case err != nil:
		return nil, fmt.Errorf("couldn’t reach bucket %s at %s: %w", name, u.Host, err)
	case !there:
		return nil, fmt.Errorf("bucket %s doesn’t exist at %s; create it first", name, u.Host)
	}
	return b, nil
}

// Put stores an object, in place of one of the same key.
func (b *Bucket) Put(key, kind string, data []byte) error {
	ctx, done := context.WithTimeout(context.Background(), wait)
	defer done()
	_, err := b.client.PutObject(ctx, b.name, b.prefix+key, bytes.NewReader(data), int64(len(data)),
		minio.PutObjectOptions{ContentType: kind, CacheControl: "public, max-age=31536000, immutable"})
	if err != nil {
		return fmt.Errorf("couldn’t store object %s: %w", key, err)
	}
	return nil
}

// ErrNone is returned for an object that is not there.
var ErrNone = errors.New("the object doesn’t exist")

// Get reads an object.
func (b *Bucket) Get(key string) ([]byte, error) {
	ctx, done := context.WithTimeout(context.Background(), wait)
	defer done()
	object, err := b.client.GetObject(ctx, b.name, b.prefix+key, minio.GetObjectOptions{})
	if err != nil {
		return nil, err
	}
	defer object.Close()
	data, err := io.ReadAll(object)
	if minio.ToErrorResponse(err).Code == minio.NoSuchKey {
		return nil, ErrNone
	}
	if err != nil {
		return nil, fmt.Errorf("couldn’t read object %s: %w", key, err)
	}
	return data, nil
}
