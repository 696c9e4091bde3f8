// Package app puts the rooms together into one web server.
package app

import (
	"net/http"

	"github.com/gin-contrib/gzip"
	"github.com/gin-gonic/gin"

	"omphalos/app/account"
	"omphalos/app/endings"
	"omphalos/app/exchange"
	"omphalos/app/home"
	"omphalos/app/launch"
	"omphalos/app/leads"
	"omphalos/app/media"
	"omphalos/app/page"
	"omphalos/app/paths"
	"omphalos/app/respond"
	"omphalos/app/script"
	"omphalos/app/store"
	"omphalos/app/verdicts"
	"omphalos/app/workbench"
)

// Options of a server.
type Options struct {
	OneClick string           // token of a link that signs in as the owner; "" for none
	Locator  *respond.Locator // tells visitors' countries; nil knows none
	Patient  bool             // nobody is too fast: for tests under load
}

// New makes the handler of the whole program.
func New(s *store.Store, o Options) (http.Handler, error) {
	gin.SetMode(gin.ReleaseMode)
	g := gin.New()
	g.HandleMethodNotAllowed = true
	if err := g.SetTrustedProxies(nil); err != nil {
		return nil, err
	}
	g.Use(recovery, headers)
	g.NoRoute(page.NotFound)
	g.NoMethod(func(c *gin.Context) {
		page.Fail(c, http.StatusMethodNotAllowed, "This address does not take that", "Go back and try another way.")
	})
	g.GET("/healthz", func(c *gin.Context) {
		if _, err := s.HasOwner(); err != nil {
			c.String(http.StatusServiceUnavailable, "the database does not answer: %v\n", err)
			return
		}
		c.String(http.StatusOK, "ok\n")
	})
	g.GET("/assets/*name", page.ServeAssets)

	respondents, err := respond.New(s, o.Locator)
	if err != nil {
		return nil, err
	}
	if o.Patient {
		respondents.Patient()
	}
	respondents.Routes(g)
	pictures := &media.Library{Store: s}
	pictures.Public(g)

	guard := http.NewCrossOriginProtection()
	own := g.Group("/", func(c *gin.Context) {
		if err := guard.Check(c.Request); err != nil {
			page.Fail(c, http.StatusForbidden, "That came from another site", "Open the page here and try again.")
		}
	})
	own.Use(gzip.Gzip(gzip.BestSpeed, gzip.WithExcludedExtensions([]string{".png", ".jpg", ".webp", ".xlsx"}))) // a long script is most of a megabyte
	accounts := &account.Room{Store: s, OneClick: o.OneClick}
	accounts.Routes(own)
	signedIn := own.Group("/", accounts.Require)
	ledger := &home.Room{Store: s, Forget: respondents.Forget}
	ledger.Routes(signedIn)

	bench := &workbench.Bench{Store: s}
	launches := &launch.Desk{Store: s, Bench: bench, Forget: respondents.Forget}
	readers := &leads.Desk{Store: s, Bench: bench}
	finals := &endings.Desk{Store: s, Bench: bench, Forget: respondents.Forget, Pages: respondents}
	maps := &paths.Desk{Bench: bench, Store: s}
	writers := &script.Desk{Bench: bench, Store: s}
	judges := &verdicts.Desk{Bench: bench}
	bench.Rooms = []workbench.Room{writers.Room(), judges.Room(), maps.Room(), finals.Room(), launches.Room(), readers.Room()}
	bench.Routes(signedIn)
	pictures.Routes(signedIn)
	writers.Routes(signedIn)
	maps.Routes(signedIn)
	finals.Routes(signedIn)
	(&exchange.Desk{Store: s, Bench: bench}).Routes(signedIn)
	judges.Routes(signedIn)
	launches.Routes(signedIn)
	readers.Routes(signedIn)
	return g, nil
}

// headers are the security headers of every page; respondents' pages loosen them.
func headers(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; frame-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("X-Frame-Options", "DENY")
	h.Set("Referrer-Policy", "same-origin")
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	h.Set("Permissions-Policy", "camera=(), microphone=(), geolocation=()")
}

func recovery(c *gin.Context) {
	gin.CustomRecovery(func(c *gin.Context, _ any) {
		page.Fail(c, http.StatusInternalServerError, "Something went wrong here", "It has been written to the log. Go back and try again.")
	})(c)
}
