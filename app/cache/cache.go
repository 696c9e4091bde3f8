// Package cache keeps results that are costly to make, within a bound of memory. Keys contain everything a result
// depends on, so entries never have to be invalidated.
package cache

import (
	"fmt"
	"sync"

	"github.com/hashicorp/golang-lru/v2/simplelru"
	"golang.org/x/sync/singleflight"
)

// Cache is a bounded memory of values by key. It is safe for use by many goroutines at once.
type Cache[K comparable, V any] struct {
	making singleflight.Group
	mu     sync.Mutex
	known  *simplelru.LRU[K, entry[V]]
	most   int // bytes
	held   int // bytes of all that is remembered
}

type entry[V any] struct {
	value V
	size  int
}

// maxEntries bounds a cache whose values say that they take next to nothing.
const maxEntries = 1 << 16

// New makes a cache that holds values of at most so many bytes together.
func New[K comparable, V any](bytes int) *Cache[K, V] {
	c := &Cache[K, V]{most: bytes}
	known, err := simplelru.NewLRU(maxEntries, func(_ K, e entry[V]) { c.held -= e.size })
	if err != nil {
		panic(err) // the size is positive
	}
	c.known = known
	return c
}

// Get returns the value of a key, made by make when it is not remembered: once, however many ask for it meanwhile.
// make says how many bytes the value takes; one that is larger than the whole cache is returned and not remembered,
// nor is a failure.
func (c *Cache[K, V]) Get(key K, make func() (V, int, error)) (V, error) {
	if v, ok := c.peek(key); ok {
		return v, nil
	}
	made, err, _ := c.making.Do(fmt.Sprint(key), func() (any, error) {
		if v, ok := c.peek(key); ok { // it came while this call waited for its turn
			return v, nil
		}
		v, size, err := make()
		if err == nil {
			c.add(key, v, size)
		}
		return v, err
	})
	v, _ := made.(V)
	return v, err
}

func (c *Cache[K, V]) peek(key K) (V, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	e, ok := c.known.Get(key)
	return e.value, ok
}

func (c *Cache[K, V]) add(key K, v V, size int) {
	if size > c.most {
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.known.Remove(key)
	c.known.Add(key, entry[V]{v, size})
	for c.held += size; c.held > c.most; {
		c.known.RemoveOldest()
	}
}

// Held is how many bytes the remembered values take together, and how many values there are.
func (c *Cache[K, V]) Held() (bytes, values int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.held, c.known.Len()
}
