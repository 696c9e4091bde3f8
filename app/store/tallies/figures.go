package tallies

import (
	"slices"
	"strconv"
	"strings"
	"time"

	"omphalos/app/store/database"
)

// What Leads shows first is read from tallies: it costs the same however many responses there are.

// Days returns the tallies of a quiz by day, over all versions, the oldest first.
func (s *Store) Days(quizID string) ([]DayTally, error) {
	var list []DayTally
	err := s.Read.Model(&DayTally{}).Select("day, stage, SUM(count) AS count, SUM(kept) AS kept, SUM(leads) AS leads").
		Where("quiz_id = ?", quizID).Group("day, stage").Order("day").Find(&list).Error
	return list, err
}

// VersionDays returns the tallies of one version by day, the oldest first.
func (s *Store) VersionDays(quizID string, version int) ([]DayTally, error) {
	var list []DayTally
	err := s.Read.Where("quiz_id = ? AND version = ?", quizID, version).Order("day").Find(&list).Error
	return list, err
}

// Slice is the part of all walks that have one value of something: a source, a device, a country, a version.
type Slice struct {
	Value    string
	Views    int
	Starts   int
	Finishes int
	Kept     int
	Leads    int
}

// Breakdowns are what walks are told apart by.
var Breakdowns = []string{BySource, ByDevice, ByCountry, ByLanguage, ByWay, byVersion}

const byVersion = "version"

// Breakdown returns the walks of a quiz by one of Breakdowns, those with most starts first. Walks that kept nothing have
// none of these but a version.
func (s *Store) Breakdown(quizID, by string) ([]Slice, error) {
	if !slices.Contains(Breakdowns, by) {
		return nil, database.ErrNotFound
	}
	var list []struct {
		Value, Stage       string
		Count, Kept, Leads int
	}
	q := s.Read.Model(&SliceTally{}).
		Select("value, stage, count, kept, leads").
		Where("quiz_id = ? AND kind = ?", quizID, by)
	if by == byVersion {
		q = s.Read.Model(&StageTally{}).Where("quiz_id = ?", quizID).Group("version, stage").
			Select("CAST(version AS TEXT) AS value, stage, SUM(count) AS count, SUM(kept) AS kept, SUM(leads) AS leads")
	}
	if err := q.Where("stage IN ?", []string{StageView, StageStart, StageEnd}).Scan(&list).Error; err != nil {
		return nil, err
	}
	var out []Slice
	at := map[string]int{}
	for _, l := range list {
		k, known := at[l.Value]
		if !known {
			k = len(out)
			at[l.Value] = k
			out = append(out, Slice{Value: l.Value})
		}
		switch one := &out[k]; l.Stage {
		case StageView:
			one.Views += l.Count
		case StageStart:
			one.Starts += l.Count
		case StageEnd:
			one.Finishes, one.Kept, one.Leads = one.Finishes+l.Count, one.Kept+l.Kept, one.Leads+l.Leads
		}
	}
	slices.SortStableFunc(out, func(a, b Slice) int { return (b.Starts + b.Finishes) - (a.Starts + a.Finishes) })
	return out, nil
}

// MedianTime is how long half of the kept walks took at most, to two digits; 0 where none is known.
func (s *Store) MedianTime(quizID string) (time.Duration, error) {
	var list []SliceTally
	err := s.Read.Where("quiz_id = ? AND kind = ? AND stage = ? AND count > 0", quizID, ByTook, StageEnd).
		Find(&list).
		Error
	if err != nil {
		return 0, err
	}
	return median(list), nil
}

// MedianArrivals is after how long half of the walks that came to a question had come there, by question.
func (s *Store) MedianArrivals(quizID string) (map[string]time.Duration, error) {
	var list []SliceTally
	err := s.Read.Where("quiz_id = ? AND kind LIKE ? AND count > 0", quizID, byCame+"%").Find(&list).Error
	if err != nil {
		return nil, err
	}
	each := map[string][]SliceTally{}
	for _, t := range list {
		each[t.Kind] = append(each[t.Kind], t)
	}
	out := map[string]time.Duration{}
	for kind, list := range each {
		out[strings.TrimPrefix(kind, byCame)] = median(list)
	}
	return out, nil
}

// median is the lowest step that half of the walks reach at most.
func median(list []SliceTally) time.Duration {
	all := 0
	steps := make([][2]int, 0, len(list)) // seconds, and how many
	for _, t := range list {
		if seconds, err := strconv.Atoi(t.Value); err == nil { // Lasting wrote it
			steps = append(steps, [2]int{seconds, t.Count})
			all += t.Count
		}
	}
	slices.SortFunc(steps, func(a, b [2]int) int { return a[0] - b[0] })
	below := 0
	for _, step := range steps {
		if below += step[1]; 2*below >= all {
			return time.Duration(step[0]) * time.Second
		}
	}
	return 0
}

// AnswerOutcome is how often a field had a value among kept responses that ended at an outcome.
type AnswerOutcome struct {
	Field, Value, Outcome string
	Count                 int
}

// AnswerOutcomes returns how the answers of a quiz and its outcomes went together, over all versions.
func (s *Store) AnswerOutcomes(quizID string) ([]AnswerOutcome, error) {
	var list []AnswerOutcome
	err := s.Read.Model(&AnswerTally{}).
		Select("field, value, outcome, SUM(count) AS count").
		Where("quiz_id = ?", quizID).
		Group("field, value, outcome").
		Having("SUM(count) > 0").
		Order("field, value, outcome").
		Scan(&list).
		Error
	return list, err
}
