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
	var at dataLocation
	var fromInput bool
	c := &cobra.Command{
		Use:   "password EMAIL",
		Short: "Set a new password for an account and sign it out everywhere",
		Long: `Set a new password for an account and sign it out everywhere. The server can keep running.

A random password is generated and printed, or read from standard input with --stdin (other users of the machine could see
an argument).`,
		Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			password := madeUp()
			if fromInput {
				line, err := bufio.NewReader(os.Stdin).ReadString('\n')
				if password = strings.TrimRight(line, "\r\n"); password == "" {
					return errors.Join(errors.New("--stdin: no password on standard input"), err)
				}
			}
			if why := account.BadPassword(password); why != "" {
				return errors.New(why)
			}
			s, err := at.openBeside()
			if err != nil {
				return err
			}
			defer s.Close()
			a, err := accountOf(s, args[0])
			if err != nil {
				return err
			}
			if err := s.People.SetPassword(a.ID, password); err != nil {
				return err
			}
			if fromInput {
				fmt.Printf("The password of %s is changed; the account is signed out everywhere\n", a.Email)
			} else {
				fmt.Printf("The new password of %s is %s; the account is signed out everywhere\n", a.Email, password)
			}
			return nil
		},
	}
	at.add(c.Flags())
	c.Flags().BoolVar(&fromInput, "stdin", false, "read the password from standard input")
	return c
}
