package main

import (
	"context"
	"fmt"
	"net"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app"
	"omphalos/app/store"
)

// Anyone who sends one byte and waits does not keep the server from ending: it cuts them off when its grace is over.
func TestTheServerEndsThoughSomebodyWaits(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	ctx, end := context.WithCancel(context.Background())
	defer end()
	at, ended := make(chan string, 1), make(chan error, 1)
	go func() {
		ended <- serve(ctx, s, place{address: "127.0.0.1:0"}, app.Options{}, nil, func(url string) { at <- url })
	}()
	address := strings.TrimPrefix(<-at, "http://")
	for range 20 {
		c, err := net.Dial("tcp", address)
		require.NoError(t, err)
		defer c.Close()
		_, err = fmt.Fprintf(c, "POST /sign-in HTTP/1.1\r\nHost: %s\r\nContent-Length: 10000\r\n\r\nx", address)
		require.NoError(t, err)
	}
	end()
	require.NoError(t, <-ended)
}
