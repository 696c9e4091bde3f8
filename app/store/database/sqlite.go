package database

import (
	"errors"
	"fmt"
	"net/url"

	"github.com/mattn/go-sqlite3"
	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
)

// What SQLite does in its own way stands in this file.

// OnSQLite is what SQLite says in its own way.
var OnSQLite = &Dialect{
	Words: `INSERT INTO words (quiz_id, word, response_id)
		SELECT value->>0, value->>1, value->>2 FROM json_each(?) WHERE true ON CONFLICT DO NOTHING`,
	DropWords: "DELETE FROM words WHERE quiz_id = ? AND response_id IN (SELECT value FROM json_each(?))",
	Among:     "SELECT value FROM json_each(?)",
	// By the sign before its columns, a condition on quiz_id, kept and aside leaves the index of all places aside.
	Place:  "+quiz_id = ? AND +kept = ? AND +aside = ?",
	AsText: "CAST(%s AS TEXT)",
	Score:  `CAST(json_extract(CAST(scores AS TEXT), '$."scale.%s"') AS REAL)`,
	Inside: "instr(marks, ?)",
	Marked: "CAST(substr(marks, instr(marks, ?) + ?) AS REAL)", // what follows the number ends it
	Like:   "LIKE",
	InTurn: "rowid",
}

// Connect opens the database in a file, with further parameters of the driver.
func Connect(path string, extra url.Values, connections int) (*gorm.DB, error) {
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

// Damaged reports whether an error says that the file is no sound database.
func Damaged(err error) bool {
	var said sqlite3.Error
	return errors.As(err, &said) && (said.Code == sqlite3.ErrCorrupt || said.Code == sqlite3.ErrNotADB)
}
