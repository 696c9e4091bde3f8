package main

import (
	"bufio"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// Settings are flags, and may stand in the environment or in a file instead: a flag goes before the environment, and
// that before the file.

// prefix begins the names of settings in the environment: --mail-from is OMPHALOS_MAIL_FROM.
const prefix = "OMPHALOS_"

func inEnvironment(flag string) string {
	return prefix + strings.ToUpper(strings.ReplaceAll(flag, "-", "_"))
}

// settings lets the flags of a command stand in the environment and in the file of --config.
func settings(c *cobra.Command) {
	c.Flags().String("config", "",
		"settings file with lines such as mail-from = hello@larkmoor.example; # starts a comment")
	before := c.RunE
	c.RunE = func(c *cobra.Command, args []string) error {
		if err := takeSettings(c.Flags()); err != nil {
			return err
		}
		return before(c, args)
	}
}

// takeSettings sets the flags that were not given.
func takeSettings(flags *pflag.FlagSet) error {
	var failed error
	flags.VisitAll(func(f *pflag.Flag) {
		text, given := os.LookupEnv(inEnvironment(f.Name))
		if f.Changed || !given || failed != nil {
			return
		}
		if err := flags.Set(f.Name, text); err != nil {
			failed = fmt.Errorf("%s: %w", inEnvironment(f.Name), err)
		}
	})
	path, err := flags.GetString("config")
	if failed != nil || err != nil || path == "" {
		return failed
	}
	file, err := os.Open(path)
	if err != nil {
		return fmt.Errorf("--config: %w", err)
	}
	defer file.Close()
	lines := bufio.NewScanner(file)
	given := map[string]bool{}
	for n := 1; lines.Scan(); n++ {
		if err := takeLine(flags, lines.Text(), given); err != nil {
			return fmt.Errorf("%s, line %d: %w", path, n, err)
		}
	}
	return lines.Err()
}

// takeLine sets the flag of a line, unless it was given elsewhere; a list may stand on several lines.
func takeLine(flags *pflag.FlagSet, line string, given map[string]bool) error {
	line = strings.TrimSpace(line)
	if line == "" || strings.HasPrefix(line, "#") {
		return nil
	}
	name, value, ok := strings.Cut(line, "=")
	name = strings.TrimSpace(name)
	f := flags.Lookup(name)
	switch {
	case !ok:
		return fmt.Errorf("%q isn’t a setting; use name = value", line)
	case f == nil || name == "config":
		return fmt.Errorf("unknown setting %q; see serve --help", name)
	case f.Changed && !given[name]:
		return nil // it was given
	}
	given[name] = true
	return flags.Set(name, strings.TrimSpace(value))
}

// group is some flags under one heading.
type group struct {
	title string
	flags []string
}

// grouped prints the flags of a command under headings; those of no group stand under the last.
func grouped(c *cobra.Command, groups []group) {
	c.SetUsageFunc(func(c *cobra.Command) error {
		out := c.OutOrStderr()
		fmt.Fprintf(out, "Usage:\n  %s\n", c.UseLine())
		named := map[string]bool{"help": true}
		for _, g := range groups {
			set := pflag.NewFlagSet("", pflag.ContinueOnError)
			for _, name := range g.flags {
				if f := c.Flags().Lookup(name); f != nil {
					set.AddFlag(f)
					named[name] = true
				}
			}
			fmt.Fprintf(out, "\n%s:\n%s", g.title, set.FlagUsagesWrapped(110))
		}
		rest := pflag.NewFlagSet("", pflag.ContinueOnError)
		c.Flags().VisitAll(func(f *pflag.Flag) {
			if !named[f.Name] {
				rest.AddFlag(f)
			}
		})
		if rest.HasFlags() {
			fmt.Fprintf(out, "\nMore:\n%s", rest.FlagUsagesWrapped(110))
		}
		fmt.Fprintf(
			out,
			"\nYou can also set each flag in the environment (%s for --mail-from) or in the --config file.\n",
			inEnvironment("mail-from"),
		)
		return nil
	})
}
