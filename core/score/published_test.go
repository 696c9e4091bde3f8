package score

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

func readCSV(t *testing.T, name string) (head map[string]int, rows [][]string) {
	t.Helper()
	f, err := os.Open("testdata/" + name)
	require.NoError(t, err)
	defer f.Close()
	all, err := csv.NewReader(f).ReadAll()
	require.NoError(t, err)
	head = map[string]int{}
	for i, h := range all[0] {
		head[h] = i
	}
	return head, all[1:]
}

func scoreAll(t *testing.T, d *quiz.Document, table string) []map[string]string {
	t.Helper()
	raw, err := json.Marshal(d)
	require.NoError(t, err)
	d, err = quiz.Read(raw)
	require.NoError(t, err)
	c, err := walk.New(d)
	require.NoError(t, err)
	var out bytes.Buffer
	bad, err := Table(c, strings.NewReader(table), &out, "")
	require.NoError(t, err)
	require.Empty(t, bad)
	all, err := csv.NewReader(&out).ReadAll()
	require.NoError(t, err)
	var rows []map[string]string
	for _, record := range all[1:] {
		row := map[string]string{}
		for i, h := range all[0] {
			row[h] = record[i]
		}
		rows = append(rows, row)
	}
	return rows
}

// bfi is the personality inventory as a quiz: 25 optional ratings from 1 to 6, five scales, reversed items as 7 − x,
// and each scale's points a second time as votes.
func bfi(t *testing.T) *quiz.Document {
	head, keys := readCSV(t, "bfi_keys.csv")
	d := quiz.New("Inventory")
	d.Scales = nil
	one, six := rule.Int(1), rule.Int(6)
	for _, k := range keys {
		scale := k[head["scale"]]
		if d.Scale(scale) == nil {
			d.Scales = append(d.Scales, quiz.Scale{ID: scale})
			d.Keywords = append(d.Keywords, quiz.Keyword{ID: scale})
		}
		linear := quiz.LinearPoint{Factor: rule.Int(1)}
		reversed := k[head["weight"]] == "-1"
		if reversed {
			linear = quiz.LinearPoint{Factor: rule.Int(-1), Offset: rule.Int(7)}
		}
		q := quiz.Question{ID: k[head["item"]], Kind: quiz.Rating, From: &one, To: &six, Linear: map[string]quiz.LinearPoint{scale: linear}}
		for v := int64(1); v <= 6; v++ {
			votes := v
			if reversed {
				votes = 7 - v
			}
			q.Steps = append(q.Steps, quiz.Step{From: rule.Int(v), Votes: map[string]rule.Number{scale: rule.Int(votes)}})
		}
		d.Questions = append(d.Questions, q)
	}
	return d
}

// Source: dataset bfi of the R package psych 2.2.9 (Debian r-cran-psych, GPL-2+; SAPA project, Revelle); scores by
// psych::scoreItems.
func TestFiveScalesWithReversedAndOmittedItems(t *testing.T) {
	answers, err := os.ReadFile("testdata/bfi_responses_200.csv")
	require.NoError(t, err)
	got := scoreAll(t, bfi(t), string(answers))
	head, want := readCSV(t, "bfi_scores_200.csv")
	lead, leading := readCSV(t, "bfi_leading_200.csv")
	require.Len(t, got, 200)
	omitted, led := 0, 0
	for i, row := range got {
		require.Equal(t, want[i][0], row["id"])
		complete := true
		for _, scale := range []string{"agree", "conscientious", "extraversion", "neuroticism", "openness"} {
			require.Equal(t, want[i][head[scale+"_sum_answered"]], row["scale."+scale], "respondent %s, %s", row["id"], scale)
			require.Equal(t, row["scale."+scale], row["keyword."+scale])
			if want[i][head[scale+"_n"]] != "5" {
				omitted++
				complete = false
			}
		}
		if complete && leading[i][lead["n_tied"]] == "1" { // equal numbers of items, so the greatest mean is the greatest sum
			require.Equal(t, leading[i][lead["leading"]], row["leader"], "respondent %s", row["id"])
			led++
		}
	}
	require.Positive(t, omitted)
	require.Greater(t, led, 100)
}

type instrument struct {
	Name       string          `json:"name"`
	Points     [][]json.Number `json:"points_per_option"`
	Multiplier json.Number     `json:"multiplier"`
	Bands      []struct {
		Lo    json.Number `json:"lo"`
		Label string      `json:"label"`
	} `json:"bands"`
	Keys    map[string][]int `json:"keys"`
	Vectors []struct {
		Options []int                  `json:"option_index"`
		Answers []int                  `json:"answers"`
		Score   json.Number            `json:"score"`
		Band    json.RawMessage        `json:"band"`
		Scores  map[string]json.Number `json:"scores"`
	} `json:"vectors"`
}

// Source: the published scoring instruments named in testdata/instruments.json (PHQ-9, GAD-7, WHO-5, SUS, Glasgow Coma
// Scale, CURB-65, CAGE, TIPI), whose "provenance" says: from memory, the arithmetic recomputed.
func TestPublishedInstruments(t *testing.T) {
	b, err := os.ReadFile("testdata/instruments.json")
	require.NoError(t, err)
	var all []instrument
	require.NoError(t, json.Unmarshal(b, &all))
	checked := 0
	for _, in := range all {
		t.Run(in.Name, func(t *testing.T) {
			switch {
			case in.Points != nil:
				checked += checkSum(t, in)
			case in.Keys != nil:
				checked += checkMeans(t, in)
			}
		})
	}
	require.Equal(t, 65, checked)
}

// checkSum makes a quiz of single choices with the multiplier as each question's weight and the bands as cut points.
func checkSum(t *testing.T, in instrument) int {
	d := quiz.New(in.Name)
	d.Scales = []quiz.Scale{{ID: "total"}}
	weight := rule.MustNumber(in.Multiplier.String())
	var head []string
	for i, points := range in.Points {
		q := quiz.Question{ID: fmt.Sprint("i", i), Kind: quiz.Single, Required: true, Weight: &weight}
		for j, p := range points {
			q.Choices = append(q.Choices, quiz.Choice{ID: fmt.Sprint(j), Points: map[string]rule.Number{"total": rule.MustNumber(p.String())}})
		}
		d.Questions, head = append(d.Questions, q), append(head, q.ID)
	}
	bands := &quiz.Bands{On: "scale.total"}
	for i, band := range in.Bands {
		d.Outcomes = append(d.Outcomes, quiz.Outcome{ID: fmt.Sprint("band", i), Name: band.Label})
		bands.Cuts = append(bands.Cuts, quiz.Cut{From: rule.MustNumber(band.Lo.String()), Outcome: fmt.Sprint("band", i)})
	}
	d.Verdicts = []quiz.Verdict{{Bands: bands}}
	table := strings.Join(head, ",") + "\n"
	for _, v := range in.Vectors {
		cells := make([]string, len(v.Options))
		for i, o := range v.Options {
			cells[i] = fmt.Sprint(o)
		}
		table += strings.Join(cells, ",") + "\n"
	}
	for i, row := range scoreAll(t, d, table) {
		v := in.Vectors[i]
		require.Zero(t, rule.MustNumber(v.Score.String()).Cmp(rule.MustNumber(row["scale.total"])), "vector %d: %s", i, row["scale.total"])
		require.JSONEq(t, string(v.Band), fmt.Sprintf("%q", d.OutcomeName(row["outcome"])), "vector %d", i)
	}
	return len(in.Vectors)
}

// checkMeans makes each scale the mean of its items: a factor of 0.5, reversed items as (8 − x) × 0.5.
func checkMeans(t *testing.T, in instrument) int {
	d := quiz.New(in.Name)
	d.Scales = nil
	from, to, half := rule.Int(1), rule.Int(7), rule.MustNumber("0.5")
	d.Questions = make([]quiz.Question, 10)
	for scale, items := range in.Keys {
		d.Scales = append(d.Scales, quiz.Scale{ID: scale})
		for _, item := range items {
			linear := quiz.LinearPoint{Factor: half}
			if item < 0 {
				item, linear = -item, quiz.LinearPoint{Factor: rule.MustNumber("-0.5"), Offset: rule.Int(4)}
			}
			d.Questions[item-1] = quiz.Question{ID: fmt.Sprint("i", item), Kind: quiz.Rating, From: &from, To: &to,
				Required: true, Linear: map[string]quiz.LinearPoint{scale: linear}}
		}
	}
	table := "i1,i2,i3,i4,i5,i6,i7,i8,i9,i10\n"
	for _, v := range in.Vectors {
		cells := make([]string, len(v.Answers))
		for i, a := range v.Answers {
			cells[i] = fmt.Sprint(a)
		}
		table += strings.Join(cells, ",") + "\n"
	}
	for i, row := range scoreAll(t, d, table) {
		for scale, want := range in.Vectors[i].Scores {
			require.Zero(t, rule.MustNumber(want.String()).Cmp(rule.MustNumber(row["scale."+scale])), "vector %d, %s", i, scale)
		}
	}
	return len(in.Vectors)
}

func TestBadCellsAreReportedAndTheOtherRowsScored(t *testing.T) {
	d := quiz.New("Bad cells")
	d.Questions = []quiz.Question{
		{ID: "a", Kind: quiz.Single, Required: true, Choices: []quiz.Choice{{ID: "x", Label: "Ex", Points: map[string]rule.Number{"score": rule.Int(2)}}, {ID: "y", Label: "a|b"}}},
		{ID: "n", Kind: quiz.NumberQ, From: ptr(rule.Int(1)), To: ptr(rule.Int(9))},
		{ID: "m", Kind: quiz.Multiple, Most: 1, Choices: []quiz.Choice{{ID: "p"}, {ID: "q"}}},
	}
	c, err := walk.New(d)
	require.NoError(t, err)
	var out bytes.Buffer
	bad, err := Table(c, strings.NewReader("who,a,n,m\n1,Ex,3,p\n2,zz,3,\n3,,3,\n4,x,10,p|q\n5,a|b,,q\n"), &out, "")
	require.NoError(t, err)
	var report []string
	for _, b := range bad {
		report = append(report, b.Error())
	}
	require.Equal(t, []string{
		"row 3, column a: “zz” is not one of the answers.",
		"row 4, column a: Choose an answer.",
		"row 5, column n: Enter a number from 1 to 9.",
		"row 5, column m: Choose no more than 1 (you chose 2).",
	}, report)
	require.Equal(t, "who,a,n,m,scale.score,percent.score,leader,outcome,verdict,path\n"+
		"1,Ex,3,p,2,100,,thanks,0,a|n|m\n2,zz,3,,,,,,,\n3,,3,,,,,,,\n4,x,10,p|q,,,,,,\n5,a|b,,q,0,0,,thanks,0,a|n|m\n", out.String())
}

func ptr[T any](v T) *T { return &v }
