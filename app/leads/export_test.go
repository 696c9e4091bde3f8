package leads

import (
	"bytes"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"omphalos/app/store/responses"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// A line of every form has figures as numbers, times and days as dates, and what was typed as it was typed.
func TestCellsOfAnExport(t *testing.T) {
	doc := &quiz.Document{
		Scales: []quiz.Scale{{ID: "fit", Name: "Fit"}},
		Questions: []quiz.Question{
			{ID: "when", Kind: quiz.Date, Text: "When?"}, {ID: "size", Kind: quiz.NumberQ, Text: "How many?"},
			{ID: "again", Kind: quiz.Date, Text: "When?"}, {ID: "said", Kind: quiz.ShortText, Text: "Anything else?"},
		},
		Outcomes: []quiz.Outcome{{ID: "o", Name: "Done"}},
		Contact:  &quiz.Contact{Fields: []quiz.ContactField{{ID: "zip", Kind: "text", Label: "Postal code"}}},
	}
	k := &versionFields{map[string][]string{}, map[string]string{}}
	k.add(doc)
	f := &fields{both: true}
	k.fields(f)
	dublin, err := time.LoadLocation("Europe/Dublin")
	require.NoError(t, err)
	n := rule.MustNumber("2.5")
	at := time.Date(2026, 7, 1, 22, 30, 15, 0, time.UTC)
	one := &exportRow{
		&responses.Answered{
			Response: &responses.Response{ID: "r", Outcome: "o", At: at, StartedAt: at.Add(-90 * time.Second), Version: 3, Source: "=cmd"},
			Doc:      doc,
			Answers: map[string]walk.Answer{
				"when": {Text: "2027-02-28"}, "size": {Number: &n}, "said": {Text: "+1"}, "again": {},
			},
			Scores:  map[string]string{"scale.fit": "12"},
			Contact: map[string]string{"zip": "01067"},
		},
		responses.Deal{State: responses.DealWon, Amount: "1280.50", Currency: "EUR", At: at},
		dublin,
	}
	want := map[string]string{
		"Response": "r", "Finished": "2026-07-01 23:30:15", "Seconds": "90", "Version": "3", "Outcome": "Done", "Fit": "12",
		"When? (answer.when)": "2027-02-28", "When? (answer.again)": "", "How many?": "2.5", "Anything else?": "'+1",
		"Postal code": "01067", "Source": "'=cmd", "Deal": "won", "Deal amount": "1280.50", "Deal currency": "EUR",
		"Deal entered": "2026-07-01 23:30:15",
	}
	cells := f.record(one)
	got := map[string]string{}
	for i, title := range f.head(false) {
		got[title] = f.written(cells[i])
	}
	for title, text := range want {
		require.Equal(t, text, got[title], title)
	}

	var csv, xlsx bytes.Buffer
	for _, form := range []struct {
		name string
		out  *bytes.Buffer
	}{{"csv", &csv}, {"xlsx", &xlsx}} {
		w, err := forms[form.name].make(form.out)
		require.NoError(t, err)
		require.NoError(t, w.head(f))
		require.NoError(t, w.row(f, one))
		require.NoError(t, w.close())
	}
	require.Contains(t, strings.Split(csv.String(), "\n")[1], "answer.when,answer.size", "ids in a second row")
	book, err := excelize.OpenReader(&xlsx)
	require.NoError(t, err)
	defer book.Close()
	kinds := map[string]excelize.CellType{}
	raw := map[string]string{}
	for i, title := range f.head(false) {
		at, err := excelize.CoordinatesToCellName(i+1, 3)
		require.NoError(t, err)
		kinds[title], err = book.GetCellType("Responses", at)
		require.NoError(t, err)
		raw[title], err = book.GetCellValue("Responses", at, excelize.Options{RawCellValue: true})
		require.NoError(t, err)
	}
	// serial days: 1 January 2026 is 46023 (from memory); 28 February 2027 is 423 days later, 1 July 2026, 23:30 in
	// Dublin 181.98
	require.Equal(t, "46446", raw["When? (answer.when)"])
	require.True(t, strings.HasPrefix(raw["Finished"], "46204.979"), raw["Finished"])
	require.Equal(t, "01067", raw["Postal code"])
	require.Equal(t, excelize.CellTypeInlineString, kinds["Postal code"])
	require.Equal(t, "1280.5", raw["Deal amount"])
	for _, title := range []string{"Finished", "When? (answer.when)", "How many?", "Fit", "Deal amount", "Deal entered"} {
		require.Contains(t, []excelize.CellType{excelize.CellTypeNumber, excelize.CellTypeUnset}, kinds[title], title)
	}
}
