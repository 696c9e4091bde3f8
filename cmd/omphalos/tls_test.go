package main

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"math/big"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// selfSigned writes a certificate for this machine and its key.
func selfSigned(t *testing.T, dir string) (cert, key string, pool *x509.CertPool) {
	t.Helper()
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	c := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "quiz.larkmoor.example"}, IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour), IsCA: true, BasicConstraintsValid: true}
	der, err := x509.CreateCertificate(rand.Reader, c, c, &private.PublicKey, private)
	require.NoError(t, err)
	keyDER, err := x509.MarshalECPrivateKey(private)
	require.NoError(t, err)
	cert, key = filepath.Join(dir, "cert.pem"), filepath.Join(dir, "key.pem")
	text := pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der})
	require.NoError(t, os.WriteFile(cert, text, 0o600))
	require.NoError(t, os.WriteFile(key, pem.EncodeToMemory(&pem.Block{Type: "EC PRIVATE KEY", Bytes: keyDER}), 0o600))
	pool = x509.NewCertPool()
	require.True(t, pool.AppendCertsFromPEM(text))
	return cert, key, pool
}

// The server speaks HTTPS with a certificate from files, keeps its figures at an address of their own, and says what is
// missing.
func TestHTTPSAndFiguresApart(t *testing.T) {
	program, dir := build(t), t.TempDir()
	cert, key, pool := selfSigned(t, dir)
	free, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	beside := free.Addr().String()
	require.NoError(t, free.Close())
	_, address := runAt(t, "https://", program, "serve", "--addr", "127.0.0.1:0", "--data", filepath.Join(dir, "data"), "--tls-cert", cert, "--tls-key", key, "--metrics", beside)
	require.True(t, strings.HasPrefix(address, "https://"), address)
	client := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool}, ForceAttemptHTTP2: true}}
	r, err := client.Get(address + "/healthz")
	require.NoError(t, err)
	require.Equal(t, 200, r.StatusCode)
	require.Equal(t, 2, r.ProtoMajor)
	r, err = client.Get(address + "/metrics")
	require.NoError(t, err)
	require.Equal(t, 404, r.StatusCode)
	r, err = http.Get("http://" + beside + "/metrics")
	require.NoError(t, err)
	require.Equal(t, 200, r.StatusCode)

	for said, args := range map[string][]string{
		"must be used together":                     {"--tls-cert", cert},
		"--tls-cert, --tls-key":                     {"--tls-cert", cert, "--tls-key", cert},
		"isn’t a network; use the form 10.1.0.0/16": {"--hooks-may-reach", "inside"},
	} {
		_, errs, code := command(t, program, dir, append([]string{"serve", "--addr", "127.0.0.1:0", "--data", filepath.Join(t.TempDir(), "data")}, args...)...)
		require.Equal(t, 1, code)
		require.Contains(t, errs, said)
	}
}
