package main

import (
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"omphalos/app/account"
	"omphalos/app/store"
	"omphalos/core/quiz"
)

// accountOf finds an account, and says so in words where there is none.
func accountOf(s *store.Store, email string) (*store.Account, error) {
	a, err := s.AccountOf(email)
	if store.IsNotFound(err) {
		return nil, fmt.Errorf("there is no account of %s", email)
	}
	return a, err
}

func tokenCommand() *cobra.Command {
	var at located
	var email, name string
	var scopes []string
	c := &cobra.Command{
		Use:   "token",
		Short: "Make a token by which another program uses the API as an account",
		Long: `Make a token by which another program uses the API as an account, and print it. It is shown this once; the account
can revoke it. A server may run on the folder meanwhile.`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			for _, scope := range scopes {
				if scope != store.ScopeRead && scope != store.ScopeWrite {
					return fmt.Errorf("--scopes: %q is none of read and write", scope)
				}
			}
			if email == "" {
				return errors.New("--account: name the account that the token acts for, such as --account ada@larkmoor.example")
			}
			s, err := at.beside()
			if err != nil {
				return err
			}
			defer s.Close()
			a, err := accountOf(s, email)
			if err != nil {
				return err
			}
			token, err := s.AddToken(a.ID, name, scopes)
			if err == nil {
				err = s.Note(store.JournalLine{Account: "the command line", Verb: "made a token", Detail: a.Email + ": " + name})
			}
			if err != nil {
				return err
			}
			fmt.Println(token)
			return nil
		},
	}
	at.add(c.Flags())
	c.Flags().StringVar(&email, "account", "", "e-mail address of the account that the token acts for")
	c.Flags().StringVar(&name, "name", "command line", "what the token is called in lists")
	c.Flags().StringSliceVar(&scopes, "scopes", []string{store.ScopeRead}, "what it may do: read, write")
	return c
}

func userCommand() *cobra.Command {
	var at located
	var role string
	c := &cobra.Command{
		Use:   "user",
		Short: "List the accounts, make one, or give one another role",
		Long: `Without a command, list the accounts. A server may run on the folder meanwhile. The password of an account that is made
is made up and printed.`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error { return withStore(&at, listUsers) },
	}
	at.add(c.PersistentFlags())
	add := &cobra.Command{
		Use: "add EMAIL", Short: "Make an account", Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			return withStore(&at, func(s *store.Store) error { return addUser(s, args[0], role) })
		},
	}
	add.Flags().StringVar(&role, "role", store.Editor, "owner, editor or viewer")
	rights := &cobra.Command{
		Use:   "role EMAIL ROLE",
		Short: "Give an account the role owner, editor or viewer, for all quizzes",
		Args:  cobra.ExactArgs(2),
		RunE: func(_ *cobra.Command, args []string) error {
			return withStore(&at, func(s *store.Store) error {
				a, err := accountOf(s, args[0])
				if err == nil {
					err = s.SetRights(a.ID, args[1], false, nil)
				}
				return err
			})
		},
	}
	remove := &cobra.Command{
		Use: "remove EMAIL", Short: "Delete an account with its sign-ins and tokens", Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			return withStore(&at, func(s *store.Store) error {
				a, err := accountOf(s, args[0])
				if err == nil {
					err = s.DropAccount(a.ID)
				}
				return err
			})
		},
	}
	c.AddCommand(add, rights, remove)
	return c
}

func withStore(at *located, do func(*store.Store) error) error {
	s, err := at.beside()
	if err != nil {
		return err
	}
	return errors.Join(do(s), s.Close())
}

func listUsers(s *store.Store) error {
	list, err := s.Accounts()
	w := tabwriter.NewWriter(os.Stdout, 0, 4, 2, ' ', 0)
	for _, a := range list {
		sees := "all quizzes"
		if a.Some {
			ids, failed := s.ChosenQuizzes(a.ID)
			err = errors.Join(err, failed)
			sees = "quizzes " + strings.Join(ids, " ")
		}
		fmt.Fprintf(w, "%s\t%s\t%s\n", a.Email, a.Role, sees)
	}
	return errors.Join(err, w.Flush())
}

func addUser(s *store.Store, email, role string) error {
	if !quiz.ValidEmail(email) {
		return fmt.Errorf("%q is not an e-mail address", email)
	}
	if !slices.Contains(store.Roles, role) {
		return fmt.Errorf("--role: %w", store.ErrNoSuchRole)
	}
	password := madeUp()
	if why := account.BadPassword(password); why != "" {
		return errors.New(why)
	}
	hash, err := store.HashPassword(password)
	if err == nil {
		err = s.MakeAccount(&store.Account{Email: email, Password: hash, Role: role}, nil)
	}
	if err == nil {
		fmt.Printf("%s signs in with the password %s\n", email, password)
	}
	return err
}
