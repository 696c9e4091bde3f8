package cache

import (
	"errors"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestWhatIsAskedForAtOnceIsMadeOnce(t *testing.T) {
	c := New[string, int](1000)
	var made atomic.Int32
	begin := make(chan struct{})
	var all sync.WaitGroup
	for range 20 {
		all.Go(func() {
			<-begin
			v, err := c.Get("k", func() (int, int, error) { made.Add(1); return 7, 10, nil })
			require.NoError(t, err)
			require.Equal(t, 7, v)
		})
	}
	close(begin)
	all.Wait()
	require.EqualValues(t, 1, made.Load())
}

func TestMemoryIsBoundedByBytes(t *testing.T) {
	c := New[int, int](1000)
	for i := range 500 {
		_, err := c.Get(i, func() (int, int, error) { return i, 1 + i%97, nil })
		require.NoError(t, err)
		held, values := c.Held()
		require.LessOrEqual(t, held, 1000)
		require.Positive(t, values)
	}
	remade := false
	v, err := c.Get(499, func() (int, int, error) { remade = true; return 0, 1, nil })
	require.NoError(t, err)
	require.Equal(t, 499, v)
	require.False(t, remade, "the last one is remembered")
	_, before := c.Held()
	_, err = c.Get(-1, func() (int, int, error) { return 1, 1001, nil })
	require.NoError(t, err)
	_, after := c.Held()
	require.Equal(t, before, after, "what is larger than the cache pushes nothing out")
	_, err = c.Get(-2, func() (int, int, error) { return 0, 1, errors.New("no") })
	require.ErrorContains(t, err, "no")
	v, err = c.Get(-2, func() (int, int, error) { return 2, 1, nil })
	require.NoError(t, err)
	require.Equal(t, 2, v, "a failure is not remembered")
}
