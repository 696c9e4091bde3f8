package store

import (
	"errors"
	"fmt"
	"net/url"
	"os"
	"time"

	"github.com/mattn/go-sqlite3"
	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
)

// What SQLite does in its own way stands in this file.

var onSQLite = &dialect{
	words: `INSERT INTO words (quiz_id, word, response_id)
		SELECT value->>0, value->>1, value->>2 FROM json_each(?) WHERE true ON CONFLICT DO NOTHING`,
	dropWords: "DELETE FROM words WHERE quiz_id = ? AND response_id IN (SELECT value FROM json_each(?))",
	among:     "SELECT value FROM json_each(?)",
	// By the sign before its columns, a condition on quiz_id, kept and aside leaves the index of all places aside.
	place:  "+quiz_id = ? AND +kept = ? AND +aside = ?",
	asText: "CAST(%s AS TEXT)",
	score:  `CAST(json_extract(CAST(scores AS TEXT), '$."scale.%s"') AS REAL)`,
	inside: "instr(marks, ?)",
	marked: "CAST(substr(marks, instr(marks, ?) + ?) AS REAL)", // what follows the number ends it
	like:   "LIKE",
	inTurn: "rowid",
}

// writingCache is how much of the database stays at hand for who writes: the ends of the indexes of a few million
// responses.
const writingCache = "-32000" // kB

// openFile opens the database in a file, and brings it up to date.
func (s *Store) openFile(path string) (err error) {
	writing := url.Values{"_txlock": {"immediate"}, "_secure_delete": {"on"}, "_cache_size": {writingCache}}
	if s.write, err = connect(path, writing, 1); err != nil {
		return err
	}
	s.loose = s.write
	if err := s.keepBefore(s.write); err != nil {
		return fmt.Errorf(
			"couldn’t back up the database before updating it from an earlier version: %w",
			err,
		)
	}
	if err := migrate(s.write, onSQLite); err != nil {
		return err
	}
	s.read, err = connect(path, url.Values{"_query_only": {"true"}}, 4)
	return err
}

func connect(path string, extra url.Values, connections int) (*gorm.DB, error) {
	extra.Set("_journal_mode", "WAL")
	extra.Set("_synchronous", "FULL")
	extra.Set("_foreign_keys", "on")
	extra.Set("_busy_timeout", "10000")
	db, err := gorm.Open(sqlite.Open("file:"+(&url.URL{Path: path}).EscapedPath()+"?"+extra.Encode()), settings())
	if err != nil {
		return nil, fmt.Errorf("couldn’t open the database %s: %w", path, err)
	}
	pool, err := db.DB()
	if err != nil {
		return nil, err
	}
	pool.SetMaxOpenConns(connections)
	pool.SetMaxIdleConns(connections)
	return db, nil
}

// newWords makes the table of words. Its lines are kept in the order of their key: they are nothing else.
func newWords(tx *gorm.DB) error {
	return tx.Exec(`CREATE TABLE words (quiz_id text NOT NULL, word text NOT NULL, response_id text NOT NULL,
		PRIMARY KEY (quiz_id, word, response_id)) WITHOUT ROWID`).Error
}

// Size is how many bytes the database and its log take on the disk.
func (s *Store) Size() (int64, error) {
	if s.path == "" {
		return s.sizeOfPostgres()
	}
	var all int64
	for _, path := range []string{s.path, s.path + "-wal"} {
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

// dayColumn sets the day of responses that have none, in UTC: how earlier programs kept them.
func dayColumn(tx *gorm.DB) error {
	return tx.Exec("UPDATE responses SET day = substr(at, 1, 10) WHERE day IS NULL OR day = ''").Error
}

// eraseTraces takes what was deleted out of the write-ahead log too. In the database itself it is overwritten as it is
// deleted (secure_delete); the log holds pages as they were until it is begun again. A reader that is at work puts that
// off: it is asked again.
func (s *Store) eraseTraces() error {
	if s.path == "" {
		return nil // a server writes over what it deletes in its own time
	}
	const attempts, pause = 50, 100 * time.Millisecond
	for range attempts {
		var busy, log, moved int
		row := s.write.Raw("PRAGMA wal_checkpoint(TRUNCATE)").Row()
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

// damaged reports whether an error says that the file is no sound database.
func damaged(err error) bool {
	var said sqlite3.Error
	return errors.As(err, &said) && (said.Code == sqlite3.ErrCorrupt || said.Code == sqlite3.ErrNotADB)
}
