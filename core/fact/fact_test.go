package fact

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/core/rule"
)

// What is set is what is told, and an empty text makes a fact unknown again.
func TestEveryFactIsSetAndTold(t *testing.T) {
	values := map[rule.Type]string{
		rule.WeekdayType: "6", rule.HourType: "0", rule.CountryType: "IE", rule.LanguageType: "de", rule.DeviceType: "phone",
		rule.DateType: "2026-12-05", rule.TextType: "news",
	}
	for _, k := range append(All(), Find("param.src")) {
		t.Run(k.Name, func(t *testing.T) {
			var v Visit
			require.Empty(t, k.Text(&v))
			require.NoError(t, k.Set(&v, values[k.Type]))
			require.Equal(t, values[k.Type], k.Text(&v))
			require.Equal(t, values[k.Type], k.Value(&v).String())
			told := 0
			v.Each(func(other *Known, text string) {
				require.Equal(t, k.Name, other.Name)
				told++
			})
			require.Equal(t, 1, told)
			require.NoError(t, k.Set(&v, ""))
			require.Empty(t, k.Text(&v))
			require.Equal(t, Before, ClassOf(k.Name))
			require.NotEmpty(t, k.Words+k.Menu+k.Group)
		})
	}
}

func TestWhatCannotBe(t *testing.T) {
	var v Visit
	for name, texts := range map[string][]string{
		"time.weekday": {"0", "8", "-1", "1.5", "Monday"}, "time.hour": {"24", "-1", "noon"},
	} {
		for _, text := range texts {
			require.Error(t, Find(name).Set(&v, text), "%s %s", name, text)
		}
	}
	require.Equal(t, Visit{}, v)
	for _, name := range []string{"", "visitor", "visitor.shoe", "time", "time.second", "param.", "param", "leader.x", "outcome.name"} {
		require.Nil(t, Find(name), name)
		require.Equal(t, None, ClassOf(name), name)
	}
}

// The weekday that is not told is that of the day: 5 December 2026 is a Saturday.
func TestTheWeekdayOfADay(t *testing.T) {
	weekday := Find("time.weekday")
	for day, want := range map[string]string{"2026-12-05": "6", "2026-12-06": "7", "2026-12-07": "1", "": "", "soon": ""} {
		require.Equal(t, want, weekday.Value(&Visit{Today: day}).String(), day)
	}
	require.Equal(t, "2", weekday.Value(&Visit{Today: "2026-12-05", Time: Time{Weekday: 2}}).String())
	today, when := At(time.Date(2026, 12, 6, 23, 59, 0, 0, time.UTC))
	require.Equal(t, "2026-12-06", today)
	require.Equal(t, Time{7, HourOf(23)}, when)
}

func TestTimesInDocuments(t *testing.T) {
	for text, want := range map[string]Time{
		`{}`: {}, `{"weekday":6,"hour":20}`: {6, HourOf(20)}, `{"hour":0}`: {0, HourOf(0)}, `{"weekday":7}`: {Weekday: 7},
	} {
		var got Time
		require.NoError(t, json.Unmarshal([]byte(text), &got), text)
		require.Equal(t, want, got)
		again, err := json.Marshal(got)
		require.NoError(t, err)
		require.JSONEq(t, text, string(again))
	}
	for _, text := range []string{`{"weekday":0}`, `{"hour":24}`, `{"hour":"noon"}`, `6`} {
		require.Error(t, json.Unmarshal([]byte(text), new(Time)), text)
	}
}
