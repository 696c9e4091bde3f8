package store

import (
	"errors"

	"gorm.io/gorm"

	"omphalos/core/quiz"
)

// Launch freezes the draft, as it is at revision base, as the next version and makes it the one that runs under the
// link name; with a share above 0 it gets that share of those who begin, next to the version that runs. Errors:
// ErrOvertaken, ErrSlugTaken, ErrNotFound.
func (s *Store) Launch(id string, account uint, base int, slug string, share float64) (*Version, error) {
	var v Version
	launch := func() error {
		return s.transact(func(tx *gorm.DB) error { return s.launch(tx, &v, id, account, base, slug, share) })
	}
	if share == 0 {
		err := launch()
		return &v, s.bumpState(err)
	}
	err := s.writer.send(submission{alone: func() error {
		s.writer.flush() // what has come by now belongs to the time before the split
		return launch()
	}})
	return &v, s.bumpState(err)
}

func (s *Store) launch(tx *gorm.DB, v *Version, id string, account uint, base int, slug string, share float64) error {

	var q Quiz
	if err := tx.Where("id = ? AND deleted_at IS NULL", id).First(&q).Error; err != nil {
		return notFound(err)
	}
	if base != q.Revision {
		return ErrOvertaken
	}
	if err := s.takeLink(tx, id, slug); err != nil {
		return err
	}
	*v = Version{QuizID: id, Revision: q.Revision, Document: q.Document, AccountID: account, At: s.now().UTC()}
	if err := tx.Model(&q).UpdateColumn("slug", slug).Error; err != nil {
		return err
	}
	if share > 0 {
		return s.putBeside(tx, &q, v, share)
	}
	return s.makeLive(tx, &q, v)
}

// next stores a version as the next one.
func next(tx *gorm.DB, v *Version) error {
	last := tx.Model(&Version{}).Where("quiz_id = ?", v.QuizID).Select("COALESCE(MAX(number), 0) + 1")
	if err := last.Scan(&v.Number).Error; err != nil {
		return err
	}
	return tx.Create(v).Error
}

// putBeside stores a version as the next one and lets it share the traffic with the one that runs.
func (s *Store) putBeside(tx *gorm.DB, q *Quiz, v *Version, share float64) error {
	if err := next(tx, v); err != nil {
		return err
	}
	return s.share(tx, q, v.Number, share)
}

// makeLive stores a version as the next one and lets it run. Where two versions shared the traffic, that is over.
func (s *Store) makeLive(tx *gorm.DB, q *Quiz, v *Version) error {
	if err := next(tx, v); err != nil {
		return err
	}
	if err := tx.Model(q).UpdateColumn("live_version", v.Number).Error; err != nil {
		return err
	}
	return errors.Join(
		changeAccess(tx, q.ID, func(a *Access) { a.Split = nil }),
		s.tellHooks(tx, q.ID, EventLaunched, &Response{}),
	)
}

// LaunchAgain makes a new version with the content of an earlier one, and lets it run; the draft stays as it is.
// Errors: ErrNotFound.
func (s *Store) LaunchAgain(id string, account uint, number int) (*Version, error) {
	var v Version
	err := s.transact(func(tx *gorm.DB) error {
		var q Quiz
		if err := tx.Where("id = ? AND deleted_at IS NULL", id).First(&q).Error; err != nil {
			return notFound(err)
		}
		var old Version
		if err := tx.Where("quiz_id = ? AND number = ?", id, number).First(&old).Error; err != nil {
			return notFound(err)
		}
		v = Version{QuizID: id, Revision: old.Revision, Document: old.Document, AccountID: account, At: s.now().UTC(), Again: number}
		return s.makeLive(tx, &q, &v)
	})
	return &v, s.bumpState(err)
}

// Choose lets one of the two versions that share the traffic have all of it. Errors: ErrNoSplit.
func (s *Store) Choose(id string, number int) error {
	return s.bumpState(s.transact(func(tx *gorm.DB) error {
		var q Quiz
		if err := tx.Where("id = ? AND deleted_at IS NULL", id).First(&q).Error; err != nil {
			return notFound(err)
		}
		a, err := q.Open()
		if err != nil {
			return err
		}
		if a.Split == nil || number != a.Split.A && number != a.Split.B {
			return ErrNoSplit
		}
		if err := tx.Model(&q).UpdateColumn("live_version", number).Error; err != nil {
			return err
		}
		return changeAccess(tx, id, func(a *Access) { a.Split = nil })
	}))
}

// Version returns a launched version.
func (s *Store) Version(id string, number int) (*Version, error) {
	var v Version
	err := s.read.Where("quiz_id = ? AND number = ?", id, number).First(&v).Error
	return &v, notFound(err)
}

// VersionRevision returns the revision that a version was launched at.
func (s *Store) VersionRevision(id string, number int) (int, error) {
	var v Version
	err := s.read.Select("revision").Where("quiz_id = ? AND number = ?", id, number).Take(&v).Error
	return v.Revision, notFound(err)
}

// Versions returns the launched versions without their documents, the newest first.
func (s *Store) Versions(id string) ([]Version, error) {
	var list []Version
	err := s.read.Omit("document").Where("quiz_id = ?", id).Order("number DESC").Find(&list).Error
	return list, err
}

type versionKey struct {
	quiz   string
	number int
}

// VersionDocument returns the document of a launched version. Versions never change: those read last are remembered.
func (s *Store) VersionDocument(id string, number int) (*quiz.Document, error) {
	return s.documents.Get(versionKey{id, number}, func() (*quiz.Document, int, error) {
		v, err := s.Version(id, number)
		if err != nil {
			return nil, 0, err
		}
		d, err := quiz.ReadStored(v.Document)
		return d, documentWeight * len(v.Document), err
	})
}

// documentWeight is about how many bytes of memory a byte of a document's text takes once it is read.
const documentWeight = 4

// documentMemory bounds the documents of versions that are remembered, in bytes.
const documentMemory = 64 << 20
