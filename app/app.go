// Package app puts the rooms together into one web server.
package app

import (
	"context"
	"log/slog"
	"maps"
	"net"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/klauspost/compress/gzhttp"

	"omphalos/app/account"
	"omphalos/app/api"
	"omphalos/app/counting"
	"omphalos/app/delivery"
	"omphalos/app/edit"
	"omphalos/app/endings"
	"omphalos/app/engine"
	"omphalos/app/exchange"
	"omphalos/app/guide"
	"omphalos/app/home"
	"omphalos/app/kit"
	"omphalos/app/launch"
	"omphalos/app/leads"
	"omphalos/app/limits"
	"omphalos/app/media"
	"omphalos/app/messages"
	"omphalos/app/page"
	"omphalos/app/paths"
	"omphalos/app/people"
	"omphalos/app/rehearse"
	"omphalos/app/respond"
	"omphalos/app/rights"
	"omphalos/app/route"
	"omphalos/app/script"
	"omphalos/app/starters"
	"omphalos/app/store"
	"omphalos/app/verdicts"
	"omphalos/app/workbench"
)

// Options of a server.
type Options struct {
	OneClick string            // token of a link that signs in as the owner, once; "" for none
	SetUp    string            // token of a link to make the owner's account, once; "" for none
	Locator  *respond.Locator  // tells visitors' countries; nil knows none
	Patient  bool              // no one is too fast: for tests under load
	Origin   string            // address of the server as others reach it, "" where that is not known
	Now      func() time.Time  // the clock; nil is the machine's
	Log      *slog.Logger      // nil discards
	Closing  <-chan struct{}   // closed when the server ends: streams end at once
	OIDC     *account.Provider // another way to sign in; nil for none
	Mail     delivery.Settings // how mail leaves; without a host it waits
	Metrics  *Metrics          // what is counted for Prometheus; nil is nothing
	Shown    bool              // the metrics are an address of this server too
	Hearing  context.Context   // until its end it is heard what other servers on the database change; nil hears nothing
}

// New makes the handler of the whole program.
func New(s *store.Store, o Options) (http.Handler, error) {
	g, err := router(s, o)
	if err != nil {
		return nil, err
	}
	go page.ParseAll()
	compress, err := gzhttp.NewWrapper(
		gzhttp.MinSize(1400),
		gzhttp.ContentTypeFilter(compressible),
		gzhttp.CompressionLevel(1),
	)
	if err != nil {
		return nil, err
	}
	return page.Heads(compress(g)), nil
}

// router has every address of the program with what guards it.
func router(s *store.Store, o Options) (*gin.Engine, error) {
	if o.Now == nil {
		o.Now = time.Now
	}
	if o.Log == nil {
		o.Log = slog.New(slog.DiscardHandler)
	}
	gin.SetMode(gin.ReleaseMode)
	g := gin.New()
	g.HandleMethodNotAllowed = true
	g.RemoteIPHeaders = []string{"X-Forwarded-For"}
	if err := g.SetTrustedProxies(o.Locator.Proxies()); err != nil {
		return nil, err
	}
	g.UseRawPath, g.UnescapePathValues = true, false // a part of an address may hold a slash, as %2F
	g.MaxMultipartMemory = 1 << 20                   // what is larger waits in a file
	if o.Metrics != nil {
		g.Use(o.Metrics.observe)
	}
	g.Use(unescaped, page.Requests(o.Log), page.Recover(o.Log), headers, untrusted(o.Locator, o.Log), limits.Bounded)
	g.NoRoute(func(c *gin.Context) {
		if api.Lost(c, http.StatusNotFound) {
			return
		}
		page.NotFound(c)
	})
	g.NoMethod(func(c *gin.Context) {
		if api.Lost(c, http.StatusMethodNotAllowed) {
			return
		}
		if goUp(c, g.Routes()) {
			return
		}
		page.Fail(c, http.StatusMethodNotAllowed, "This action isn’t available here", "Go back and try again.")
	})
	h := &health{store: s, closing: o.Closing}
	g.GET("/healthz", h.check)
	g.GET("/readyz", h.ready)
	if o.Metrics != nil && o.Shown {
		g.GET("/metrics", fromHere, gin.WrapH(o.Metrics.Handler()))
	}
	g.GET("/assets/*name", page.ServeAssets)
	return g, routes(g, s, o)
}

// unescaped gives handlers the parts of an address as they were meant, where gin matched them as they were written.
func unescaped(c *gin.Context) {
	if c.Request.URL.RawPath == "" {
		return
	}
	for i := range c.Params {
		if meant, err := url.PathUnescape(c.Params[i].Value); err == nil {
			c.Params[i].Value = meant
		}
	}
}

// fromHere lets only programs of this machine in: none that a proxy speaks for, which is of this machine too.
func fromHere(c *gin.Context) {
	host, _, _ := net.SplitHostPort(c.Request.RemoteAddr)
	ip := net.ParseIP(host)
	proxied := c.GetHeader("X-Forwarded-For") != "" || c.GetHeader("Forwarded") != "" || c.GetHeader("Via") != ""
	if ip == nil || !ip.IsLoopback() || proxied {
		page.NotFound(c)
		c.Abort()
	}
}

// compressible are the types that are compressed as they are sent: pages of the workbench, tables, scripts and
// styles. Pages of respondents come compressed, and a stream of events must not be held back.
func compressible(kind string) bool {
	kind, _, _ = strings.Cut(kind, ";")
	switch kind {
	case "text/html", "text/css", "text/javascript", "application/json", "text/csv", "image/svg+xml":
		return true
	}
	return false
}

// routes adds the addresses of respondents and of every room.
func routes(g *gin.Engine, s *store.Store, o Options) error {
	accounts := account.New(s, o.OneClick, o.SetUp)
	accounts.Origin, accounts.Mail, accounts.OIDC = o.Origin, o.Mail.On() && o.Origin != "", o.OIDC
	accounts.Log, accounts.Now = o.Log, o.Now
	g.Use(door(accounts, &rights.Guard{Store: s})...)
	accounts.Routes(g)
	how := engine.Options{Now: o.Now, Prepare: respond.Prepare, Patient: o.Patient, Origin: o.Origin}
	ways, err := engine.New(s, how)
	if err != nil {
		return err
	}
	respondents := &respond.Handler{Engine: ways, Locator: o.Locator}
	respondents.Routes(g)
	(&kit.Handler{Engine: ways}).Routes(g)
	heavy := func() *limits.Heavy { return limits.NewHeavy(limits.Files, limits.WaitingFiles) }
	pictures := &media.Handler{Store: s, Heavy: heavy(), Who: func(c *gin.Context) uint { return account.Of(c).ID }}
	pictures.Public(g)
	links, err := engine.NewLinks(s)
	if err != nil {
		return err
	}
	(&delivery.Handler{Store: s, Links: links}).Public(g)

	counts := counting.New()
	editor := edit.New(s, counts, o.Now)
	editor.Acts = workbench.Acts()
	maps.Copy(editor.Acts, script.Acts())
	maps.Copy(editor.Acts, verdicts.Acts())
	maps.Copy(editor.Acts, endings.Acts())
	if o.Hearing != nil {
		go editor.Hear(o.Hearing)
	}
	(&api.Handler{Store: s, Editor: editor, Counts: counts, Origin: o.Origin, Now: o.Now, Log: o.Log}).Routes(g)
	(&home.Handler{Store: s, Editor: editor, Now: o.Now}).Routes(g)
	(&people.Handler{Store: s}).Routes(g)
	(&guide.Handler{}).Routes(g)
	(&starters.Handler{Editor: editor}).Routes(g)
	bench := workbench.New(s, editor, counts)
	bench.Closing = o.Closing
	pictures.Routes(g)
	(&exchange.Handler{Store: s, Bench: bench, Heavy: heavy()}).Routes(g)
	rooms(g, bench, respondents, o)
	return nil
}

// door is what every request passes as its route says: nothing comes from other sites, and what needs a sign-in has an
// account with the right. The API has a door of its own.
func door(accounts *account.Handler, guard *rights.Guard) []gin.HandlerFunc {
	ours := http.NewCrossOriginProtection()
	origin := func(c *gin.Context) {
		if err := ours.Check(c.Request); err != nil {
			page.Fail(c, http.StatusForbidden, "This request came from another site", "Open the page in Omphalos and try again.")
		}
	}
	where := func(applies func(route.Route) bool, check gin.HandlerFunc) gin.HandlerFunc {
		return func(c *gin.Context) {
			pattern := c.FullPath()
			if pattern == "" || route.OfAPI(pattern) {
				return
			}
			if at, _ := route.Of(c.Request.Method, pattern); applies(at) {
				check(c)
			}
		}
	}
	closed := func(at route.Route) bool { return at.Right != route.Open } // also what has no rule
	return []gin.HandlerFunc{
		where(func(at route.Route) bool { return !at.Elsewhere }, origin),
		where(closed, accounts.Require),
		where(closed, guard.Check),
	}
}

// rooms adds the rooms of the workbench, in their order.
func rooms(g *gin.Engine, bench *workbench.Handler, respondents *respond.Handler, o Options) {
	s, ways := bench.Store, respondents.Engine
	rehearsals := &rehearse.Handler{Bench: bench, Engine: ways, Pages: respondents}
	rehearsals.Public(g)
	readers := leads.New(s, bench, o.Now)
	readers.Public(g)
	for _, h := range []interface {
		Room() workbench.Room
		Routes(gin.IRouter)
	}{
		&script.Handler{Bench: bench, Store: s},
		&verdicts.Handler{Bench: bench},
		&paths.Handler{Bench: bench, Store: s},
		&endings.Handler{Store: s, Bench: bench, Pages: respondents},
		&messages.Handler{Store: s, Bench: bench, Mail: o.Mail, Origin: o.Origin, Now: o.Now},
		rehearsals,
		&launch.Handler{Store: s, Bench: bench, Engine: ways, Origin: o.Origin, Mails: o.Mail.Host != "" && o.Origin != ""},
		readers,
	} {
		bench.Rooms = append(bench.Rooms, h.Room())
		h.Routes(g)
	}
	bench.Routes(g)
}

// policy is that of every page; respondents' pages loosen it.
const policy = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; " +
	"font-src 'self'; connect-src 'self'; frame-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"

// headers are the security headers of every page.
func headers(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", policy)
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("X-Frame-Options", "DENY")
	h.Set("Referrer-Policy", "same-origin")
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	h.Set("Permissions-Policy", "camera=(), microphone=(), geolocation=()")
	if page.IsSecure(c.Request) { // browsers that have come by HTTPS come by nothing else (RFC 6797)
		h.Set("Strict-Transport-Security", "max-age=31536000")
	}
}
