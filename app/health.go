package app

import (
	"log/slog"
	"net/http"
	"net/netip"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/respond"
	"omphalos/app/store"
)

// health tells whether the database takes what is written to it. Anyone may ask: it is tried once a second.
type health struct {
	store   *store.Store
	closing <-chan struct{}
	mu      sync.Mutex
	tried   time.Time
	err     error
}

// ready tells whether anyone who shares out requests may send some here: not once the server is ending.
func (h *health) ready(c *gin.Context) {
	select {
	case <-h.closing:
		c.String(http.StatusServiceUnavailable, "ending\n")
	default:
		h.check(c)
	}
}

func (h *health) check(c *gin.Context) {
	h.mu.Lock()
	if time.Since(h.tried) > time.Second {
		h.tried, h.err = time.Now(), h.store.Takes()
	}
	err := h.err
	h.mu.Unlock()
	if err != nil {
		_ = c.Error(err)
		c.String(http.StatusServiceUnavailable, "the database can’t be written to; check whether the disk is full\n")
		return
	}
	c.String(http.StatusOK, "ok\n")
}

// untrusted warns, once, when forwarded addresses come from a proxy that is not trusted: then limits by address and
// the guard against programs take all visitors for one.
func untrusted(l *respond.Locator, log *slog.Logger) gin.HandlerFunc {
	var once sync.Once
	return func(c *gin.Context) {
		if c.GetHeader("X-Forwarded-For") == "" {
			return
		}
		peer, err := netip.ParseAddrPort(c.Request.RemoteAddr)
		if err != nil || l != nil && l.Trusts(peer.Addr().Unmap()) {
			return
		}
		once.Do(func() {
			log.Warn("An untrusted proxy forwards visitors’ addresses, so visitors can’t be told apart. "+
				"Add it with --trusted-proxy", "proxy", peer.Addr().String())
		})
	}
}
