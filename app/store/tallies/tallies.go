package tallies

import (
	"errors"
	"maps"
	"slices"
	"strconv"
	"time"

	"omphalos/app/store/database"
)

// Stages of a walk, as tallies name them.
const (
	StageView  = "view"  // the first page was shown
	StageStart = "start" // the first answer was given
	StageStep  = "step"  // a question was reached for the first time; the place is its id
	StageEnd   = "end"   // the walk was finished; the place is its outcome
	StageAside = "aside" // finished and set aside: in no other figure
	StagePast  = "past"  // imported: in no other figure, as no start belongs to it; the place is its outcome

	// Of walks that were on their way when a split test began: in the stages above too. The test leaves them out.
	StageStartBefore = "start before"
	StageEndBefore   = "end before" // the place is the outcome
)

// Values that a field of an answer tally has next to those of choices and numbers.
const (
	ValueAsked  = "\x01asked"  // everyone who was asked
	ValueBlank  = ""           // left blank
	ValueOthers = "\x01others" // past the bound of values that are told apart
)

// Bounds of what is told apart within one quiz; what comes later counts as others.
const (
	MaxSources = 200
	maxValues  = 1000 // of one field
)

// Measure is what a tally counts.
type Measure struct {
	Count int
	Kept  int // of Count, those that are stored with their answers
	Leads int // of Kept, those with an email address
}

// Plus adds two measures up.
func (m Measure) Plus(n Measure) Measure {
	return Measure{m.Count + n.Count, m.Kept + n.Kept, m.Leads + n.Leads}
}

func (m Measure) times(n int) Measure { return Measure{n * m.Count, n * m.Kept, n * m.Leads} }

// StageTally counts walks by version and stage: a few lines a version. Home, the rooms and the bar read it.
type StageTally struct {
	QuizID  string `gorm:"primaryKey"`
	Version int    `gorm:"primaryKey;autoIncrement:false"`
	Stage   string `gorm:"primaryKey"`
	Place   string `gorm:"primaryKey"`
	Measure `       gorm:"embedded"`
}

// DayTally counts walks by day, version and stage.
type DayTally struct {
	QuizID  string `gorm:"primaryKey"`
	Day     string `gorm:"primaryKey"` // YYYY-MM-DD in the quiz's time zone
	Version int    `gorm:"primaryKey;autoIncrement:false"`
	Stage   string `gorm:"primaryKey"`
	Measure `       gorm:"embedded"`
}

// TableName keeps the days apart from those of earlier programs, which told no versions apart.
func (DayTally) TableName() string { return "version_day_tallies" }

// SliceTally counts walks by one thing that tells them apart: there are as many lines as values, however many walks.
type SliceTally struct {
	QuizID  string `gorm:"primaryKey"`
	Kind    string `gorm:"primaryKey"` // one of the By constants
	Value   string `gorm:"primaryKey"`
	Stage   string `gorm:"primaryKey"`
	Measure `       gorm:"embedded"`
}

// What walks are told apart by, next to their version. Walks that keep nothing are in these figures, but no row of
// theirs says so: see sums.trace.
const (
	BySource   = "source"
	ByDevice   = "device"
	ByCountry  = "country"
	ByLanguage = "language" // that the browser asked for
	ByWay      = "way"      // one of the Way constants
	ByTook     = "took"     // seconds from the first page to the end, in steps: see Lasting
	byCame     = "came "    // and a question's id: seconds from the first page to that question, the same
)

// AnswerTally counts the answers of kept responses.
type AnswerTally struct {
	QuizID  string `gorm:"primaryKey"`
	Version int    `gorm:"primaryKey;autoIncrement:false"`
	Field   string `gorm:"primaryKey"` // question id, or id.row of a grid
	Value   string `gorm:"primaryKey"` // choice id, number, or one of the Value constants; texts have none of their own
	Outcome string `gorm:"primaryKey"`
	Count   int
}

// KnownValue is a source of a quiz or a value of one of its fields that tallies tell apart: the first ones that came.
type KnownValue struct {
	QuizID string `gorm:"primaryKey"`
	Kind   string `gorm:"primaryKey"` // "source", or "value " and the field
	Name   string `gorm:"primaryKey"`
}

const kindValue = "value "

// How respondents reach a quiz.
const (
	WayLink   = "link"
	WayQR     = "qr"   // by a code of the room Launch
	WayPage   = "page" // within a page of another site
	WayOver   = "over" // over such a page
	WayEdge   = "edge" // from a line along its edge
	WayInvite = "invitation"
)

// Event is something that happens on a respondent's way before its end.
type Event struct {
	QuizID   string
	Version  int
	Day      string // YYYY-MM-DD in the quiz's time zone
	Source   string
	Device   string
	Country  string
	Language string
	Way      string
	Stage    string
	Place    string
	After    string // of a step: how long after the first page, by Lasting; "" where that is not said

	Bare bool // counts by version and day alone
}

// slices are the values of what walks are told apart by.
func (e *Event) slices() [][2]string {
	return [][2]string{
		{BySource, e.Source},
		{ByDevice, e.Device},
		{ByCountry, e.Country},
		{ByLanguage, e.Language},
		{ByWay, e.Way},
	}
}

// Facts is what a response adds to the tallies, read before it waits for the disk.
type Facts struct {
	Event   Event
	Measure Measure
	Took    string      // step of how long it took; "" where that is not kept
	Answers [][2]string // field and value
	Before  bool        // it was on its way when a split test began
}

// Alike reports whether two responses add the same to the tallies.
func (f *Facts) Alike(o *Facts) bool {
	same := f.Event == o.Event && f.Measure == o.Measure && f.Took == o.Took && f.Before == o.Before
	if !same || len(f.Answers) != len(o.Answers) {
		return false
	}
	left := map[[2]string]int{}
	for i := range f.Answers {
		left[f.Answers[i]]++
		left[o.Answers[i]]--
	}
	return !slices.ContainsFunc(slices.Collect(maps.Values(left)), func(n int) bool { return n != 0 })
}

// Lasting is a time in seconds with its first two digits, as tallies tell times apart: 96, 110, 1500. At most a day is
// told.
func Lasting(d time.Duration) string {
	n, unit := int(max(0, min(d, 24*time.Hour))/time.Second), 1
	for n/unit >= 100 {
		unit *= 10
	}
	return strconv.Itoa(n / unit * unit)
}

// Sums gathers what many responses and events add to the tallies, so that a batch adds each key once. What is alike
// is gathered under its event first: that is one look-up for a response, where the tables would take four.
type Sums struct {
	Events map[Event]*group
	traces map[Event]int // finishes that keep nothing, in the figures by what tells walks apart
}

// group is what all alike add up to.
type group struct {
	Measure
	answers map[[2]string]int  // by field and value
	took    map[string]Measure // by step
}

// NewSums holds nothing.
func NewSums() *Sums { return &Sums{map[Event]*group{}, map[Event]int{}} }

// LeaveGone drops the events of quizzes that have been purged since they happened: nothing of those is written again.
func (s *Sums) LeaveGone(tx *database.Transaction) error {
	there := database.Quizzes{Tx: tx, Known: map[string]bool{}}
	for e := range s.Events {
		switch err := there.Look(e.QuizID); {
		case errors.Is(err, database.ErrNotFound):
			delete(s.Events, e)
		case err != nil:
			return err
		}
	}
	return nil
}

// Empty reports whether no event is in it.
func (s *Sums) Empty() bool { return len(s.Events) == 0 }

func (s *Sums) groupOf(e Event) *group {
	g := s.Events[e]
	if g == nil {
		g = &group{}
		s.Events[e] = g
	}
	return g
}

// Event adds something that happened; sign −1 takes it back.
func (s *Sums) Event(e Event, m Measure, sign int) { s.groupOf(e).measure(m, sign) }

// Trace counts a finish that keeps nothing by its source, device and the like; sign −1 takes it back. Its row holds
// none of these, so the lines are remembered for a recount.
func (s *Sums) Trace(quizID string, w Walked, sign int) {
	s.traces[Event{
		QuizID: quizID, Stage: StageEnd, Source: w.Source, Device: w.Device, Country: w.Country, Language: w.Language, Way: w.Way,
	}] += sign
}

// Traced lays the traces out by line.
func (s *Sums) Traced(known *KnownValues) (*Lines, error) {
	t := NewLines()
	for e, n := range s.traces {
		if err := t.slice(known, &e, &group{Measure: Measure{Count: n}}); err != nil {
			return nil, err
		}
	}
	return t, nil
}

// Response adds the facts of a response; sign −1 takes them back.
func (s *Sums) Response(f Facts, sign int) {
	g := s.groupOf(f.Event)
	g.measure(f.Measure, sign)
	if f.Before {
		e := f.Event
		s.groupOf(Event{QuizID: e.QuizID, Version: e.Version, Day: e.Day, Stage: StageEndBefore, Place: e.Place, Bare: true}).
			measure(f.Measure, sign)
	}
	g.add(f.Answers, sign)
	if f.Took != "" {
		g.lasted(f.Took, f.Measure.times(sign))
	}
}

func (g *group) lasted(step string, m Measure) {
	if g.took == nil {
		g.took = map[string]Measure{}
	}
	g.took[step] = g.took[step].Plus(m)
}

func (g *group) measure(m Measure, sign int) { g.Measure = g.Plus(m.times(sign)) }

func (g *group) add(answers [][2]string, sign int) {
	if g.answers == nil && len(answers) > 0 {
		g.answers = make(map[[2]string]int, len(answers))
	}
	for _, a := range answers {
		g.answers[a] += sign
	}
}

// Join adds other sums.
func (s *Sums) Join(o *Sums) {
	for e, other := range o.Events {
		g := s.groupOf(e)
		g.Measure = g.Plus(other.Measure)
		if g.answers == nil {
			g.answers = map[[2]string]int{}
		}
		for a, n := range other.answers {
			g.answers[a] += n
		}
		for step, m := range other.took {
			g.lasted(step, m)
		}
	}
}

// Lines are sums as the lines of the tallies.
type Lines struct {
	Stages  map[StageTally]Measure
	Days    map[DayTally]Measure
	Slices  map[SliceTally]Measure
	Answers map[AnswerTally]int
}

// NewLines are none.
func NewLines() *Lines {
	return &Lines{map[StageTally]Measure{}, map[DayTally]Measure{}, map[SliceTally]Measure{}, map[AnswerTally]int{}}
}

// Plus are the lines of both.
func (t *Lines) Plus(o *Lines) *Lines {
	for k, m := range o.Stages {
		t.Stages[k] = t.Stages[k].Plus(m)
	}
	for k, m := range o.Days {
		t.Days[k] = t.Days[k].Plus(m)
	}
	for k, m := range o.Slices {
		t.Slices[k] = t.Slices[k].Plus(m)
	}
	for k, n := range o.Answers {
		t.Answers[k] += n
	}
	return t
}

// Tables lays the sums out by line. Every source and value that is past the bounds counts as others.
func (s *Sums) Tables(known *KnownValues) (*Lines, error) {
	t := NewLines()
	for e, g := range s.Events {
		stage := StageTally{QuizID: e.QuizID, Version: e.Version, Stage: e.Stage, Place: e.Place}
		t.Stages[stage] = t.Stages[stage].Plus(g.Measure)
		if e.Stage != StageStep && e.Stage != StagePast {
			day := DayTally{QuizID: e.QuizID, Day: e.Day, Version: e.Version, Stage: e.Stage}
			t.Days[day] = t.Days[day].Plus(g.Measure)
			if e.Bare {
				continue
			}
			if err := t.slice(known, &e, g); err != nil {
				return nil, err
			}
		} else if e.After != "" {
			key := SliceTally{QuizID: e.QuizID, Kind: byCame + e.Place, Value: e.After, Stage: e.Stage}
			t.Slices[key] = t.Slices[key].Plus(g.Measure)
		}
		for a, n := range g.answers {
			var err error
			key := AnswerTally{QuizID: e.QuizID, Version: e.Version, Field: a[0], Value: a[1], Outcome: e.Place}
			if key.Value != ValueAsked && key.Value != ValueBlank {
				if key.Value, err = known.name(e.QuizID, kindValue+key.Field, key.Value, maxValues); err != nil {
					return nil, err
				}
			}
			t.Answers[key] += n
		}
	}
	return t, nil
}

// slice adds a group to the lines of what tells it apart.
func (t *Lines) slice(known *KnownValues, e *Event, g *group) error {
	add := func(by, value string, m Measure) {
		key := SliceTally{QuizID: e.QuizID, Kind: by, Value: value, Stage: e.Stage}
		t.Slices[key] = t.Slices[key].Plus(m)
	}
	for _, one := range e.slices() {
		value := one[1]
		if one[0] == BySource {
			var err error
			if value, err = known.name(e.QuizID, BySource, value, MaxSources); err != nil {
				return err
			}
		}
		add(one[0], value, g.Measure)
	}
	for step, m := range g.took {
		add(ByTook, step, m)
	}
	return nil
}

// Walked is what tells finished walks apart in figures.
type Walked struct{ Source, Device, Country, Language, Way string }
