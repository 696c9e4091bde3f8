package store

import (
	"crypto/rand"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"time"

	"github.com/go-gormigrate/gormigrate/v2"
	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

// ErrNotFound is returned for what is not there.
var ErrNotFound = errors.New("not found")

// Store is an open database: one connection writes, several read beside it.
type Store struct {
	write   *gorm.DB
	read    *gorm.DB
	queue   chan submission
	drained chan struct{}
}

// File is the name of the database within the data folder.
const File = "omphalos.db"

// Open opens the database in the folder, making both when missing, and brings it to this program's schema. A database
// that a newer program wrote is refused.
func Open(dir string) (*Store, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("the data folder %s cannot be made: %w", dir, err)
	}
	probe, err := os.CreateTemp(dir, ".probe-*")
	if err != nil {
		return nil, fmt.Errorf("the data folder %s is not writable: %w", dir, err)
	}
	probe.Close()
	os.Remove(probe.Name())
	path := filepath.Join(dir, File)
	write, err := connect(path, url.Values{"_txlock": {"immediate"}}, 1)
	if err != nil {
		return nil, err
	}
	if err := migrate(write); err != nil {
		return nil, errors.Join(err, closeDB(write))
	}
	read, err := connect(path, url.Values{"_query_only": {"true"}}, 4)
	if err != nil {
		return nil, errors.Join(err, closeDB(write))
	}
	s := &Store{write: write, read: read, queue: make(chan submission, maxBatch), drained: make(chan struct{})}
	go s.commitGroups()
	return s, nil
}

func connect(path string, extra url.Values, connections int) (*gorm.DB, error) {
	extra.Set("_journal_mode", "WAL")
	extra.Set("_synchronous", "FULL")
	extra.Set("_foreign_keys", "on")
	extra.Set("_busy_timeout", "10000")
	db, err := gorm.Open(sqlite.Open("file:"+(&url.URL{Path: path}).EscapedPath()+"?"+extra.Encode()), &gorm.Config{
		Logger: logger.Discard, SkipDefaultTransaction: true, PrepareStmt: true, TranslateError: true,
		NowFunc: func() time.Time { return time.Now().UTC() },
	})
	if err != nil {
		return nil, fmt.Errorf("the database %s cannot be opened: %w", path, err)
	}
	pool, err := db.DB()
	if err != nil {
		return nil, err
	}
	pool.SetMaxOpenConns(connections)
	pool.SetMaxIdleConns(connections)
	return db, nil
}

// Close waits for the responses on their way to the disk and closes the database.
func (s *Store) Close() error {
	close(s.queue)
	<-s.drained
	return errors.Join(closeDB(s.read), closeDB(s.write))
}

func closeDB(db *gorm.DB) error {
	pool, err := db.DB()
	if err != nil {
		return err
	}
	return pool.Close()
}

var migrations = []*gormigrate.Migration{
	{ID: "0001", Migrate: func(tx *gorm.DB) error {
		return tx.AutoMigrate(&Account{}, &Session{}, &Secret{}, &Quiz{}, &Revision{}, &Version{}, &Response{})
	}},
	{ID: "0002", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&Quiz{}, &Picture{}, &PictureSize{}) }},
	{ID: "0003", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&Response{}, &DataTable{}, &DataTableChange{}, &Miss{}) }},
}

func migrate(db *gorm.DB) error {
	m := gormigrate.New(db, &gormigrate.Options{TableName: "migrations", IDColumnName: "id", IDColumnSize: 255,
		UseTransaction: true, ValidateUnknownMigrations: true}, migrations)
	err := m.Migrate()
	if errors.Is(err, gormigrate.ErrUnknownPastMigration) {
		return errors.New("the database was written by a newer version of omphalos: use that version, or another data folder")
	}
	return err
}

// Secret returns the named key of 32 random bytes, made on first use.
func (s *Store) Secret(name string) ([]byte, error) {
	secret := Secret{Name: name, Value: make([]byte, 32)}
	if _, err := rand.Read(secret.Value); err != nil {
		return nil, err
	}
	err := s.write.Where(Secret{Name: name}).FirstOrCreate(&secret).Error
	return secret.Value, err
}

func notFound(err error) error {
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return ErrNotFound
	}
	return err
}
