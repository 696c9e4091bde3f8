package main

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"net/http"
	"net/netip"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/oschwald/maxminddb-golang/v2"
	"github.com/spf13/cobra"

	"omphalos/app"
	"omphalos/app/delivery"
	"omphalos/app/page"
	"omphalos/app/respond"
	"omphalos/app/store"
	"omphalos/demo"
	"omphalos/standins/countries"
	"omphalos/standins/larkmoor"
	"omphalos/standins/mailbox"
)

func demoCommand() *cobra.Command {
	var addr, data, reload string
	c := &cobra.Command{
		Use:   "demo",
		Short: "Start the demo: a fictional company with quizzes, responses and websites",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if reload != "" {
				if err := page.Reload(reload); err != nil {
					return err
				}
			}
			return runDemo(cmd.Context(), addr, data)
		},
	}
	c.Flags().StringVar(&addr, "addr", "127.0.0.1:8080",
		"address to listen on; the fictional company’s websites use the next port")
	c.Flags().StringVar(&data, "data", "data/demo", "folder of the database")
	c.Flags().StringVar(&reload, "reload", "",
		"folder of the source, from which templates, styles and scripts are read for each page")
	return c
}

func runDemo(ctx context.Context, addr, data string) error {
	sites, err := nextPort(addr)
	if err != nil {
		return err
	}
	l, err := listen(sites)
	if err != nil {
		return err
	}
	defer l.Close()
	s, err := store.Open(data)
	if err != nil {
		return err
	}
	defer s.Close()
	password, err := demoPassword(s, data)
	if err != nil {
		return err
	}
	if err := demo.Fill(s, "http://"+l.Addr().String(), password, time.Now()); err != nil {
		return err
	}
	made, err := countries.Database()
	if err != nil {
		return err
	}
	reader, err := maxminddb.OpenBytes(made)
	if err != nil {
		return err
	}
	box := &mailbox.Mailbox{}
	mail, err := takeMail(box)
	if err != nil {
		return err
	}
	o := app.Options{OneClick: madeUp(), Locator: &respond.Locator{Database: reader}, Mail: mail}
	loopback := []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8"), netip.MustParsePrefix("::1/128")}
	return serve(ctx, s, place{address: addr}, o, loopback, func(url string) {
		standins := &http.Server{Handler: larkmoor.Handler(url, box), ReadHeaderTimeout: 10 * time.Second}
		go func() { _ = standins.Serve(l) }() // ends with the program
		fmt.Printf(
			"Omphalos runs at          %s\n"+
				"Sign in with one click at %s/demo/%s\n"+
				"  (works once; or sign in as %s with the password %s)\n"+
				"Take a quiz               %s/q/living-wall, /q/windowsill, /q/watering\n"+
				"Company websites          http://%s\n"+
				"  (see sent email at /mailbox and webhook events at /receiver)\n",
			url,
			url,
			o.OneClick,
			demo.Owner,
			password,
			url,
			l.Addr(),
		)
	})
}

// demoPassword is the password of the demonstration's owner, which is made up once and kept next to its database:
// anyone who signed in before the program was started again stays signed in.
func demoPassword(s *store.Store, data string) (string, error) {
	file := filepath.Join(data, "demo-password")
	kept, err := os.ReadFile(file)
	if err == nil {
		return strings.TrimSpace(string(kept)), nil
	}
	if !errors.Is(err, fs.ErrNotExist) {
		return "", err
	}
	password := madeUp()
	if has, err := s.People.HasOwner(); err != nil {
		return "", err
	} else if has { // of a program that kept no password
		owner, err := s.People.FirstAccount()
		if err == nil {
			err = s.People.SetPassword(owner.ID, password)
		}
		if err != nil {
			return "", err
		}
	}
	return password, os.WriteFile(file, []byte(password+"\n"), 0o600)
}

// takeMail lets a mailbox take mail at an address of this machine, and returns how mail leaves for it.
func takeMail(box *mailbox.Mailbox) (delivery.Settings, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return delivery.Settings{}, err
	}
	go func() { _ = box.SMTP().Serve(l) }() // ends with the program
	return delivery.Read(delivery.Flags{Server: "smtp://" + l.Addr().String(), From: "Larkmoor Botanics <hello@larkmoor.example>"})
}

// nextPort is the address with its port one higher; port 0 stays 0.
func nextPort(addr string) (string, error) {
	host, port, err := net.SplitHostPort(addr)
	if err != nil {
		return "", fmt.Errorf("--addr %s: use the form 127.0.0.1:8080", addr)
	}
	n, err := net.LookupPort("tcp", port)
	if err != nil {
		return "", fmt.Errorf("--addr %s: %q isn’t a port", addr, port)
	}
	if n > 0 {
		n++
	}
	return net.JoinHostPort(host, fmt.Sprint(n)), nil
}
