package documents

import (
	"time"

	"omphalos/app/store/database"
	"omphalos/core/quiz"
)

// Version returns a launched version.
func (s *Store) Version(id string, number int) (*Version, error) {
	var v Version
	err := s.Read.Where("quiz_id = ? AND number = ?", id, number).First(&v).Error
	return &v, database.NotFound(err)
}

// VersionRevision returns the revision that a version was launched at.
func (s *Store) VersionRevision(id string, number int) (int, error) {
	var v Version
	err := s.Read.Select("revision").Where("quiz_id = ? AND number = ?", id, number).Take(&v).Error
	return v.Revision, database.NotFound(err)
}

// Versions returns the launched versions without their documents, the newest first.
func (s *Store) Versions(id string) ([]Version, error) {
	var list []Version
	err := s.Read.Omit("document").Where("quiz_id = ?", id).Order("number DESC").Find(&list).Error
	return list, err
}

type versionKey struct {
	quiz   string
	number int
}

// VersionDocument returns the document of a launched version. Versions never change: those read last are remembered.
func (s *Store) VersionDocument(id string, number int) (*quiz.Document, error) {
	return s.memory.Get(versionKey{id, number}, func() (*quiz.Document, int, error) {
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

// Version is a launched document. It never changes.
type Version struct {
	QuizID    string `gorm:"primaryKey"`
	Number    int    `gorm:"primaryKey;autoIncrement:false"`
	Revision  int
	Document  []byte
	AccountID uint
	At        time.Time
	Again     int // the version whose content it brings back; 0 for a launch of the draft
}
