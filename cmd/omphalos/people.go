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
	"omphalos/app/store/database"
	"omphalos/app/store/people"
	"omphalos/core/kind"
)

// accountOf finds an account, and says so in words where there is none.
func accountOf(s *store.Store, email string) (*people.Account, error) {
	a, err := s.People.AccountOf(email)
	if database.IsNotFound(err) {
		return nil, fmt.Errorf("there’s no account for %s", email)
	}
	return a, err
}

func tokenCommand() *cobra.Command {
	var at dataLocation
	var email, name string
	var scopes []string
	c := &cobra.Command{
		Use:   "token",
		Short: "Create an API token for an account",
		Long: `Create an API token for an account and print it. The token is shown only once; the account
can revoke it. The server can keep running.`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			for _, scope := range scopes {
				if scope != people.ScopeRead && scope != people.ScopeWrite {
					return fmt.Errorf("--scopes: %q isn’t read or write", scope)
				}
			}
			if email == "" {
				return errors.New("--account is required, for example --account ada@larkmoor.example")
			}
			s, err := at.openBeside()
			if err != nil {
				return err
			}
			defer s.Close()
			a, err := accountOf(s, email)
			if err != nil {
				return err
			}
			token, err := s.People.AddToken(a.ID, name, scopes)
			if err == nil {
				err = s.People.Note(
					people.JournalLine{
						Account: "the command line",
						Verb:    "created a token",
						Detail:  a.Email + ": " + name,
					},
				)
			}
			if err != nil {
				return err
			}
			fmt.Println(token)
			return nil
		},
	}
	at.add(c.Flags())
	c.Flags().StringVar(&email, "account", "", "email address of the account that the token acts for")
	c.Flags().StringVar(&name, "name", "command line", "name of the token")
	c.Flags().StringSliceVar(&scopes, "scopes", []string{people.ScopeRead}, "permissions: read, write")
	return c
}

func userCommand() *cobra.Command {
	var at dataLocation
	var role string
	c := &cobra.Command{
		Use:   "user",
		Short: "List accounts, create one, or change a role",
		Long: `Without a command, lists the accounts. The server can keep running. For a new account, a random password
is generated and printed.`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error { return withStore(&at, listUsers) },
	}
	at.add(c.PersistentFlags())
	add := &cobra.Command{
		Use: "add EMAIL", Short: "Create an account", Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			return withStore(&at, func(s *store.Store) error { return addUser(s, args[0], role) })
		},
	}
	add.Flags().StringVar(&role, "role", people.Editor, "owner, editor or viewer")
	rights := &cobra.Command{
		Use:   "role EMAIL ROLE",
		Short: "Set an account’s role (owner, editor or viewer) for all quizzes",
		Args:  cobra.ExactArgs(2),
		RunE: func(_ *cobra.Command, args []string) error {
			return withStore(&at, func(s *store.Store) error {
				a, err := accountOf(s, args[0])
				if err == nil {
					err = s.People.SetRights(a.ID, args[1], false, nil)
				}
				return err
			})
		},
	}
	remove := &cobra.Command{
		Use: "remove EMAIL", Short: "Delete an account, its sessions and tokens", Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			return withStore(&at, func(s *store.Store) error {
				a, err := accountOf(s, args[0])
				if err == nil {
					err = s.People.DropAccount(a.ID)
				}
				return err
			})
		},
	}
	c.AddCommand(add, rights, remove)
	return c
}

func withStore(at *dataLocation, do func(*store.Store) error) error {
	s, err := at.openBeside()
	if err != nil {
		return err
	}
	return errors.Join(do(s), s.Close())
}

func listUsers(s *store.Store) error {
	list, err := s.People.Accounts()
	w := tabwriter.NewWriter(os.Stdout, 0, 4, 2, ' ', 0)
	for _, a := range list {
		sees := "all quizzes"
		if a.Some {
			ids, failed := s.People.ChosenQuizzes(a.ID)
			err = errors.Join(err, failed)
			sees = "quizzes " + strings.Join(ids, " ")
		}
		fmt.Fprintf(w, "%s\t%s\t%s\n", a.Email, a.Role, sees)
	}
	return errors.Join(err, w.Flush())
}

func addUser(s *store.Store, email, role string) error {
	if !kind.ValidEmail(email) {
		return fmt.Errorf("%q isn’t an email address", email)
	}
	if !slices.Contains(people.Roles, role) {
		return fmt.Errorf("--role: %w", people.ErrNoSuchRole)
	}
	password := madeUp()
	if why := account.BadPassword(password); why != "" {
		return errors.New(why)
	}
	hash, err := people.HashPassword(password)
	if err == nil {
		err = s.People.MakeAccount(&people.Account{Email: email, Password: hash, Role: role}, nil)
	}
	if err == nil {
		fmt.Printf("Created %s with the password %s\n", email, password)
	}
	return err
}
