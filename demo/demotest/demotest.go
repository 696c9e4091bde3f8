// Package demotest gives tests a database with the demonstration in it. Filling one takes a second, so each test
// process does it once and copies the result.
package demotest

import (
	"errors"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
	"omphalos/demo"
)

// Password is that of the owner.
const Password = "larkmoor-tests"

// Sites is the address of the invented company's sites, where nobody answers.
const Sites = "http://127.0.0.1:1"

// filled is the file of a closed database.
var filled = sync.OnceValues(func() ([]byte, error) {
	dir, err := os.MkdirTemp("", "omphalos-demo-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	s, err := store.Open(dir, store.Options{})
	if err != nil {
		return nil, err
	}
	if err = errors.Join(demo.Fill(s, Sites, Password, time.Now()), s.Close()); err != nil {
		return nil, err
	}
	return os.ReadFile(filepath.Join(dir, store.File))
})

// Fill puts the filled database into an empty folder, before a store is opened there.
func Fill(t testing.TB, dir string) {
	t.Helper()
	data, err := filled()
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, store.File), data, 0o600))
}
