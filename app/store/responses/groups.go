package responses

import (
	"slices"
	"strings"

	"omphalos/app/store/database"
	"omphalos/app/store/tallies"
	"omphalos/core/rule"
)

// Grouped is how many chosen responses have one value of something.
type Grouped struct {
	Value string
	Count int
}

// Groupings are what chosen responses are counted by: columns of the index by_place, so that no row is read.
var Groupings = []string{
	"outcome",
	"day",
	tallies.BySource,
	tallies.ByDevice,
	tallies.ByCountry,
	tallies.ByLanguage,
	tallies.ByWay,
}

// By counts the responses of the reader by one of groupings, by value. Where a search finds more than MostCounted it is
// nil: who they are is not known without reading them all.
func (r *Reader) By(what string) ([]Grouped, error) {
	if !slices.Contains(Groupings, what) {
		return nil, database.ErrNotFound
	}
	if err := r.look(); err != nil || r.hits != nil && r.hits.many {
		return nil, err
	}
	var list []Grouped
	err := r.where().
		Model(&Response{}).
		Select(what + " AS value, COUNT(*) AS count").
		Group(what).
		Order("value").
		Scan(&list).
		Error
	return list, err
}

// Revenue is what won deals of one source and outcome imported one currency.
type Revenue struct {
	Source, Outcome, Currency string
	Deals                     int
	Sum                       rule.Number
}

// Revenue adds up the amounts of the won deals of a quiz, those of the newest responses that are kept. Deals without an
// amount, or with one that is no number, are not among them.
func (s *Store) Revenue(quizID string) ([]Revenue, error) {
	var list []struct{ Source, Outcome, Currency, Amount string }
	err := s.Read.Table("deals").Joins("JOIN responses ON responses.id = deals.response_id").
		Select("responses.source, responses.outcome, deals.currency, deals.amount").
		Where("deals.quiz_id = ? AND deals.state = ? AND deals.amount <> ''", quizID, DealWon).
		Order("deals.at DESC").Limit(mostRevenue).Scan(&list).Error
	if err != nil {
		return nil, err
	}
	var out []Revenue
	at := map[Revenue]int{}
	for _, l := range list {
		amount, err := rule.ParseNumber(l.Amount)
		if err != nil {
			continue
		}
		key := Revenue{Source: l.Source, Outcome: l.Outcome, Currency: strings.ToUpper(l.Currency)}
		i, known := at[key]
		if !known {
			i = len(out)
			at[key], out = i, append(out, key)
		}
		out[i].Deals++
		out[i].Sum = out[i].Sum.Add(amount)
	}
	return out, nil
}

// mostRevenue is how many won deals are added up at most.
const mostRevenue = 100_000
