package main

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
	"omphalos/demo"
)

// The doctor calls a folder sound while it is in use, and leaves with 1 where it is not.
func TestTheDoctorOnTheCommandLine(t *testing.T) {
	program, dir := build(t), t.TempDir()
	s, err := store.Open(dir)
	require.NoError(t, err)
	defer s.Close()
	require.NoError(t, demo.Fill(s, "http://127.0.0.1:1", madeUp(), time.Now()))
	out, errs, code := command(t, program, dir, "doctor", "--data", dir)
	require.Zero(t, code, errs)
	require.Equal(t, "sound\n", out)

	_, errs, code = command(t, program, dir, "doctor", "--data", t.TempDir())
	require.Equal(t, 1, code)
	require.Contains(t, errs, "no database found in")

	broken := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(broken, store.File), []byte("no database, but forty bytes of something"), 0o600))
	out, errs, code = command(t, program, dir, "doctor", "--data", broken)
	require.Equal(t, 1, code)
	require.NotContains(t, out, "sound")
	require.NotEmpty(t, out+errs)
}
