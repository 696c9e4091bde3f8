package limits

import (
	"context"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"
)

// Heavy work is done in turn: never more at once than there are turns, no one is left out who may wait, and anyone who
// is past the queue is told so at once.
func TestHeavyWorkIsDoneInTurn(t *testing.T) {
	const turns, waiting = 2, 5
	h := NewHeavy(turns, waiting)
	var now, most, done, busy atomic.Int32
	hold := make(chan struct{})
	var all sync.WaitGroup
	for range turns + waiting + 3 {
		all.Go(func() {
			err := h.Do(context.Background(), func() {
				n := now.Add(1)
				for {
					seen := most.Load()
					if n <= seen || most.CompareAndSwap(seen, n) {
						break
					}
				}
				<-hold
				now.Add(-1)
				done.Add(1)
			})
			if err != nil {
				require.ErrorIs(t, err, ErrBusy)
				if busy.Add(1) == 3 {
					close(hold) // everyone else has a turn or a place in the queue
				}
			}
		})
	}
	all.Wait()
	require.Equal(t, int32(turns+waiting), done.Load())
	require.Equal(t, int32(3), busy.Load())
	require.LessOrEqual(t, most.Load(), int32(turns))
}

// Who has gone gives the place in the queue back.
func TestWhoHasGoneWaitsNoMore(t *testing.T) {
	h := NewHeavy(1, 1)
	started, hold := make(chan struct{}), make(chan struct{})
	var first sync.WaitGroup
	first.Go(func() { _ = h.Do(context.Background(), func() { close(started); <-hold }) })
	<-started
	gone, cancel := context.WithCancel(context.Background())
	cancel()
	require.ErrorIs(t, h.Do(gone, func() { t.Error("done for nobody") }), context.Canceled)
	close(hold)
	first.Wait()
	ran := false
	require.NoError(t, h.Do(context.Background(), func() { ran = true }))
	require.True(t, ran)
}

// An account has one piece of work in the queue of all: whatever else it asks for waits behind that, or is refused, and
// everyone else comes after one piece of it.
func TestAnAccountHasOnePlaceInTheQueue(t *testing.T) {
	h := NewHeavy(1, 2)
	started, hold := make(chan struct{}), make(chan struct{})
	var all sync.WaitGroup
	var refused atomic.Int32
	all.Go(func() { _ = h.DoFor(t.Context(), 1, func() { close(started); <-hold }) })
	<-started
	gone := make(chan struct{}, 10)
	for range 10 {
		all.Go(func() {
			if h.DoFor(t.Context(), 1, func() {}) != nil {
				refused.Add(1)
				gone <- struct{}{}
			}
		})
	}
	for range 10 - WaitingOwn {
		<-gone
	}
	var other atomic.Bool
	all.Go(func() {
		if err := h.DoFor(t.Context(), 2, func() { other.Store(true) }); err != nil {
			t.Error(err)
		}
	})
	close(hold)
	all.Wait()
	require.True(t, other.Load())
	require.Equal(t, int32(10-WaitingOwn), refused.Load())
	require.Empty(t, h.own, "nothing is kept of who has gone")
}

// However many accounts there are, they have so much in hand and no more: each piece holds what was sent.
func TestManyAccountsHoldLittle(t *testing.T) {
	h := NewHeavy(1, 2)
	started, hold := make(chan struct{}), make(chan struct{})
	var all sync.WaitGroup
	all.Go(func() { _ = h.DoFor(t.Context(), 1, func() { close(started); <-hold }) })
	<-started
	for range ofAll*3 - 1 { // they wait behind the first
		require.NotNil(t, h.enter(1))
	}
	require.ErrorIs(t, h.DoFor(t.Context(), 2, func() { t.Error("done past the bound") }), ErrBusy)
	require.NotContains(t, h.own, uint(2), "nothing is kept of who was refused")
	close(hold)
	all.Wait()
}
