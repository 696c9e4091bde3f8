package main

import (
	"net/http"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
)

// Anyone who has lost the password gets another one on the machine itself, and every sign-in ends.
func TestAnotherPassword(t *testing.T) {
	program, dir := build(t), t.TempDir()
	s, err := store.Open(dir)
	require.NoError(t, err)
	a, err := s.People.CreateOwner("ada@larkmoor.example", madeUp())
	require.NoError(t, err)
	token, err := s.People.StartSession(a)
	require.NoError(t, err)
	require.NoError(t, s.Close())

	out, errs, code := command(t, program, dir, "password", "ADA@larkmoor.example", "--data", dir)
	require.Zero(t, code, errs)
	made := strings.TrimSuffix(strings.Fields(strings.SplitN(out, " is ", 2)[1])[0], ";")
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
	_, err = s.People.CheckPassword("ada@larkmoor.example", made)
	require.NoError(t, err)
	_, err = s.People.SessionAccount(token)
	require.Error(t, err, "signed out everywhere")
	out, errs, code = command(t, program, dir, "password", "ada@larkmoor.example", "--data", dir)
	require.Zero(t, code, "while a server runs: %s", errs)
	_, err = s.People.CheckPassword("ada@larkmoor.example", strings.TrimSuffix(strings.Fields(strings.SplitN(out, " is ", 2)[1])[0], ";"))
	require.NoError(t, err, "which knows of it at once")
	require.NoError(t, s.Close())

	typed.Stdin = strings.NewReader("a longer one by far\n")
	said, err := typed.CombinedOutput()
	require.NoError(t, err, string(said))
	require.NotContains(t, string(said), "a longer one")
	_, errs, code = command(t, program, dir, "password", "bob@larkmoor.example", "--data", dir)
	require.Equal(t, 1, code)
	require.Contains(t, errs, "there’s no account for bob@larkmoor.example")
}

// A token and people are made while a server runs, and hold at once; what cannot be is said.
func TestTokensAndPeopleOnTheMachine(t *testing.T) {
	program, dir := build(t), t.TempDir()
	_, errs, code := command(t, program, dir, "token", "--data", dir, "--account", "ada@larkmoor.example")
	require.Equal(t, 1, code)
	require.Contains(t, errs, "no database found in")
	s, err := store.Open(dir)
	require.NoError(t, err)
	_, err = s.People.CreateOwner("ada@larkmoor.example", madeUp())
	require.NoError(t, err)
	require.NoError(t, s.Close())
	_, address := run(t, program, "serve", "--addr", "127.0.0.1:0", "--data", dir)

	ask := func(token string) int {
		r, err := http.NewRequest("GET", address+"/api/v1/quizzes", nil)
		require.NoError(t, err)
		r.Header.Set("Authorization", "Bearer "+token)
		w, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		w.Body.Close()
		return w.StatusCode
	}
	out, errs, code := command(t, program, dir, "token", "--data", dir, "--account", "Ada@larkmoor.example", "--scopes", "read,write")
	require.Zero(t, code, errs)
	token := strings.TrimSpace(out)
	require.Regexp(t, "^omp_[A-Za-z0-9_-]{43}$", token)
	require.Equal(t, 200, ask(token))
	require.Equal(t, 401, ask(token[:len(token)-1]))
	for _, c := range []struct {
		args []string
		want string
	}{
		{[]string{"token", "--account", "bob@larkmoor.example"}, "there’s no account for bob"},
		{[]string{"token", "--account", "ada@larkmoor.example", "--scopes", "all"}, "isn’t read or write"},
		{[]string{"token"}, "--account"},
		{[]string{"user", "add", "bob"}, "isn’t an email address"},
		{[]string{"user", "add", "bob@larkmoor.example", "--role", "king"}, "owner, editor or viewer"},
		{[]string{"user", "remove", "ada@larkmoor.example"}, "there must be at least one owner; make someone else an owner first"},
		{[]string{"user", "role", "ada@larkmoor.example", "viewer"}, "there must be at least one owner; make someone else an owner first"},
	} {
		_, errs, code := command(t, program, dir, append(c.args, "--data", dir)...)
		require.Equal(t, 1, code, c.args)
		require.Contains(t, errs, c.want)
	}
	out, errs, code = command(t, program, dir, "user", "add", "bob@larkmoor.example", "--role", "owner", "--data", dir)
	require.Zero(t, code, errs)
	require.Contains(t, out, "Created bob@larkmoor.example with the password")
	_, errs, code = command(t, program, dir, "user", "role", "ada@larkmoor.example", "viewer", "--data", dir)
	require.Zero(t, code, errs)
	out, _, _ = command(t, program, dir, "user", "--data", dir)
	require.Regexp(t, `ada@larkmoor\.example +viewer +all quizzes\nbob@larkmoor\.example +owner`, out)
	_, _, code = command(t, program, dir, "user", "remove", "ada@larkmoor.example", "--data", dir)
	require.Zero(t, code)
	require.Equal(t, 401, ask(token), "a token goes with its account")
}
