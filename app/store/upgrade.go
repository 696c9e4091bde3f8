package store

import (
	"errors"
	"os"
	"path/filepath"
	"time"

	"gorm.io/gorm"
)

// beforeUpgrade begins the names of the copies that are made of a database before it is brought to another schema: the
// last migration that it had follows.
const beforeUpgrade = File + ".before-"

// copiesLife is how long such copies are kept. What is deleted meanwhile is in them still, as in any backup.
const copiesLife = 30 * 24 * time.Hour

// keepBefore copies a database of an earlier schema, checked, before it is changed. One that is new, or that has this
// program's schema, is not copied.
func (s *Store) keepBefore(db *gorm.DB) error {
	if !db.Migrator().HasTable("migrations") {
		return nil
	}
	var last string
	if err := db.Table("migrations").Select("coalesce(max(id), '')").Scan(&last).Error; err != nil {
		return err
	}
	if last == "" || last >= migrations[len(migrations)-1].ID {
		return nil
	}
	dir := filepath.Dir(s.Path)
	file := filepath.Join(dir, beforeUpgrade+last)
	if _, err := os.Stat(file); err == nil {
		return nil // an upgrade that was broken off continues
	}
	return Backup(dir, file)
}

// dropOldCopies deletes copies that have been kept for long enough.
func (s *Store) dropOldCopies() error {
	if s.Path == "" {
		return nil
	}
	files, err := filepath.Glob(filepath.Join(filepath.Dir(s.Path), beforeUpgrade+"*"))
	errs := []error{err}
	for _, file := range files {
		if info, err := os.Stat(file); err == nil && s.Now().Sub(info.ModTime()) > copiesLife {
			errs = append(errs, os.Remove(file))
		}
	}
	return errors.Join(errs...)
}
