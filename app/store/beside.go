package store

import (
	"errors"
	"net/url"
	"os"
	"path/filepath"
	"time"

	"omphalos/app/store/database"
)

// OpenBeside opens the database of a folder for what is done to accounts while a server runs on it: passwords, tokens,
// people. Where none runs, it is opened like any other. What belongs to the server alone, responses among it, is left
// to it. On a database server, several programs may work at once.
func OpenBeside(dir string, o Options) (*Store, error) {
	if o.Database != "" {
		return Open(dir, o)
	}
	if _, err := os.Stat(filepath.Join(dir, File)); err != nil {
		return nil, errors.New(
			"no database found in " + dir + "; start the server on it once, or give its folder with --data",
		)
	}
	s, err := Open(dir)
	if !errors.Is(err, ErrInUse) {
		return s, err
	}
	s = newStore(&database.DB{Now: time.Now, Dialect: database.OnSQLite, Path: filepath.Join(dir, File)}, nil)
	writing := url.Values{"_txlock": {"immediate"}, "_secure_delete": {"on"}}
	if s.Write, err = database.Connect(s.Path, writing, 1); err != nil {
		return nil, err
	}
	if s.Read, err = database.Connect(s.Path, url.Values{"_query_only": {"true"}}, 1); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	var last string
	if err := s.Read.Table("migrations").Select("max(id)").Scan(&last).Error; err != nil {
		return nil, errors.Join(err, s.Close())
	}
	if last != migrations[len(migrations)-1].ID {
		return nil, errors.Join(
			errors.New("the running server is a different version of Omphalos; use that version"),
			s.Close(),
		)
	}
	return s, nil
}
