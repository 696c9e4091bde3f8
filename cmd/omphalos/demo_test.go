package main

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
	"omphalos/demo"
)

// The demonstration has one password permanently: anyone who signed in stays signed in. A folder of a program that kept
// none gets one.
func TestTheDemonstrationKeepsItsPassword(t *testing.T) {
	dir := t.TempDir()
	s, err := store.Open(dir)
	require.NoError(t, err)
	defer s.Close()
	first, err := demoPassword(s, dir)
	require.NoError(t, err)
	require.Len(t, first, 16)
	owner, err := s.People.CreateOwner(demo.Owner, first)
	require.NoError(t, err)
	token, err := s.People.StartSession(owner)
	require.NoError(t, err)
	again, err := demoPassword(s, dir)
	require.NoError(t, err)
	require.Equal(t, first, again)
	_, err = s.People.SessionAccount(token)
	require.NoError(t, err, "nobody is signed out")

	require.NoError(t, os.Remove(filepath.Join(dir, "demo-password")))
	other, err := demoPassword(s, dir)
	require.NoError(t, err)
	require.NotEqual(t, first, other)
	_, err = s.People.CheckPassword(demo.Owner, other)
	require.NoError(t, err)
}
