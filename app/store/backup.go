package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"

	"github.com/mattn/go-sqlite3"

	"omphalos/app/store/database"
)

// Backup copies the database of a folder to a file while it is in use: SQLite's online copy. The copy is checked
// before it gets its name; a file that is there already is not written over.
func Backup(dir, file string) (err error) {
	source := filepath.Join(dir, File)
	if _, err := os.Stat(source); err != nil {
		return fmt.Errorf("no database found in %s", dir)
	}
	if _, err := os.Stat(file); err == nil {
		return fmt.Errorf("%s already exists; choose another file name", file)
	}
	unfinished := file + ".part"
	defer func() {
		if err != nil {
			removeDatabase(unfinished)
		}
	}()
	removeDatabase(unfinished)
	if err := onlineCopy(source, unfinished); err != nil {
		return fmt.Errorf("the copy failed: %w", err)
	}
	if err := sound(unfinished); err != nil {
		return err
	}
	return os.Rename(unfinished, file)
}

// Restore puts a backup in place of the database of a folder. One that is there already is kept next to it, under the
// name that is returned, when replace allows it.
func Restore(dir, file string, replace bool) (kept string, err error) {
	if err := sound(file); err != nil {
		return "", err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", err
	}
	lock, err := takeLock(dir)
	if err != nil {
		return "", err
	}
	defer func() { err = errors.Join(err, lock.Unlock()) }()
	target := filepath.Join(dir, File)
	incoming := target + coming
	tidy(dir)
	if err := onlineCopy(file, incoming); err != nil {
		return "", fmt.Errorf("the copy failed: %w", err)
	}
	if _, err := os.Stat(target); err == nil {
		if !replace {
			removeDatabase(incoming)
			return "", fmt.Errorf("%s already contains a database; use --replace to replace it (the old one is kept)", dir)
		}
		if kept, err = setAside(target); err != nil {
			return "", err
		}
	}
	return kept, os.Rename(incoming, target)
}

// coming ends the name of a backup that is being put in place.
const coming = ".incoming"

// removeDatabase removes a database that was not finished, and what SQLite keeps next to one.
func removeDatabase(file string) {
	for _, beside := range []string{"", "-wal", "-shm", "-journal"} {
		_ = os.Remove(file + beside)
	}
}

// tidy removes from a data folder what a program left that was killed: backups that were being put in place or made
// there, and probes. The caller holds the lock of the folder.
func tidy(dir string) {
	for _, pattern := range []string{"*" + coming, "*.part", "*" + coming + "-*", "*.part-*", ".probe-*"} {
		left, _ := filepath.Glob(filepath.Join(dir, pattern)) // the patterns are sound
		for _, file := range left {
			_ = os.Remove(file)
		}
	}
}

// setAside renames a database, with what has not yet been moved into it, to the first name that is free.
func setAside(target string) (string, error) {
	for n := 1; ; n++ {
		kept := fmt.Sprintf("%s.before-%d", target, n)
		if _, err := os.Stat(kept); err == nil {
			continue
		}
		for _, suffix := range []string{"-wal", "-shm"} {
			if err := os.Rename(target+suffix, kept+suffix); err != nil && !errors.Is(err, os.ErrNotExist) {
				return "", err
			}
		}
		return kept, os.Rename(target, kept)
	}
}

// sound reports what is wrong with a file as a database of this program.
func sound(file string) error {
	if _, err := os.Stat(file); err != nil {
		return fmt.Errorf("couldn’t read %s: %w", file, err)
	}
	db, err := sql.Open("sqlite3", "file:"+(&url.URL{Path: file}).EscapedPath()+"?mode=ro")
	if err != nil {
		return err
	}
	defer db.Close()
	var verdict string
	if err := db.QueryRow("PRAGMA integrity_check(1)").Scan(&verdict); err != nil {
		return fmt.Errorf("%s isn’t a database: %w", file, err)
	}
	if verdict != "ok" {
		return fmt.Errorf("%s is damaged: %s", file, verdict)
	}
	var tables int
	const ours = "SELECT count(*) FROM sqlite_master WHERE name IN ('quizzes', 'responses', 'migrations')"
	if err := db.QueryRow(ours).Scan(&tables); err != nil || tables != 3 {
		return fmt.Errorf("%s isn’t an Omphalos database", file)
	}
	return readable(db, file)
}

// readable reports whether a database is one that this program can read: of no later one, and with every table of its
// time.
func readable(db *sql.DB, file string) error {
	known := map[string]bool{"SCHEMA_INIT": true}
	for _, m := range migrations {
		known[m.ID] = true
	}
	rows, err := db.Query("SELECT id FROM migrations")
	if err != nil {
		return fmt.Errorf("couldn’t read %s: %w", file, err)
	}
	defer rows.Close()
	last := ""
	for rows.Next() {
		var id string
		if err := rows.Scan(&id); err != nil {
			return err
		}
		if !known[id] {
			return fmt.Errorf("%s is of a later program (its schema has step %s): restore it with that one", file, id)
		}
		last = max(last, id)
	}
	if err := rows.Err(); err != nil || last != migrations[len(migrations)-1].ID {
		return err // an earlier one has fewer tables; they are made when it is opened
	}
	for _, model := range allTables() {
		table, n := database.NameOf(model), 0
		err = db.QueryRow("SELECT count(*) FROM sqlite_master WHERE type = 'table' AND name = ?", table).Scan(&n)
		if err != nil || n != 1 {
			return errors.Join(err, fmt.Errorf("%s lacks the table %s: it is no whole backup", file, table))
		}
	}
	return nil
}

// onlineCopy copies a database page by page (https://sqlite.org/backup.html). Others may write meanwhile.
func onlineCopy(from, to string) error {
	open := func(path string, query string) (*sql.DB, *sql.Conn, error) {
		db, err := sql.Open("sqlite3", "file:"+(&url.URL{Path: path}).EscapedPath()+query)
		if err != nil {
			return nil, nil, err
		}
		c, err := db.Conn(context.Background())
		return db, c, err
	}
	source, in, err := open(from, "?_busy_timeout=10000")
	if err != nil {
		return err
	}
	defer source.Close()
	defer in.Close()
	target, out, err := open(to, "")
	if err != nil {
		return err
	}
	defer target.Close()
	defer out.Close()
	return out.Raw(func(outside any) error {
		return in.Raw(func(inside any) error {
			b, err := outside.(*sqlite3.SQLiteConn).Backup("main", inside.(*sqlite3.SQLiteConn), "main")
			if err != nil {
				return err
			}
			_, err = b.Step(-1) // all at once: the copy is of one moment
			return errors.Join(err, b.Finish())
		})
	})
}
