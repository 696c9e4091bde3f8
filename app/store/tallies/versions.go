package tallies

import "gorm.io/gorm"

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
		c.Outcomes[t.Place] = c.Outcomes[t.Place].Plus(t.Measure)
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
	return ByVersion(s.Read, quizID)
}

// ByVersion returns the walks of each version of a quiz that has any, within a transaction.
func ByVersion(db *gorm.DB, quizID string) (map[int]*VersionCounts, error) {
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
	err := s.Read.Model(&DayTally{}).
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
			out.Outcomes[id] = out.Outcomes[id].Plus(m.times(one.sign))
		}
	}
	return out
}

// SourceCounts returns how many finished walks of a quiz came from each source.
func (s *Store) SourceCounts(quizID string) (map[string]int, error) {
	var list []struct {
		Value string
		Count int
	}
	err := s.Read.Model(&SliceTally{}).Select("value, count").
		Where("quiz_id = ? AND kind = ? AND stage = ?", quizID, BySource, StageEnd).Scan(&list).Error
	out := map[string]int{}
	for _, l := range list {
		out[l.Value] = l.Count
	}
	return out, err
}
