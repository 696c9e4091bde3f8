package tallies

import (
	"time"

	"omphalos/app/store/database"
)

// Store reads how often what happened: figures whose cost does not depend on how many responses there are.
type Store struct{ *database.DB }

// New reads the tallies of a database.
func New(db *database.DB) *Store { return &Store{db} }

// Counts are the walks of a quiz, read from tallies: what they cost does not depend on how many responses there are.
type Counts struct {
	Views    int
	Starts   int
	Finishes int
	Kept     int                    // finished walks that are stored with their answers
	Leads    int                    // of these, with an email address
	Outcomes map[string]int         // finished walks by outcome id
	Versions map[int]map[string]int // the same, by version
	Aside    int                    // set aside as suspect; in none of the other counts
	Past     int                    // imported; in none of the other counts
	Days     [Month]int             // kept responses of the last days, the oldest first
}

func newCounts() *Counts {
	return &Counts{Outcomes: map[string]int{}, Versions: map[int]map[string]int{}}
}

// Month is how many days Counts tell of.
const Month = 30

// add adds a line of the tally.
func (c *Counts) add(t *StageTally) {
	switch t.Stage {
	case StageView:
		c.Views += t.Count
	case StageStart:
		c.Starts += t.Count
	case StageAside:
		c.Aside += t.Count
	case StagePast:
		c.Past += t.Count
	case StageEnd:
		c.Finishes, c.Kept, c.Leads = c.Finishes+t.Count, c.Kept+t.Kept, c.Leads+t.Leads
		c.Outcomes[t.Place] += t.Count
		if c.Versions[t.Version] == nil {
			c.Versions[t.Version] = map[string]int{}
		}
		c.Versions[t.Version][t.Place] += t.Count
	}
}

// addDay adds a day's tally, when it is within the month that ends today.
func (c *Counts) addDay(t *DayTally, today time.Time) {
	day, err := time.Parse(time.DateOnly, t.Day)
	if err != nil {
		return
	}
	if ago := int(today.Sub(day).Hours() / 24); ago >= 0 && ago < Month {
		c.Days[Month-1-ago] += t.Kept
	}
}

// dateOf is the calendar day of a time in its own zone, as midnight in UTC.
func dateOf(t time.Time) time.Time {
	y, m, d := t.Date()
	return time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
}

// Counts returns the counts of every quiz. zone tells the time zone of each: which day is today.
func (s *Store) Counts(zone func(quizID string) *time.Location) (map[string]*Counts, error) {
	out := map[string]*Counts{}
	of := func(id string) *Counts {
		if out[id] == nil {
			out[id] = newCounts()
		}
		return out[id]
	}
	var stages []StageTally
	if err := s.Read.Where("stage <> ?", StageStep).Find(&stages).Error; err != nil {
		return nil, err
	}
	for i := range stages {
		of(stages[i].QuizID).add(&stages[i])
	}
	now := s.Now()
	var days []DayTally
	since := now.UTC().AddDate(0, 0, -Month-1).Format(time.DateOnly)
	if err := s.Read.Where("stage = ? AND day >= ?", StageEnd, since).Find(&days).Error; err != nil {
		return nil, err
	}
	for i := range days {
		of(days[i].QuizID).addDay(&days[i], dateOf(now.In(zone(days[i].QuizID))))
	}
	return out, nil
}

// QuizCounts returns the counts of one quiz, whose days end at midnight in the zone.
func (s *Store) QuizCounts(id string, zone *time.Location) (*Counts, error) {
	c := newCounts()
	var stages []StageTally
	if err := s.Read.Where("quiz_id = ? AND stage <> ?", id, StageStep).Find(&stages).Error; err != nil {
		return nil, err
	}
	for i := range stages {
		c.add(&stages[i])
	}
	today := dateOf(s.Now().In(zone))
	var days []DayTally
	since := today.AddDate(0, 0, 1-Month).Format(time.DateOnly)
	err := s.Read.Where("quiz_id = ? AND stage = ? AND day >= ?", id, StageEnd, since).Find(&days).Error
	if err != nil {
		return nil, err
	}
	for i := range days {
		c.addDay(&days[i], today)
	}
	return c, nil
}

// ValueCount is how often a field had a value.
type ValueCount struct {
	Field string
	Value string
	Count int
}

// AnswerCounts returns how often each field of a quiz had each value, over all versions and outcomes.
func (s *Store) AnswerCounts(quizID string) ([]ValueCount, error) {
	var list []ValueCount
	err := s.Read.Model(&AnswerTally{}).Select("field, value, SUM(count) AS count").Where("quiz_id = ?", quizID).
		Group("field, value").Having("SUM(count) > 0").Order("field, value").Scan(&list).Error
	return list, err
}

// StageCounts returns how many walks of a quiz came to each place of a stage, over all versions.
func (s *Store) StageCounts(quizID, stage string) (map[string]int, error) {
	var list []StageTally
	if err := s.Read.Where("quiz_id = ? AND stage = ?", quizID, stage).Find(&list).Error; err != nil {
		return nil, err
	}
	out := map[string]int{}
	for _, t := range list {
		out[t.Place] += t.Count
	}
	return out, nil
}
