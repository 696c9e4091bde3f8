package main

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"time"

	"golang.org/x/sync/errgroup"
)

// asked is what a page costs over connections when so many clients at once ask for it so many times each.
func asked(h http.Handler, path string, clients, asks int) (time.Duration, error) {
	server := httptest.NewServer(h)
	defer server.Close()
	transport := &http.Transport{MaxIdleConns: clients, MaxIdleConnsPerHost: clients, DisableCompression: true}
	client := &http.Client{Transport: transport}
	defer client.CloseIdleConnections()
	one := func() error {
		r, err := client.Get(server.URL + path)
		if err != nil {
			return err
		}
		defer r.Body.Close()
		if _, err = io.Copy(io.Discard, r.Body); err == nil && r.StatusCode != http.StatusOK {
			err = fmt.Errorf("%s: %d", path, r.StatusCode)
		}
		return err
	}
	cost, err := each(1, func() error {
		var all errgroup.Group
		for range clients {
			all.Go(func() error {
				for range asks {
					if err := one(); err != nil {
						return err
					}
				}
				return nil
			})
		}
		return all.Wait()
	})
	return cost / time.Duration(asks*clients), err
}
