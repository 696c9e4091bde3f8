package store

import (
	"encoding/json"

	"gorm.io/gorm"
)

// Access is who may reach a quiz that runs, and how. It is the quiz's, not its versions': it changes without a launch.
type Access struct {
	// Frames are the sites whose pages may show the quiz in a frame, as origins such as https://www.larkmoor.example;
	// none means any site.
	Frames []string `json:"frames,omitempty"`
}

// Open is the access to a quiz as it has been set.
func (q *Quiz) Open() (Access, error) {
	var a Access
	if len(q.Access) == 0 {
		return a, nil
	}
	return a, json.Unmarshal(q.Access, &a)
}

// SetAccess changes the access to a quiz by f, which sees what is stored now.
func (s *Store) SetAccess(id string, f func(*Access)) error {
	return s.moved(s.write.Transaction(func(tx *gorm.DB) error {
		var q Quiz
		if err := tx.Select("access").Where("id = ? AND deleted_at IS NULL", id).First(&q).Error; err != nil {
			return notFound(err)
		}
		a, err := q.Open()
		if err != nil {
			return err
		}
		f(&a)
		text, err := json.Marshal(a)
		if err != nil {
			return err
		}
		return tx.Model(&Quiz{}).Where("id = ?", id).UpdateColumn("access", text).Error
	}))
}
