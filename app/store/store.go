package store

import (
	"cmp"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/gofrs/flock"

	"omphalos/app/store/attempts"
	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/documents"
	"omphalos/app/store/people"
	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
	"omphalos/core/quiz"
)

// Store is an open database, and who keeps what in it. Store itself has what concerns them all: opening, launching a
// quiz, purging it, moving, backups.
type Store struct {
	*database.DB
	Documents  *documents.Store
	Deliveries *deliveries.Store
	Tallies    *tallies.Store
	Responses  *responses.Store
	People     *people.Store
	Attempts   *attempts.Store

	lock *flock.Flock
}

// newStore puts the owners on a database.
func newStore(db *database.DB, objects documents.Objects) *Store {
	s := &Store{DB: db}
	s.Documents = documents.New(db, objects)
	s.People = people.New(db, s.Documents)
	s.Attempts = attempts.New(db)
	s.Deliveries = deliveries.New(db, s.Attempts)
	s.Tallies = tallies.New(db)
	s.Responses = responses.New(db, s.Documents, s.Deliveries)
	return s
}

// Options of a store.
type Options struct {
	Now      func() time.Time  // the clock; nil is the machine's
	Database string            // postgres://…; "" for a file in the folder
	Objects  documents.Objects // where pictures are kept; nil is the database
	Moving   bool              // something is moved into it, or out of it: nothing else is done
}

// File is the name of the database within the data folder.
const File = "omphalos.db"

// Open opens the database in the folder, or the one that Options name, making it when missing, and brings it to this
// program's schema. A database that a newer program wrote is refused.
func Open(dir string, options ...Options) (*Store, error) {
	o := Options{Now: time.Now}
	for _, given := range options {
		if given.Now != nil {
			o.Now = given.Now
		}
		if given.Objects != nil {
			o.Objects = given.Objects
		}
		o.Database, o.Moving = quiz.FirstOf(given.Database, o.Database), o.Moving || given.Moving
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("couldn’t create the data folder %s: %w", dir, err)
	}
	probe, err := os.CreateTemp(dir, ".probe-*")
	if err != nil {
		return nil, fmt.Errorf("the data folder %s is not writable: %w", dir, err)
	}
	probe.Close()
	os.Remove(probe.Name())
	now := func() time.Time { return o.Now().Truncate(database.Tick) }
	s := newStore(&database.DB{Now: now, Dialect: database.OnSQLite, Server: database.NewID()}, o.Objects)
	if o.Database != "" {
		s.Dialect = database.OnPostgres
		s.Address = o.Database
		err = s.openPostgres(o.Database)
	} else if s.lock, err = takeLock(dir); err == nil {
		tidy(dir) // under the lock: a restore that runs holds it
		s.Path = filepath.Join(dir, File)
		err = s.openFile(s.Path)
	}
	if err == nil && !o.Moving {
		err = s.startWriting()
	}
	if err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

// startWriting begins to write, and catches up with what time has brought.
func (s *Store) startWriting() (err error) {
	if half, err := s.halfMoved(); err != nil || half {
		return cmp.Or(err, ErrHalf)
	}
	if err := s.Responses.Start(); err != nil {
		return err
	}
	if _, err := s.Documents.DropOldRevisions(); err != nil {
		return err
	}
	return s.PurgeOld()
}

// Close waits for the responses on their way to the disk and closes the database.
func (s *Store) Close() error {
	s.Responses.Stop()
	var unlocked error
	if s.lock != nil { // it was opened next to a server
		unlocked = s.lock.Unlock()
	}
	if s.Loose == s.Write {
		s.Loose = nil // it is the same
	}
	return errors.Join(database.CloseDB(s.Read), database.CloseDB(s.Loose), database.CloseDB(s.Write), unlocked)
}
