package main

import (
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
)

// Whoever has lost the password gets another one on the machine itself, and every sign-in ends.
func TestAnotherPassword(t *testing.T) {
	program, dir := build(t), t.TempDir()
	s, err := store.Open(dir)
	require.NoError(t, err)
	a, err := s.CreateOwner("ada@larkmoor.example", madeUp())
	require.NoError(t, err)
	token, err := s.StartSession(a)
	require.NoError(t, err)
	require.NoError(t, s.Close())

	out, errs, code := command(t, program, dir, "password", "ADA@larkmoor.example", "--data", dir)
	require.Zero(t, code, errs)
	made := strings.Fields(strings.SplitN(out, "has the password ", 2)[1])[0]
	typed := exec.Command(program, "password", "ada@larkmoor.example", "--data", dir, "--stdin")
	for password, want := range map[string]string{"short\n": "at least 10", "": "no password on standard input"} {
		typed := exec.Command(program, "password", "ada@larkmoor.example", "--data", dir, "--stdin")
		typed.Stdin = strings.NewReader(password)
		said, err := typed.CombinedOutput()
		require.Error(t, err)
		require.Contains(t, string(said), want)
	}
	s, err = store.Open(dir)
	require.NoError(t, err)
	_, err = s.CheckPassword("ada@larkmoor.example", made)
	require.NoError(t, err)
	_, err = s.SessionAccount(token)
	require.Error(t, err, "signed out everywhere")
	_, errs, code = command(t, program, dir, "password", "ada@larkmoor.example", "--data", dir)
	require.Equal(t, 1, code, "while a server runs")
	require.NotEmpty(t, errs)
	require.NoError(t, s.Close())

	typed.Stdin = strings.NewReader("a longer one by far\n")
	said, err := typed.CombinedOutput()
	require.NoError(t, err, string(said))
	require.NotContains(t, string(said), "a longer one")
	_, errs, code = command(t, program, dir, "password", "bob@larkmoor.example", "--data", dir)
	require.Equal(t, 1, code)
	require.Contains(t, errs, "there is no account of bob@larkmoor.example")
}
