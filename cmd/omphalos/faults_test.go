package main

import (
	"bytes"
	"log/slog"
	"testing"

	"github.com/stretchr/testify/require"
)

// What net/http says of a connection is in the program's log, without whose it was.
func TestFaultsNameNobody(t *testing.T) {
	var log bytes.Buffer
	l := faults(slog.New(slog.NewTextHandler(&log, nil)))
	l.Printf("http: TLS handshake error from %s: EOF", "203.0.113.9:40312")
	l.Printf("http: TLS handshake error from %s: bad certificate", "[2001:db8::9]:40312")
	require.Contains(t, log.String(), "TLS handshake error from a visitor: EOF")
	require.Contains(t, log.String(), "from a visitor: bad certificate")
	require.NotContains(t, log.String(), "203.0.113.9")
	require.NotContains(t, log.String(), "2001:db8")
	faults(nil).Print("nothing happens")
}
