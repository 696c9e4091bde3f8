package main

import (
	"bufio"
	"errors"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"omphalos/app/account"
)

func passwordCommand() *cobra.Command {
	var at located
	var fromInput bool
	c := &cobra.Command{
		Use:   "password EMAIL",
		Short: "Give an account another password, and sign it out everywhere",
		Long: `Give an account another password, and sign it out everywhere. A server may run on the folder meanwhile.

The password is made up and printed, or read from standard input with --stdin: an argument would be seen by others on the
machine.`,
		Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			password := madeUp()
			if fromInput {
				line, err := bufio.NewReader(os.Stdin).ReadString('\n')
				if password = strings.TrimRight(line, "\r\n"); password == "" {
					return errors.Join(errors.New("--stdin: there is no password on standard input"), err)
				}
			}
			if why := account.BadPassword(password); why != "" {
				return errors.New(why)
			}
			s, err := at.beside()
			if err != nil {
				return err
			}
			defer s.Close()
			a, err := accountOf(s, args[0])
			if err != nil {
				return err
			}
			if err := s.SetPassword(a.ID, password); err != nil {
				return err
			}
			if fromInput {
				fmt.Printf("%s has the new password and is signed out everywhere\n", a.Email)
			} else {
				fmt.Printf("%s has the password %s and is signed out everywhere\n", a.Email, password)
			}
			return nil
		},
	}
	at.add(c.Flags())
	c.Flags().BoolVar(&fromInput, "stdin", false, "read the password from standard input")
	return c
}
