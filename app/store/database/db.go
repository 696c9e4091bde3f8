package database

import (
	"crypto/rand"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"strings"
	"sync/atomic"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
	"gorm.io/gorm/logger"
)

// ErrNotFound is returned for what is not there.
var ErrNotFound = fmt.Errorf("it is not there: %w", fs.ErrNotExist)

// DB is a database: one connection writes, several read next to it.
type DB struct {
	Dialect *Dialect
	Write   *gorm.DB
	Read    *gorm.DB
	Loose   *gorm.DB // for what tells of the moment: it waits for no one who writes
	Server  string   // this one, among those on the database
	Now     func() time.Time
	Path    string        // of the database; "" for one on a server
	Address string        // of the database on a server
	changes atomic.Uint64 // of State
}

// ErrFull is returned where a quiz has as many of something as it takes: responses, links, places.
var ErrFull = errors.New("the response limit of the quiz is reached")

// IsNotFound reports whether an error says that something is not there.
func IsNotFound(err error) bool { return errors.Is(err, ErrNotFound) }

// Tick is as finely as times are kept, in whichever database.
const Tick = time.Microsecond

func settings() *gorm.Config {
	return &gorm.Config{
		Logger: logger.Discard, SkipDefaultTransaction: true, PrepareStmt: true, TranslateError: true,
		NowFunc: func() time.Time { return time.Now().UTC() },
	}
}

// CloseDB closes the connections of a database; nil has none.
func CloseDB(db *gorm.DB) error {
	if db == nil {
		return nil
	}
	pool, err := db.DB()
	if err != nil {
		return err
	}
	return pool.Close()
}

// NotFound is ErrNotFound for the error of GORM that says the same, and any other error as it is.
func NotFound(err error) error {
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return ErrNotFound
	}
	return err
}

// IsMissing reports whether an error of GORM says that there is no such line.
func IsMissing(err error) bool { return errors.Is(err, gorm.ErrRecordNotFound) }

// Changed is the error of an update that must have met a row.
func Changed(r *gorm.DB) error {
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrNotFound
	}
	return r.Error
}

// NewID returns a random id that is easy to read and to put into an address.
func NewID() string { return strings.ToLower(rand.Text())[:12] }

// HashOf is what is stored of a key, so that the key cannot be read in the database.
func HashOf(key string) string {
	sum := sha256.Sum256([]byte(key))
	return hex.EncodeToString(sum[:])
}

// HasRoom returns full where a quiz has so many lines of a model already that more would be past the bound. It is asked
// within the transaction that writes them: transactions come one after the other, so that no two see the same room.
func HasRoom(tx *gorm.DB, model any, quizID string, more, most int, full error) error {
	var n int64
	if err := tx.Model(model).Where("quiz_id = ?", quizID).Count(&n).Error; err != nil {
		return err
	}
	if int(n)+more > most {
		return full
	}
	return nil
}

// Affected is how many lines a statement has changed.
func Affected(done sql.Result, err error) (int64, error) {
	if err != nil {
		return 0, err
	}
	return done.RowsAffected()
}

// Takes reports whether the database takes what is written to it: a full disk shows here first.
func (s *DB) Takes() error {
	return s.Write.Clauses(clause.OnConflict{UpdateAll: true}).Create(&Health{ID: 1, At: s.Now().UTC()}).Error
}

// Secret returns the named key of 32 random bytes, made on first use.
func (s *DB) Secret(name string) ([]byte, error) {
	var kept Secret
	err := s.Read.Where("name = ?", name).Take(&kept).Error
	if !IsMissing(err) {
		return kept.Value, err
	}
	made := Secret{Name: name, Value: make([]byte, 32)}
	if _, err := rand.Read(made.Value); err != nil {
		return nil, err
	}
	if err := s.Write.Clauses(clause.OnConflict{DoNothing: true}).Create(&made).Error; err != nil {
		return nil, err
	}
	err = s.Write.Where("name = ?", name).Take(&kept).Error // the first one that there was
	return kept.Value, err
}

// Health is a line that is written to see whether the database takes anything.
type Health struct {
	ID uint `gorm:"primaryKey"`
	At time.Time
}

// Secret is a key that the server made for itself.
type Secret struct {
	Name  string `gorm:"primaryKey"`
	Value []byte
}

// Placeholders are n of them with commas between.
func Placeholders(n int) string { return strings.TrimSuffix(strings.Repeat("?, ", n), ", ") }

// Transact runs f in a transaction that writes. Those of all servers come one after another, so that what one reads
// stays so until it has written.
func (s *DB) Transact(f func(tx *gorm.DB) error) error {
	return s.Write.Transaction(func(tx *gorm.DB) error {
		if s.Dialect.Begin != "" {
			if err := tx.Exec(s.Dialect.Begin).Error; err != nil {
				return err
			}
		}
		return f(tx)
	})
}

// Statements are those that the writer uses all the time, prepared once on its connection.
type Statements map[string]*sql.Stmt

// Strings are the lines of a query for one text.
func (tx *Transaction) Strings(query string, args ...any) (list []string, err error) {
	rows, err := tx.Query(query, args...)
	if err != nil {
		return nil, err
	}
	for rows.Next() {
		var text string
		if err = rows.Scan(&text); err != nil {
			break
		}
		list = append(list, text)
	}
	return list, errors.Join(err, rows.Err(), rows.Close())
}

// Statement is a prepared one within the transaction.
func (tx *Transaction) Statement(query string) *sql.Stmt { return tx.Stmt(tx.prepared[query]) }

// Transact runs f in a transaction of the driver.
func (s Statements) Transact(db *gorm.DB, d *Dialect, f func(tx *Transaction) error) error {
	pool, err := db.DB()
	if err != nil {
		return err
	}
	begun, err := pool.Begin()
	if err != nil {
		return err
	}
	tx := &Transaction{begun, d, s}
	if d.Begin != "" {
		_, err = tx.Exec(d.Begin)
	}
	if err == nil {
		err = f(tx)
	}
	if err != nil {
		if back := begun.Rollback(); back != nil {
			return fmt.Errorf("%w (and couldn’t undo the change: %v)", err, back)
		}
		return err
	}
	return begun.Commit()
}

// EraseTraces takes what was deleted out of the write-ahead log too. In the database itself it is overwritten as it is
// deleted (secure_delete); the log holds pages as they were until it is begun again. A reader that is at work puts that
// off: it is asked again.
func (s *DB) EraseTraces() error {
	if s.Path == "" {
		return nil // a server writes over what it deletes in its own time
	}
	const attempts, pause = 50, 100 * time.Millisecond
	for range attempts {
		var busy, log, moved int
		row := s.Write.Raw("PRAGMA wal_checkpoint(TRUNCATE)").Row()
		if err := row.Scan(&busy, &log, &moved); err != nil {
			return err
		}
		if busy == 0 {
			return nil
		}
		time.Sleep(pause)
	}
	return errors.New("deleted, but traces remain in the log while others are reading; try again later")
}

// Size is how many bytes the database and its log take on the disk.
func (s *DB) Size() (int64, error) {
	if s.Path == "" {
		return s.sizeOfPostgres()
	}
	var all int64
	for _, path := range []string{s.Path, s.Path + "-wal"} {
		info, err := os.Stat(path)
		if errors.Is(err, os.ErrNotExist) {
			continue
		}
		if err != nil {
			return 0, err
		}
		all += info.Size()
	}
	return all, nil
}

func (s *DB) sizeOfPostgres() (n int64, err error) {
	err = s.Read.Raw("SELECT pg_database_size(current_database())").Scan(&n).Error
	return n, err
}
