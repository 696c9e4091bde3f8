package main

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/spf13/cobra"
	"github.com/stretchr/testify/require"

	"omphalos/app/delivery"
	"omphalos/app/store"
)

// A flag goes before the environment, and that before the file; what no setting is called is said with its line.
func TestSettingsComeFromThreePlaces(t *testing.T) {
	run := func(file string, args ...string) (map[string]string, error) {
		path := filepath.Join(t.TempDir(), "omphalos.conf")
		require.NoError(t, os.WriteFile(path, []byte(file), 0o600))
		got := map[string]string{}
		c := &cobra.Command{SilenceErrors: true, SilenceUsage: true, RunE: func(c *cobra.Command, _ []string) error {
			for _, name := range []string{"addr", "mail-from", "reach"} {
				got[name] = c.Flags().Lookup(name).Value.String()
			}
			return nil
		}}
		c.Flags().String("addr", "first", "")
		c.Flags().String("mail-from", "", "")
		c.Flags().StringSlice("reach", nil, "")
		settings(c)
		c.SetArgs(append(args, "--config", path))
		return got, c.Execute()
	}
	t.Setenv("OMPHALOS_MAIL_FROM", "environment")
	got, err := run("# a remark\n\naddr = file\nmail-from = file\nreach = 10.0.0.0/8\nreach = 10.1.0.0/16\n")
	require.NoError(t, err)
	require.Equal(t, map[string]string{"addr": "file", "mail-from": "environment", "reach": "[10.0.0.0/8,10.1.0.0/16]"}, got)
	got, err = run("addr = file\n", "--addr", "flag", "--mail-from", "flag")
	require.NoError(t, err)
	require.Equal(t, "flag", got["addr"])
	require.Equal(t, "flag", got["mail-from"])
	for file, want := range map[string]string{
		"addr = x\nadr = y": `line 2: unknown setting "adr"; see serve --help`,
		"addr":              "line 1",
		"config = other":    `line 1: unknown setting "config"; see serve --help`,
	} {
		_, err := run(file)
		require.ErrorContains(t, err, want)
	}
}

// Where mail leaves the program must be told its own address: links in mail lead there.
func TestMailNeedsAnAddress(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	f := &serveFlags{logs: "none", mail: delivery.Flags{Server: "smtp://127.0.0.1:25", From: "hello@larkmoor.example"}}
	_, err = f.options(s)
	require.ErrorContains(t, err, "--smtp needs --url")
	f.origin = "https://quiz.example"
	o, err := f.options(s)
	require.NoError(t, err)
	require.Equal(t, "https://quiz.example", o.Origin)
}
