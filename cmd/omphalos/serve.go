package main

import (
	"context"
	"crypto/rand"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"os"
	"os/signal"
	"runtime/debug"
	"strings"
	"syscall"
	"time"
	_ "time/tzdata" // quizzes have time zones, and not every machine knows them

	"github.com/oschwald/maxminddb-golang/v2"
	"github.com/spf13/cobra"
	"golang.org/x/net/netutil"

	"omphalos/app"
	"omphalos/app/hooks"
	"omphalos/app/limits"
	"omphalos/app/respond"
	"omphalos/app/store"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/demo"
	"omphalos/standins/countries"
	"omphalos/standins/larkmoor"
)

// grace is how long requests in flight may take to finish.
const grace = 15 * time.Second

// served are the flags of serve.
type served struct {
	addr, data, owner, logs, origin, metrics string

	certificate pair
	reach       []string
	geo         locatorFlags
}

func serveCommand() *cobra.Command {
	f := &served{}
	c := &cobra.Command{
		Use:   "serve",
		Short: "Serve quizzes from a data folder",
		Args:  cobra.NoArgs,
		RunE:  func(cmd *cobra.Command, _ []string) error { return f.run(cmd.Context()) },
	}
	c.Flags().StringVar(&f.addr, "addr", "127.0.0.1:8080", "address to listen on")
	c.Flags().StringVar(&f.data, "data", "data", "folder of the database")
	c.Flags().StringVar(&f.origin, "url", "",
		"address of the server as others reach it, such as https://quiz.larkmoor.example: "+
			"for links, codes and pictures of links")
	c.Flags().StringVar(&f.certificate.cert, "tls-cert", "",
		"file of a certificate and those above it (PEM): the server speaks HTTPS")
	c.Flags().StringVar(&f.certificate.key, "tls-key", "", "file of its key (PEM)")
	c.Flags().StringVar(&f.metrics, "metrics", "",
		"address of their own for figures for Prometheus, such as 127.0.0.1:9090; "+
			"without it they are at /metrics of the server")
	c.Flags().StringSliceVar(&f.reach, "hooks-may-reach", nil,
		"networks that are not public and may be told of events, such as 10.1.0.0/16")
	f.geo.add(c)
	c.Flags().StringVar(&f.logs, "log", "text", "how the log on standard error is written: text, json or none")
	c.Flags().StringVar(&f.owner, "owner-email", "",
		"on the first start, make the owner's account with this e-mail address; "+
			"the password is taken from OMPHALOS_OWNER_PASSWORD, else made up and printed")
	return c
}

// run serves until it is told to end.
func (f *served) run(ctx context.Context) error {
	s, err := store.Open(f.data)
	if err != nil {
		return err
	}
	defer s.Close()
	if err := makeOwner(s, f.owner); err != nil {
		return err
	}
	o, err := f.options(s)
	if err != nil {
		return err
	}
	allowed, err := prefixes(f.reach)
	if err != nil {
		return err
	}
	identity, err := f.certificate.load()
	if err != nil {
		return err
	}
	if f.metrics != "" {
		beside, err := listen(f.metrics)
		if err != nil {
			return fmt.Errorf("--metrics: %w", err)
		}
		defer beside.Close()
		figures := &http.Server{Handler: metricsOnly(o.Metrics), ReadHeaderTimeout: 10 * time.Second}
		go func() { _ = figures.Serve(beside) }() // ends with the program
	}
	return serve(ctx, s, place{f.addr, identity}, o, allowed, func(url string) {
		fmt.Printf("Omphalos serves at %s\n", url)
		if o.SetUp != "" {
			fmt.Printf("Make the owner's account at %s/set-up/%s (this link works once)\n", url, o.SetUp)
		}
	})
}

// options are those of the program itself; without an owner there is a link to make one.
func (f *served) options(s *store.Store) (o app.Options, err error) {
	o = app.Options{Now: time.Now, Origin: f.origin, Metrics: app.NewMetrics(s), Shown: f.metrics == ""}
	if o.Locator, err = f.geo.locator(); err != nil {
		return o, err
	}
	if o.Log, err = newLog(f.logs); err != nil {
		return o, err
	}
	if _, err := fill.ParseAddress(f.origin); f.origin != "" && err != nil {
		return o, fmt.Errorf("--url: %w", err)
	}
	has, err := s.HasOwner()
	if !has {
		o.SetUp = madeUp()
	}
	return o, err
}

// metricsOnly answers with the figures and nothing else.
func metricsOnly(m *app.Metrics) http.Handler {
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", m.Handler())
	return mux
}

// newLog makes the program's log. It tells routes and never addresses, nor who asked.
func newLog(how string) (*slog.Logger, error) {
	switch how {
	case "text":
		return slog.New(slog.NewTextHandler(os.Stderr, nil)), nil
	case "json":
		return slog.New(slog.NewJSONHandler(os.Stderr, nil)), nil
	case "none":
		return slog.New(slog.DiscardHandler), nil
	}
	return nil, fmt.Errorf("--log: %q is not text, json or none", how)
}

// makeOwner makes the first account without the form.
func makeOwner(s *store.Store, email string) error {
	if email == "" {
		return nil
	}
	if has, err := s.HasOwner(); err != nil || has {
		return err
	}
	if !quiz.ValidEmail(email) {
		return fmt.Errorf("--owner-email: %q is not an e-mail address", email)
	}
	password := os.Getenv("OMPHALOS_OWNER_PASSWORD")
	if password == "" {
		password = madeUp()
		fmt.Printf("The owner %s signs in with the password %s\n", email, password)
	}
	_, err := s.CreateOwner(email, password)
	return err
}

// madeUp is a password or a token that nobody guesses.
func madeUp() string { return strings.ToLower(rand.Text())[:16] }

func demoCommand() *cobra.Command {
	var addr, data string
	c := &cobra.Command{
		Use:   "demo",
		Short: "Serve the demonstration: an invented company, its quizzes, its responses and its sites",
		Args:  cobra.NoArgs,
		RunE:  func(cmd *cobra.Command, _ []string) error { return runDemo(cmd.Context(), addr, data) },
	}
	c.Flags().StringVar(&addr, "addr", "127.0.0.1:8080",
		"address to listen on; the invented company's sites take the next port")
	c.Flags().StringVar(&data, "data", "data/demo", "folder of the database")
	return c
}

func runDemo(ctx context.Context, addr, data string) error {
	sites, err := nextPort(addr)
	if err != nil {
		return err
	}
	l, err := listen(sites)
	if err != nil {
		return err
	}
	defer l.Close()
	s, err := store.Open(data)
	if err != nil {
		return err
	}
	defer s.Close()
	password := madeUp()
	if err := demo.Fill(s, "http://"+l.Addr().String(), password, time.Now()); err != nil {
		return err
	}
	made, err := countries.Database()
	if err != nil {
		return err
	}
	reader, err := maxminddb.OpenBytes(made)
	if err != nil {
		return err
	}
	o := app.Options{OneClick: madeUp(), Locator: &respond.Locator{Database: reader}}
	loopback := []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8"), netip.MustParsePrefix("::1/128")}
	return serve(ctx, s, place{address: addr}, o, loopback, func(url string) {
		standins := &http.Server{Handler: larkmoor.Handler(url), ReadHeaderTimeout: 10 * time.Second}
		go func() { _ = standins.Serve(l) }() // ends with the program
		fmt.Printf(
			"Omphalos runs at          %s\n"+
				"Sign in with one click at %s/demo/%s\n"+
				"  (once; or as %s with the password %s)\n"+
				"Quizzes to answer         %s/q/living-wall, /q/windowsill, /q/watering\n"+
				"Larkmoor's own sites      http://%s (what another program is told: /receiver)\n",
			url,
			url,
			o.OneClick,
			demo.Owner,
			password,
			url,
			l.Addr(),
		)
	})
}

// nextPort is the address with its port one higher; port 0 stays 0.
func nextPort(addr string) (string, error) {
	host, port, err := net.SplitHostPort(addr)
	if err != nil {
		return "", fmt.Errorf("--addr %s: write it as 127.0.0.1:8080", addr)
	}
	n, err := net.LookupPort("tcp", port)
	if err != nil {
		return "", fmt.Errorf("--addr %s: %q is not a port", addr, port)
	}
	if n > 0 {
		n++
	}
	return net.JoinHostPort(host, fmt.Sprint(n)), nil
}

func listen(addr string) (net.Listener, error) {
	l, err := net.Listen("tcp", addr)
	if errors.Is(err, syscall.EADDRINUSE) {
		return nil, fmt.Errorf("%s is taken by another program: end it, or choose another with --addr", addr)
	}
	return l, err
}

// place is where a server listens, and what it proves to be there; without that it speaks plain HTTP.
type place struct {
	address  string
	identity *tls.Certificate
}

// pair are the files of a certificate and its key.
type pair struct{ cert, key string }

// load reads them; nil where none are named.
func (p pair) load() (*tls.Certificate, error) {
	switch {
	case p.cert == "" && p.key == "":
		return nil, nil
	case p.cert == "" || p.key == "":
		return nil, errors.New("--tls-cert and --tls-key go together: name both files")
	}
	c, err := tls.LoadX509KeyPair(p.cert, p.key)
	if err != nil {
		return nil, fmt.Errorf("--tls-cert, --tls-key: %w", err)
	}
	return &c, nil
}

// serve runs until it is told to end, then lets requests in flight finish.
//
// hooksReach are networks that are not public and may be told of events; started is called with the address.
func serve(
	ctx context.Context, s *store.Store, at place, o app.Options, hooksReach []netip.Prefix, started func(url string),
) error {
	closing := make(chan struct{})
	o.Closing = closing
	l, err := listen(at.address)
	if err != nil {
		return err
	}
	if o.OneClick != "" {
		o.Origin = "http://" + l.Addr().String() // of the demonstration, which is reached from this machine alone
	}
	handler, err := app.New(s, o)
	if err != nil {
		l.Close()
		return err
	}
	l = netutil.LimitListener(l, limits.Connections)
	if os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(limits.Memory)
	}
	ctx, stop := signal.NotifyContext(ctx, os.Interrupt, syscall.SIGTERM)
	defer stop()
	server := &http.Server{Handler: handler}
	limits.Server(server)
	server.RegisterOnShutdown(func() { close(closing) })
	go purgeDaily(ctx, s, o.Log)
	told := make(chan struct{})
	go func() {
		(&hooks.Sender{Store: s, Now: time.Now, Log: o.Log, Allowed: hooksReach}).Run(ctx)
		close(told)
	}()
	defer func() { stop(); <-told }() // what is being sent is settled before the database closes
	failed := make(chan error, 1)
	scheme := "http"
	if at.identity != nil {
		scheme = "https"
		server.TLSConfig = &tls.Config{Certificates: []tls.Certificate{*at.identity}, MinVersion: tls.VersionTLS12}
		go func() { failed <- server.ServeTLS(l, "", "") }()
	} else {
		go func() { failed <- server.Serve(l) }()
	}
	started(scheme + "://" + l.Addr().String())
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	fmt.Fprintln(os.Stderr, "omphalos: finishing what is under way")
	end, cancel := context.WithTimeout(context.Background(), grace)
	defer cancel()
	if err := server.Shutdown(end); err != nil { // somebody is slower than the grace: what was acknowledged is stored
		fmt.Fprintln(os.Stderr, "omphalos: some requests did not end in time and are cut off")
		return server.Close()
	}
	return nil
}

// prefixes reads networks, or single addresses.
func prefixes(texts []string) ([]netip.Prefix, error) {
	var out []netip.Prefix
	for _, text := range texts {
		p, err := netip.ParsePrefix(text)
		if a, alone := netip.ParseAddr(text); alone == nil {
			p, err = a.Prefix(a.BitLen())
		}
		if err != nil {
			return nil, fmt.Errorf("--hooks-may-reach: %q is no network: write it as 10.1.0.0/16", text)
		}
		out = append(out, p)
	}
	return out, nil
}

// purgeDaily erases what has been in the bin for long enough, and what is held no longer.
func purgeDaily(ctx context.Context, s *store.Store, log *slog.Logger) {
	tick := time.NewTicker(time.Hour)
	defer tick.Stop()
	for {
		select {
		case <-tick.C:
			if err := s.PurgeOld(); err != nil && log != nil {
				log.Error("purge", "error", err)
			}
		case <-ctx.Done():
			return
		}
	}
}
