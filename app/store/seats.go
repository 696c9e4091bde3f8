package store

import "time"

// Seat is a window of the workbench that is open on one of several servers. A server says again and again that its
// windows are still there, so that those of one that was killed go by themselves.
type Seat struct {
	ID      string `gorm:"primaryKey"`
	Server  string `gorm:"index"`
	QuizID  string `gorm:"index"`
	Account string // its email address
	Room    string
	Until   time.Time `gorm:"index"`
}

// SeatsEvery is how often KeepSeats is to be called; a seat that is not kept goes after seatLife.
const (
	SeatsEvery = 20 * time.Second
	seatLife   = time.Minute
)

// Sit notes that a window is open, for other servers on the database; the other function notes that it is not any
// more. On a file there are none.
func (s *People) Sit(quizID, account, room string) (rise func() error, err error) {
	if !s.dialect.shared {
		return func() error { return nil }, nil
	}
	one := Seat{NewID(), s.server, quizID, account, room, s.now().UTC().Add(seatLife)}
	rise = func() error { return s.loose.Delete(&one).Error }
	return rise, s.loose.Create(&one).Error
}

// KeepSeats says that the windows on this server are still open, and forgets those of servers that are gone.
func (s *People) KeepSeats() error {
	if !s.dialect.shared {
		return nil
	}
	now := s.now().UTC()
	err := s.loose.Model(&Seat{}).Where("server = ?", s.server).UpdateColumn("until", now.Add(seatLife)).Error
	if err != nil {
		return err
	}
	return s.loose.Where("until < ?", now).Delete(&Seat{}).Error
}

// Elsewhere are the windows that are open on other servers, one for each account and room.
func (s *People) Elsewhere(quizID string) ([]Seat, error) {
	if !s.dialect.shared {
		return nil, nil
	}
	var list []Seat
	err := s.read.Model(&Seat{}).Distinct("account", "room").
		Where("quiz_id = ? AND server <> ? AND until > ?", quizID, s.server, s.now().UTC()).Find(&list).Error
	return list, err
}
