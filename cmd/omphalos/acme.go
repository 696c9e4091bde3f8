package main

import (
	"crypto/tls"
	"fmt"
	"net/http"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"
	protocol "golang.org/x/crypto/acme"
	"golang.org/x/crypto/acme/autocert"
)

// acme has certificates made and renewed by an authority (RFC 8555). It proves that it holds a name by TLS-ALPN-01
// (RFC 8737) on the server's own address, which must be reached at port 443, or by HTTP-01 at port 80.
type acme struct {
	domains                []string
	email, directory, http string

	manager *autocert.Manager
}

func (a *acme) add(c *cobra.Command) {
	c.Flags().StringSliceVar(&a.domains, "acme", nil,
		"host names of this server, such as quiz.larkmoor.example; gets and renews their certificates through ACME; "+
			"the server must be reachable on port 443")
	c.Flags().StringVar(&a.email, "acme-email", "", "email address for the certificate authority’s expiry warnings")
	c.Flags().
		StringVar(&a.directory, "acme-directory", autocert.DefaultACMEDirectory, "address of the authority's directory")
	c.Flags().StringVar(&a.http, "acme-http", "",
		"address such as :80 for ACME challenges; other requests there are redirected to HTTPS")
}

// config has certificates made when they are first asked for, and keeps them in the data folder; nil without names.
func (a *acme) config(data string) *tls.Config {
	if len(a.domains) == 0 {
		return nil
	}
	a.manager = &autocert.Manager{
		Prompt: autocert.AcceptTOS, Email: a.email, HostPolicy: autocert.HostWhitelist(a.domains...),
		Cache:  autocert.DirCache(filepath.Join(data, "certificates")),
		Client: &protocol.Client{DirectoryURL: a.directory},
	}
	c := a.manager.TLSConfig()
	c.MinVersion = tls.VersionTLS12
	return c
}

// answer answers the authority at an address of its own, where one is named; the other function ends that.
func (a *acme) answer() (end func(), err error) {
	if a.http == "" || a.manager == nil {
		return func() {}, nil
	}
	l, err := listen(a.http)
	if err != nil {
		return nil, fmt.Errorf("--acme-http: %w", err)
	}
	server := &http.Server{Handler: a.manager.HTTPHandler(nil), ReadHeaderTimeout: 10 * time.Second}
	go func() { _ = server.Serve(l) }() // ends with the program
	return func() { _ = server.Close() }, nil
}
