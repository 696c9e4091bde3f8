package store

import (
	"errors"

	"gorm.io/gorm"

	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/documents"
	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
)

// Launch freezes the draft, as it is at revision base, as the next version and makes it the one that runs under the
// link name; with a share above 0 it gets that share of those who begin, next to the version that runs. Errors:
// ErrOvertaken, ErrSlugTaken, ErrNotFound.
func (s *Store) Launch(id string, account uint, base int, slug string, share float64) (*documents.Version, error) {
	var v documents.Version
	launch := func() error {
		return s.Transact(func(tx *gorm.DB) error { return s.launch(tx, &v, id, account, base, slug, share) })
	}
	if share == 0 {
		err := launch()
		return &v, s.BumpState(err)
	}
	err := s.Responses.Alone(func() error {
		s.Responses.Flush() // what has come by now belongs to the time before the split
		return launch()
	})
	return &v, s.BumpState(err)
}

func (s *Store) launch(
	tx *gorm.DB,
	v *documents.Version,
	id string,
	account uint,
	base int,
	slug string,
	share float64,
) error {

	var q documents.Quiz
	if err := tx.Where("id = ? AND deleted_at IS NULL", id).First(&q).Error; err != nil {
		return database.NotFound(err)
	}
	if base != q.Revision {
		return documents.ErrOvertaken
	}
	if err := s.Documents.TakeLink(tx, id, slug); err != nil {
		return err
	}
	*v = documents.Version{
		QuizID:    id,
		Revision:  q.Revision,
		Document:  q.Document,
		AccountID: account,
		At:        s.Now().UTC(),
	}
	if err := tx.Model(&q).UpdateColumn("slug", slug).Error; err != nil {
		return err
	}
	if share > 0 {
		return s.putBeside(tx, &q, v, share)
	}
	return s.makeLive(tx, &q, v)
}

// next stores a version as the next one.
func next(tx *gorm.DB, v *documents.Version) error {
	last := tx.Model(&documents.Version{}).Where("quiz_id = ?", v.QuizID).Select("COALESCE(MAX(number), 0) + 1")
	if err := last.Scan(&v.Number).Error; err != nil {
		return err
	}
	return tx.Create(v).Error
}

// putBeside stores a version as the next one and lets it share the traffic with the one that runs.
func (s *Store) putBeside(tx *gorm.DB, q *documents.Quiz, v *documents.Version, share float64) error {
	if err := next(tx, v); err != nil {
		return err
	}
	return s.share(tx, q, v.Number, share)
}

// makeLive stores a version as the next one and lets it run. Where two versions shared the traffic, that is over.
func (s *Store) makeLive(tx *gorm.DB, q *documents.Quiz, v *documents.Version) error {
	if err := next(tx, v); err != nil {
		return err
	}
	if err := tx.Model(q).UpdateColumn("live_version", v.Number).Error; err != nil {
		return err
	}
	return errors.Join(
		responses.ChangeAccess(tx, q.ID, func(a *responses.Access) { a.Split = nil }),
		s.Deliveries.TellHooks(tx, q.ID, deliveries.EventLaunched, "", ""),
	)
}

// LaunchAgain makes a new version with the content of an earlier one, and lets it run; the draft stays as it is.
// Errors: ErrNotFound.
func (s *Store) LaunchAgain(id string, account uint, number int) (*documents.Version, error) {
	var v documents.Version
	err := s.Transact(func(tx *gorm.DB) error {
		var q documents.Quiz
		if err := tx.Where("id = ? AND deleted_at IS NULL", id).First(&q).Error; err != nil {
			return database.NotFound(err)
		}
		var old documents.Version
		if err := tx.Where("quiz_id = ? AND number = ?", id, number).First(&old).Error; err != nil {
			return database.NotFound(err)
		}
		v = documents.Version{
			QuizID:    id,
			Revision:  old.Revision,
			Document:  old.Document,
			AccountID: account,
			At:        s.Now().UTC(),
			Again:     number,
		}
		return s.makeLive(tx, &q, &v)
	})
	return &v, s.BumpState(err)
}

// Choose lets one of the two versions that share the traffic have all of it. Errors: ErrNoSplit.
func (s *Store) Choose(id string, number int) error {
	return s.BumpState(s.Transact(func(tx *gorm.DB) error {
		var q documents.Quiz
		if err := tx.Where("id = ? AND deleted_at IS NULL", id).First(&q).Error; err != nil {
			return database.NotFound(err)
		}
		a, err := responses.AccessOf(&q)
		if err != nil {
			return err
		}
		if a.Split == nil || number != a.Split.A && number != a.Split.B {
			return ErrNoSplit
		}
		if err := tx.Model(&q).UpdateColumn("live_version", number).Error; err != nil {
			return err
		}
		return responses.ChangeAccess(tx, id, func(a *responses.Access) { a.Split = nil })
	}))
}

// ErrNoSplit is returned where two versions share no traffic.
var ErrNoSplit = errors.New("no split test is running")

// StartSplit lets version b share the traffic with the live one. Events that wait to be written belong to the time
// before.
func (s *Store) StartSplit(quizID string, b int, share float64) error {
	return s.Responses.Alone(func() error {
		s.Responses.Flush()
		return s.startSplit(quizID, b, share)
	})
}

func (s *Store) startSplit(quizID string, b int, share float64) error {
	return s.BumpState(s.Transact(func(tx *gorm.DB) error {
		var q documents.Quiz
		if err := tx.Where("id = ? AND deleted_at IS NULL", quizID).First(&q).Error; err != nil {
			return database.NotFound(err)
		}
		if err := tx.Where("quiz_id = ? AND number = ?", quizID, b).First(&documents.Version{}).Error; err != nil {
			return database.NotFound(err)
		}
		return s.share(tx, &q, b, share)
	}))
}

// share lets a version share the traffic with the live one, from what both have come to by now.
func (s *Store) share(tx *gorm.DB, q *documents.Quiz, b int, share float64) error {
	counts, err := tallies.ByVersion(tx, q.ID)
	if err != nil {
		return err
	}
	return responses.ChangeAccess(tx, q.ID, func(a *responses.Access) {
		a.Split = &responses.Split{A: q.LiveVersion, B: b, Share: share, Since: s.Now().UTC(), Before: counts}
	})
}
