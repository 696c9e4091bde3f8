package store

import (
	"errors"
	"fmt"
	"net/url"

	"gorm.io/driver/postgres"
	"gorm.io/gorm"

	"omphalos/app/store/database"
)

// openFile opens the database in a file, and brings it up to date.
func (s *Store) openFile(path string) (err error) {
	writing := url.Values{"_txlock": {"immediate"}, "_secure_delete": {"on"}, "_cache_size": {writingCache}}
	if s.Write, err = database.Connect(path, writing, 1); err != nil {
		return err
	}
	s.Loose = s.Write
	if err := s.keepBefore(s.Write); err != nil {
		return fmt.Errorf(
			"couldn’t back up the database before updating it from an earlier version: %w",
			err,
		)
	}
	if err := migrate(s.Write, database.OnSQLite); err != nil {
		return err
	}
	s.Read, err = database.Connect(path, url.Values{"_query_only": {"true"}}, 4)
	return err
}

// openPostgres opens the database at an address such as postgres://user@host/name, and makes the schema where there is
// none. Of several servers that start at once one does, and the others wait.
func (s *Store) openPostgres(address string) (err error) {
	if s.Write, err = database.ConnectPostgres(address, 1, false); err != nil {
		return err
	}
	err = s.Write.Connection(func(tx *gorm.DB) error {
		const key = "(hashtext(current_schema()) + 1::bigint)"
		err := tx.Exec("SET lock_timeout = '15min'").Error // another server may be changing large tables
		if err == nil {
			err = tx.Exec("SELECT pg_advisory_lock" + key).Error
		}
		if err != nil {
			return err
		}
		err = migrate(tx, database.OnPostgres)
		return errors.Join(err, tx.Exec("SELECT pg_advisory_unlock"+key).Error, tx.Exec("RESET lock_timeout").Error)
	})
	if err != nil {
		return err
	}
	if s.Loose, err = database.ConnectPostgres(address, database.PostgresLoose, false); err != nil {
		return err
	}
	s.Read, err = database.ConnectPostgres(address, database.PostgresReaders, true)
	return err
}

// writingCache is how much of the database stays at hand for who writes: the ends of the indexes of a few million
// responses.
const writingCache = "-32000" // kB

// countOn lets the numbers that a server gives continue behind those that were moved in.
func (s *Store) countOn() error {
	for _, model := range allTables() {
		parsed := &gorm.Statement{DB: s.Write}
		if err := parsed.Parse(model); err != nil {
			return err
		}
		id := parsed.Schema.PrioritizedPrimaryField
		if id == nil || !id.AutoIncrement {
			continue
		}
		if err := s.Write.Exec(fmt.Sprintf(s.Dialect.CountOn, parsed.Schema.Table)).Error; err != nil {
			return err
		}
	}
	return nil
}

// newSchema makes all tables as they are now.
func newSchema(tx *gorm.DB) error {
	if err := tx.AutoMigrate(allTables()...); err != nil {
		return err
	}
	return unlogged(tx)
}

// unlogged makes the tables that tell of the moment such that no one waits until their lines are on the disk; they are
// empty again when the server has been killed. On a file there is nothing to do.
func unlogged(tx *gorm.DB) error {
	if tx.Name() != (postgres.Dialector{}).Name() {
		return nil
	}
	for _, model := range ofTheMoment {
		parsed := &gorm.Statement{DB: tx}
		if err := parsed.Parse(model); err != nil {
			return err
		}
		if err := tx.Exec("ALTER TABLE " + parsed.Schema.Table + " SET UNLOGGED").Error; err != nil {
			return err
		}
	}
	return nil
}

// dayColumn sets the day of responses that have none, in UTC: how earlier programs kept them.
func dayColumn(tx *gorm.DB) error {
	return tx.Exec("UPDATE responses SET day = substr(at, 1, 10) WHERE day IS NULL OR day = ''").Error
}
