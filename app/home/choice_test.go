package home

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/documents"
	"omphalos/app/store/tallies"
)

// Quizzes are listed by state, tag and order; each choice says how many it has, and leads on with the others kept.
func TestWhichQuizzesAreListed(t *testing.T) {
	now := time.Date(2026, 12, 1, 9, 0, 0, 0, time.UTC)
	lines := func() []line {
		return []line{ // as the store has them: the last edited first
			{Quiz: documents.Quiz{ID: "b", Name: "Balcony", Tags: "homes,Spring", CreatedAt: now}},
			{Quiz: documents.Quiz{ID: "w", Name: "wall", Tags: "spring", LiveVersion: 3}, Counts: &tallies.Counts{Finishes: 4, Leads: 3}},
			{Quiz: documents.Quiz{ID: "o", Name: "Old", LiveVersion: 1, ArchivedAt: &now}, Counts: &tallies.Counts{Finishes: 90}},
			{Quiz: documents.Quiz{ID: "a", Name: "Attic", LiveVersion: 1}, Counts: &tallies.Counts{Finishes: 9, Leads: 1}},
		}
	}
	for _, c := range []struct {
		chosen choice
		want   string
	}{
		{choice{}, "wab"},
		{choice{Sort: "edited"}, "bwa"},
		{choice{Sort: "name"}, "abw"},
		{choice{Sort: "finishes"}, "awb"},
		{choice{Sort: "leads"}, "wab"},
		{choice{Sort: "created"}, "bwa"},
		{choice{Sort: "nonsense"}, "wab"},
		{choice{State: "live"}, "wa"},
		{choice{State: "draft"}, "b"},
		{choice{State: "archived"}, "o"},
		{choice{Tag: "SPRING"}, "wb"},
		{choice{Tag: "spring", State: "draft"}, "b"},
		{choice{Tag: "nothing"}, ""},
	} {
		v := &view{Lines: lines(), Chosen: c.chosen}
		v.arrange()
		got := ""
		for _, l := range v.Lines {
			got += l.Quiz.ID
		}
		require.Equal(t, c.want, got, "%+v", c.chosen)
		require.True(t, v.Any)
	}
	v := &view{Lines: lines(), Chosen: choice{Tag: "homes", Sort: "name"}}
	v.arrange()
	require.Equal(t, []string{"homes", "Spring"}, v.AllTags)
	require.Equal(t, link{Title: "homes", Count: 1, Current: true, Query: "?sort=name"}, v.Tags[0], "a second click takes it off")
	require.Equal(t, link{Title: "Spring", Count: 2, Query: "?sort=name&tag=Spring"}, v.Tags[1])
	require.Equal(t, link{Title: "Archived", Count: 1, Query: "?sort=name&state=archived&tag=homes"}, v.States[3])
	require.Equal(t, "Name", v.Sorted())
}
