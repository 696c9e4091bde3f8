package people

import (
	"time"

	"omphalos/app/store/database"
)

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
	SeatLife   = time.Minute
)

// Sit notes that a window is open, for other servers on the database; the other function notes that it is not any
// more. On a file there are none.
func (s *Store) Sit(quizID, account, room string) (rise func() error, err error) {
	if !s.Dialect.Shared {
		return func() error { return nil }, nil
	}
	one := Seat{database.NewID(), s.Server, quizID, account, room, s.Now().UTC().Add(SeatLife)}
	rise = func() error { return s.Loose.Delete(&one).Error }
	return rise, s.Loose.Create(&one).Error
}

// KeepSeats says that the windows on this server are still open, and forgets those of servers that are gone.
func (s *Store) KeepSeats() error {
	if !s.Dialect.Shared {
		return nil
	}
	now := s.Now().UTC()
	err := s.Loose.Model(&Seat{}).Where("server = ?", s.Server).UpdateColumn("until", now.Add(SeatLife)).Error
	if err != nil {
		return err
	}
	return s.Loose.Where("until < ?", now).Delete(&Seat{}).Error
}

// Elsewhere are the windows that are open on other servers, one for each account and room.
func (s *Store) Elsewhere(quizID string) ([]Seat, error) {
	if !s.Dialect.Shared {
		return nil, nil
	}
	var list []Seat
	err := s.Read.Model(&Seat{}).Distinct("account", "room").
		Where("quiz_id = ? AND server <> ? AND until > ?", quizID, s.Server, s.Now().UTC()).Find(&list).Error
	return list, err
}
