package store

import (
	"errors"
	"time"

	"gorm.io/gorm"
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
	err := s.read.Where("quiz_id = ?", quizID).Order("at, " + s.dialect.inTurn).Find(&list).Error
	return list, err
}

// PutPlace returns one of them. ErrNotFound where there is none.
func (s *Store) PutPlace(quizID, id string) (*Place, error) {
	var p Place
	err := s.read.Where("quiz_id = ? AND id = ?", quizID, id).Take(&p).Error
	return &p, notFound(err)
}

// AddPlace stores a place. ErrFull where there are MaxPlaces.
func (s *Store) AddPlace(p *Place) error {
	p.ID, p.At = NewID(), s.now().UTC()
	return s.transact(func(tx *gorm.DB) error {
		if err := hasRoom(tx, &Place{}, p.QuizID, 1, MaxPlaces, ErrFull); err != nil {
			return err
		}
		return tx.Create(p).Error
	})
}

// DropPlace deletes a place; responses keep their source.
func (s *Store) DropPlace(quizID, id string) error {
	return s.write.Where("quiz_id = ? AND id = ?", quizID, id).Delete(&Place{}).Error
}

// VersionCounts are the walks of one version.
type VersionCounts struct {
	Views    int                `json:"views"`
	Starts   int                `json:"starts"`
	Finishes int                `json:"finishes"`
	Leads    int                `json:"leads"`
	Outcomes map[string]Measure `json:"outcomes,omitempty"` // finished walks by outcome

	Under *VersionCounts `json:"under,omitempty"` // of these, those on their way when a split test began
}

// add adds a line of the tally.
func (c *VersionCounts) add(t *StageTally) {
	switch t.Stage {
	case StageView:
		c.Views += t.Count
	case StageStart:
		c.Starts += t.Count
	case StageEnd:
		c.Finishes += t.Count
		c.Leads += t.Leads
		c.Outcomes[t.Place] = c.Outcomes[t.Place].plus(t.Measure)
	case StageStartBefore, StageEndBefore:
		if c.Under == nil {
			c.Under = newVersionCounts()
		}
		inner := *t
		inner.Stage = map[string]string{StageStartBefore: StageStart, StageEndBefore: StageEnd}[t.Stage]
		c.Under.add(&inner)
	}
}

// AddDay adds the walks of one day.
func (c *VersionCounts) AddDay(t *DayTally) {
	if c.Outcomes == nil {
		c.Outcomes = map[string]Measure{}
	}
	c.add(&StageTally{Stage: t.Stage, Measure: t.Measure})
}

func newVersionCounts() *VersionCounts { return &VersionCounts{Outcomes: map[string]Measure{}} }

// VersionCounts returns the walks of each version of a quiz that has any.
func (s *Store) VersionCounts(quizID string) (map[int]*VersionCounts, error) {
	return versionCounts(s.read, quizID)
}

func versionCounts(db *gorm.DB, quizID string) (map[int]*VersionCounts, error) {
	var stages []StageTally
	if err := db.Where("quiz_id = ? AND stage <> ?", quizID, StageStep).Find(&stages).Error; err != nil {
		return nil, err
	}
	out := map[int]*VersionCounts{}
	for _, t := range stages {
		c := out[t.Version]
		if c == nil {
			c = newVersionCounts()
			out[t.Version] = c
		}
		c.add(&t)
	}
	return out, nil
}

// Midway returns, by version, how many walks were begun on the given day or later (YYYY-MM-DD in the quiz's time zone)
// and are not finished. A walk that was begun before and finished since takes one off; no count is below zero.
func (s *Store) Midway(quizID, day string) (map[int]int, error) {
	var list []struct{ Version, Begun, Ended int }
	err := s.read.Model(&DayTally{}).
		Select("version, SUM(CASE stage WHEN ? THEN count ELSE 0 END) AS begun, SUM(CASE stage WHEN ? THEN count ELSE 0 END) AS ended", StageStart, StageEnd).
		Where("quiz_id = ? AND day >= ? AND stage IN ?", quizID, day, []string{StageStart, StageEnd}).
		Group("version").Scan(&list).Error
	out := map[int]int{}
	for _, l := range list {
		out[l.Version] = max(0, l.Begun-l.Ended)
	}
	return out, err
}

// Since is what has come of walks that were begun since counts were taken; those may be nil.
func (c *VersionCounts) Since(before *VersionCounts) *VersionCounts {
	all := c.minus(before)
	if c == nil {
		return all
	}
	var under *VersionCounts
	if before != nil {
		under = before.Under
	}
	return all.minus(c.Under.minus(under))
}

// minus is the difference of counts, either of which may be nil.
func (c *VersionCounts) minus(o *VersionCounts) *VersionCounts {
	out := newVersionCounts()
	for _, one := range []struct {
		counts *VersionCounts
		sign   int
	}{{c, 1}, {o, -1}} {
		if one.counts == nil {
			continue
		}
		out.Views += one.sign * one.counts.Views
		out.Starts += one.sign * one.counts.Starts
		out.Finishes += one.sign * one.counts.Finishes
		out.Leads += one.sign * one.counts.Leads
		for id, m := range one.counts.Outcomes {
			out.Outcomes[id] = out.Outcomes[id].plus(m.times(one.sign))
		}
	}
	return out
}

// ErrNoSplit is returned where two versions share no traffic.
var ErrNoSplit = errors.New("no split test is running")

// StartSplit lets version b share the traffic with the live one. Events that wait to be written belong to the time
// before.
func (s *Store) StartSplit(quizID string, b int, share float64) error {
	return s.writer.send(submission{alone: func() error {
		s.writer.flush()
		return s.startSplit(quizID, b, share)
	}})
}

func (s *Store) startSplit(quizID string, b int, share float64) error {
	return s.bumpState(s.transact(func(tx *gorm.DB) error {
		var q Quiz
		if err := tx.Where("id = ? AND deleted_at IS NULL", quizID).First(&q).Error; err != nil {
			return notFound(err)
		}
		if err := tx.Where("quiz_id = ? AND number = ?", quizID, b).First(&Version{}).Error; err != nil {
			return notFound(err)
		}
		return s.share(tx, &q, b, share)
	}))
}

// share lets a version share the traffic with the live one, from what both have come to by now.
func (s *Store) share(tx *gorm.DB, q *Quiz, b int, share float64) error {
	counts, err := versionCounts(tx, q.ID)
	if err != nil {
		return err
	}
	return changeAccess(tx, q.ID, func(a *Access) {
		a.Split = &Split{A: q.LiveVersion, B: b, Share: share, Since: s.now().UTC(), Before: counts}
	})
}

// SourceCounts returns how many finished walks of a quiz came from each source.
func (s *Store) SourceCounts(quizID string) (map[string]int, error) {
	var list []struct {
		Value string
		Count int
	}
	err := s.read.Model(&SliceTally{}).Select("value, count").
		Where("quiz_id = ? AND kind = ? AND stage = ?", quizID, BySource, StageEnd).Scan(&list).Error
	out := map[string]int{}
	for _, l := range list {
		out[l.Value] = l.Count
	}
	return out, err
}
