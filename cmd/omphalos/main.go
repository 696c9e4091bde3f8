// Command omphalos designs quizzes, serves them, and computes on quiz documents.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"
)

// exitCode is an error that only sets the exit code: what there was to say has been said.
type exitCode int

func (e exitCode) Error() string { return fmt.Sprintf("exit %d", int(e)) }

func main() {
	root := &cobra.Command{
		Use:           "omphalos",
		Short:         "Design quizzes and see exactly which outcome every respondent reaches",
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.CompletionOptions.HiddenDefaultCmd = true
	root.AddCommand(
		serveCommand(),
		demoCommand(),
		checkCommand(),
		scoreCommand(),
		learnCommand(),
		replayCommand(),
		mendCommand(),
		recountCommand(),
		backupCommand(),
		restoreCommand(),
		doctorCommand(),
		moveCommand(),
		passwordCommand(),
		tokenCommand(),
		userCommand(),
	)
	if err := root.ExecuteContext(context.Background()); err != nil {
		var code exitCode
		if errors.As(err, &code) {
			os.Exit(int(code))
		}
		fmt.Fprintln(os.Stderr, "omphalos:", err)
		os.Exit(1)
	}
}
