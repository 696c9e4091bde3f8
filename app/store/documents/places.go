package documents

import (
	"time"

	"gorm.io/gorm"

	"omphalos/app/store/database"
)

// Place is somewhere that a quiz is put, such as a newsletter or a fair: a link of its own, so that responses tell
// where they come from.
type Place struct {
	ID       string `gorm:"primaryKey"`
	QuizID   string `gorm:"index"`
	Name     string // as people call it
	Source   string // utm_source, which responses are kept with
	Medium   string // utm_medium
	Campaign string // utm_campaign
	At       time.Time
}

// MaxPlaces is how many places a quiz is put at most.
const MaxPlaces = 200

// PutPlaces returns the places that a quiz is put, the oldest first.
func (s *Store) PutPlaces(quizID string) ([]Place, error) {
	var list []Place
	err := s.Read.Where("quiz_id = ?", quizID).Order("at, " + s.Dialect.InTurn).Find(&list).Error
	return list, err
}

// PutPlace returns one of them. ErrNotFound where there is none.
func (s *Store) PutPlace(quizID, id string) (*Place, error) {
	var p Place
	err := s.Read.Where("quiz_id = ? AND id = ?", quizID, id).Take(&p).Error
	return &p, database.NotFound(err)
}

// AddPlace stores a place. ErrFull where there are MaxPlaces.
func (s *Store) AddPlace(p *Place) error {
	p.ID, p.At = database.NewID(), s.Now().UTC()
	return s.Transact(func(tx *gorm.DB) error {
		if err := database.HasRoom(tx, &Place{}, p.QuizID, 1, MaxPlaces, database.ErrFull); err != nil {
			return err
		}
		return tx.Create(p).Error
	})
}

// DropPlace deletes a place; responses keep their source.
func (s *Store) DropPlace(quizID, id string) error {
	return s.Write.Where("quiz_id = ? AND id = ?", quizID, id).Delete(&Place{}).Error
}
