package store

import (
	"gorm.io/gorm"

	"omphalos/core/quiz"
)

// Launch freezes the draft, as it is at revision base, as the next version and makes it the one that runs under the
// link name. Errors: ErrOvertaken, ErrSlugTaken, ErrNotFound.
func (s *Store) Launch(id string, account uint, base int, slug string) (*Version, error) {
	var v Version
	err := s.write.Transaction(func(tx *gorm.DB) error {
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
		v = Version{QuizID: id, Revision: q.Revision, Document: q.Document, AccountID: account, At: s.now().UTC()}
		last := tx.Model(&Version{}).Where("quiz_id = ?", id).Select("COALESCE(MAX(number), 0) + 1")
		if err := last.Scan(&v.Number).Error; err != nil {
			return err
		}
		if err := tx.Create(&v).Error; err != nil {
			return err
		}
		return tx.Model(&q).UpdateColumns(map[string]any{"live_version": v.Number, "slug": slug}).Error
	})
	return &v, s.moved(err)
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
