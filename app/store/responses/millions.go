package responses

import (
	"encoding/json"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"omphalos/app/store/database"
	"omphalos/app/store/tallies"
)

// MigrateToMillions brings what lets Leads choose and search among very many responses: marks and words of each, an
// index that holds all that filters ask for, and tallies with a line for each value instead of one for each mixture.
func MigrateToMillions(tx *gorm.DB) error {
	if err := tx.Migrator().DropIndex(&Response{}, "by_place"); err != nil {
		return err
	}
	for _, column := range []string{"Marks", "Way"} {
		if tx.Migrator().HasColumn(&Response{}, column) {
			continue
		}
		if err := tx.Migrator().AddColumn(&Response{}, column); err != nil {
			return err
		}
	}
	if err := tx.Model(&Response{}).Where("way IS NULL").UpdateColumn("way", "").Error; err != nil {
		return err
	}
	if err := tx.AutoMigrate(&tallies.DayTally{}, &tallies.SliceTally{}); err != nil {
		return err
	}
	if err := newWords(tx); err != nil {
		return err
	}
	const (
		sums  = "SUM(count), SUM(kept), SUM(leads) FROM walk_tallies WHERE stage <> 'step'"
		slice = "INSERT INTO slice_tallies (quiz_id, kind, value, stage, count, kept, leads) SELECT quiz_id, "
	)
	copies := []string{
		"INSERT INTO version_day_tallies (quiz_id, day, version, stage, count, kept, leads) " +
			"SELECT quiz_id, day, version, stage, " + sums + " GROUP BY quiz_id, day, version, stage",
	}
	for _, kind := range []string{tallies.BySource, tallies.ByDevice, tallies.ByCountry} {
		copies = append(copies, slice+"'"+kind+"', "+kind+", stage, "+sums+" GROUP BY quiz_id, "+kind+", stage")
	}
	for _, kind := range []string{tallies.ByLanguage, tallies.ByWay} { // before its end no walk said these
		copies = append(copies,
			slice+"'"+kind+"', '', stage, "+sums+" AND stage NOT IN ('end', 'aside') GROUP BY quiz_id, stage")
	}
	for _, statement := range copies {
		if err := tx.Exec(statement).Error; err != nil {
			return err
		}
	}
	if err := readAll(tx); err != nil {
		return err
	}
	for _, table := range []string{"day_tallies", "walk_tallies"} {
		if err := tx.Migrator().DropTable(table); err != nil {
			return err
		}
	}
	return tx.Migrator().CreateIndex(&Response{}, "by_place")
}

// readAll gives every response its marks and words, and counts what it tells that was not counted before.
func readAll(tx *gorm.DB) error {
	counted := map[tallies.SliceTally]tallies.Measure{}
	for last := ""; ; {
		var list []Response
		if err := tx.Where("id > ?", last).Order("id").Limit(ReaderPage).Find(&list).Error; err != nil {
			return err
		}
		for i := range list {
			r := &list[i]
			f, err := factsOf(r, nil)
			if err != nil {
				return err
			}
			if err := tx.Model(r).UpdateColumn("marks", marksOf(f)).Error; err != nil {
				return err
			}
			count := func(kind, value string) {
				key := tallies.SliceTally{QuizID: r.QuizID, Kind: kind, Value: value, Stage: f.Event.Stage}
				counted[key] = counted[key].Plus(f.Measure)
			}
			count(tallies.ByLanguage, f.Event.Language)
			count(tallies.ByWay, f.Event.Way)
			if f.Took != "" {
				count(tallies.ByTook, f.Took)
			}
			if !r.Kept {
				continue
			}
			text, err := json.Marshal(r.lines(wordsOf(r, nil)))
			if err == nil {
				err = tx.Exec(database.OnSQLite.Words, string(text)).Error
			}
			if err != nil {
				return err
			}
		}
		if len(list) < ReaderPage {
			break
		}
		last = list[len(list)-1].ID
	}
	for t, m := range counted {
		t.Measure = m
		if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&t).Error; err != nil {
			return err
		}
	}
	return nil
}

// newWords makes the table of words. Its lines are kept in the order of their key: they are nothing else.
func newWords(tx *gorm.DB) error {
	return tx.Exec(`CREATE TABLE words (quiz_id text NOT NULL, word text NOT NULL, response_id text NOT NULL,
		PRIMARY KEY (quiz_id, word, response_id)) WITHOUT ROWID`).Error
}
