package fact

import (
	"encoding/json"
	"fmt"
	"strconv"
	"time"
)

// Visitor is what is known of a respondent without asking; "" is unknown.
type Visitor struct {
	Country  string `json:"country,omitempty"`  // ISO 3166-1 alpha-2
	Language string `json:"language,omitempty"` // BCP 47, that the browser asked for
	Device   string `json:"device,omitempty"`   // phone, tablet or desktop
}

// Time is when a walk began, in the time zone of the quiz; what is 0 is unknown.
type Time struct {
	Weekday int // 1 Monday to 7 Sunday
	Hour    Hour
}

// Hour is an hour of the day, counted from 1: 1 is from midnight to one. 0 is unknown.
type Hour int

// HourOf is the hour that clocks call n, from 0 to 23.
func HourOf(n int) Hour { return Hour(n + 1) }

// Of is what clocks call the hour, and whether it is known.
func (h Hour) Of() (n int, known bool) { return int(h) - 1, h > 0 }

// At is the day and time of a moment, in its location.
func At(t time.Time) (today string, when Time) {
	return t.Format(time.DateOnly), Time{Weekday: weekday(t), Hour: HourOf(t.Hour())}
}

func weekday(t time.Time) int { return (int(t.Weekday())+6)%7 + 1 }

// timeText is how documents write a time.
type timeText struct {
	Weekday *json.Number `json:"weekday,omitempty"`
	Hour    *json.Number `json:"hour,omitempty"`
}

// UnmarshalJSON reads an object with a weekday and an hour, where known. It refuses what is none.
func (t *Time) UnmarshalJSON(b []byte) error {
	var text timeText
	if err := json.Unmarshal(b, &text); err != nil {
		return err
	}
	var v Visit
	for _, part := range []struct {
		k *Known
		n *json.Number
	}{{&known[weekdayAt], text.Weekday}, {&known[hourAt], text.Hour}} {
		if part.n != nil {
			if err := part.k.Set(&v, part.n.String()); err != nil {
				return err
			}
		}
	}
	*t = v.Time
	return nil
}

// MarshalJSON writes what UnmarshalJSON reads.
func (t Time) MarshalJSON() ([]byte, error) {
	var text timeText
	if t.Weekday > 0 {
		n := json.Number(strconv.Itoa(t.Weekday))
		text.Weekday = &n
	}
	if hour, is := t.Hour.Of(); is {
		n := json.Number(strconv.Itoa(hour))
		text.Hour = &n
	}
	return json.Marshal(text)
}

// Visit is what is known before the first question is asked.
type Visit struct {
	Visitor Visitor
	Params  map[string]string // of the link
	Today   string            // YYYY-MM-DD; "" is unknown
	Time    Time
}

// whole reads a whole number from least to most.
func whole(text string, least, most int) (int, error) {
	n, err := strconv.Atoi(text)
	if err != nil || n < least || n > most {
		return 0, fmt.Errorf("use a whole number from %d to %d", least, most)
	}
	return n, nil
}
