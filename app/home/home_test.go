package home

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/tallies"
	"omphalos/core/quiz"
)

func TestWhenItWasEdited(t *testing.T) {
	now := time.Date(2026, 3, 2, 9, 30, 0, 0, time.UTC)
	for ago_, want := range map[time.Duration]string{0: "today, 09:30", 9 * time.Hour: "today, 00:30", 10 * time.Hour: "yesterday", 40 * time.Hour: "28 Feb"} {
		require.Equal(t, want, ago(now.Add(-ago_), now, time.UTC))
	}
}

func TestTheSparkLineStaysInItsBox(t *testing.T) {
	points := strings.Fields(spark([]int{0, 5, 10, 0}))
	require.Equal(t, []string{"0,20.0", "4,11.0", "8,2.0", "12,20.0"}, points)
	require.Equal(t, "0,20.0 4,20.0", spark([]int{0, 0}), "nobody is a flat line")
}

func TestTheStripIsOfAllWhoFinished(t *testing.T) {
	d := quiz.New("Strip")
	d.Outcomes = append(d.Outcomes, quiz.Outcome{ID: "b", Name: "Both ends"})
	strip := Strip(d, &tallies.Counts{Finishes: 8, Outcomes: map[string]int{"thanks": 6, "gone": 2}})
	require.Equal(t, 0.75, strip[0].Share)
	require.Zero(t, strip[1].Share)
	require.Equal(t, "BE", strip[1].Letters)
}
