package store

import (
	"cmp"
	"crypto/rand"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"sync/atomic"
	"time"

	"github.com/gofrs/flock"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"
	"gorm.io/gorm/logger"

	"omphalos/app/cache"
	"omphalos/core/quiz"
)

// ErrNotFound is returned for what is not there.
var ErrNotFound = fmt.Errorf("it is not there: %w", fs.ErrNotExist)

// IsNotFound reports whether an error says that something is not there.
func IsNotFound(err error) bool { return errors.Is(err, ErrNotFound) }

// Store is an open database: one connection writes, several read next to it.
type Store struct {
	dialect   *dialect
	write     *gorm.DB
	read      *gorm.DB
	loose     *gorm.DB               // for what tells of the moment: it waits for no one who writes
	buckets   *buckets               // where this is the only server
	server    string                 // this one, among those on the database
	attempts  atomic.Pointer[[]byte] // the secret of keys under which attempts are counted; nil until it is read
	now       func() time.Time
	writer    *writer
	lock      *flock.Flock
	path      string        // of the database; "" for one on a server
	address   string        // of the database on a server
	changes   atomic.Uint64 // of State
	objects   Objects       // of pictures; nil for none
	documents *cache.Cache[versionKey, *quiz.Document]
}

// Options of a store.
type Options struct {
	Now      func() time.Time // the clock; nil is the machine's
	Database string           // postgres://…; "" for a file in the folder
	Objects  Objects          // where pictures are kept; nil is the database
	Moving   bool             // something is moved into it, or out of it: nothing else is done
}

// Tick is as finely as times are kept, in whichever database.
const Tick = time.Microsecond

// Objects keep what is large outside of the database.
type Objects interface {
	Put(key, kind string, data []byte) error
	Get(key string) ([]byte, error)
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
	now := func() time.Time { return o.Now().Truncate(Tick) }
	documents := cache.New[versionKey, *quiz.Document](documentMemory)
	s := &Store{
		now: now, documents: documents, dialect: onSQLite, objects: o.Objects, buckets: newBuckets(), server: NewID(),
	}
	if o.Database != "" {
		s.dialect = onPostgres
		s.address = o.Database
		err = s.openPostgres(o.Database)
	} else if s.lock, err = takeLock(dir); err == nil {
		tidy(dir) // under the lock: a restore that runs holds it
		s.path = filepath.Join(dir, File)
		err = s.openFile(s.path)
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
	if s.writer, err = newWriter(s); err != nil {
		return err
	}
	if err := errors.Join(s.tallyFirst(), s.partImports()); err != nil {
		return err
	}
	if _, err := s.DropOldRevisions(); err != nil {
		return err
	}
	return s.PurgeOld()
}

func settings() *gorm.Config {
	return &gorm.Config{
		Logger: logger.Discard, SkipDefaultTransaction: true, PrepareStmt: true, TranslateError: true,
		NowFunc: func() time.Time { return time.Now().UTC() },
	}
}

// Close waits for the responses on their way to the disk and closes the database.
func (s *Store) Close() error {
	if s.writer != nil {
		s.writer.close()
	}
	var unlocked error
	if s.lock != nil { // it was opened next to a server
		unlocked = s.lock.Unlock()
	}
	if s.loose == s.write {
		s.loose = nil // it is the same
	}
	return errors.Join(closeDB(s.read), closeDB(s.loose), closeDB(s.write), unlocked)
}

// Takes reports whether the database takes what is written to it: a full disk shows here first.
func (s *Store) Takes() error {
	return s.write.Clauses(clause.OnConflict{UpdateAll: true}).Create(&Health{ID: 1, At: s.now().UTC()}).Error
}

func closeDB(db *gorm.DB) error {
	if db == nil {
		return nil
	}
	pool, err := db.DB()
	if err != nil {
		return err
	}
	return pool.Close()
}

// Secret returns the named key of 32 random bytes, made on first use.
func (s *Store) Secret(name string) ([]byte, error) {
	var kept Secret
	err := s.read.Where("name = ?", name).Take(&kept).Error
	if !isMissing(err) {
		return kept.Value, err
	}
	made := Secret{Name: name, Value: make([]byte, 32)}
	if _, err := rand.Read(made.Value); err != nil {
		return nil, err
	}
	if err := s.write.Clauses(clause.OnConflict{DoNothing: true}).Create(&made).Error; err != nil {
		return nil, err
	}
	err = s.write.Where("name = ?", name).Take(&kept).Error // the first one that there was
	return kept.Value, err
}

func notFound(err error) error {
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return ErrNotFound
	}
	return err
}
