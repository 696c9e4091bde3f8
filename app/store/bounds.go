package store

import "gorm.io/gorm"

// hasRoom returns full where a quiz has so many lines of a model already that more would be past the bound. It is asked
// within the transaction that writes them: transactions come one after the other, so that no two see the same room.
func hasRoom(tx *gorm.DB, model any, quizID string, more, most int, full error) error {
	var n int64
	if err := tx.Model(model).Where("quiz_id = ?", quizID).Count(&n).Error; err != nil {
		return err
	}
	if int(n)+more > most {
		return full
	}
	return nil
}
