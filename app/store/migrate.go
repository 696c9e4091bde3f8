package store

import (
	"errors"
	"time"

	"github.com/go-gormigrate/gormigrate/v2"
	"gorm.io/gorm"

	"omphalos/app/store/attempts"
	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/documents"
	"omphalos/app/store/people"
	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
)

// The schema of earlier programs, as far as a migration needs it.
type (
	quiz3 struct {
		ID       string `gorm:"primaryKey"`
		Name     string
		Document []byte
		Revision int
		UndoHead int
		RedoHead int
		Slug     *string `gorm:"uniqueIndex:idx_quizzes_slug"`

		LiveVersion int
		Assumed     []byte
		CreatedAt   time.Time
		UpdatedAt   time.Time
		DeletedAt   *time.Time `gorm:"index:idx_quizzes_deleted_at"`
	}
	revision3 struct {
		QuizID    string `gorm:"primaryKey"`
		Number    int    `gorm:"primaryKey;autoIncrement:false"`
		Kind      string
		Patch     []byte
		Inverse   []byte
		UndoBelow int
		RedoBelow int
		AccountID uint
		At        time.Time
	}
	response3 struct {
		ID        string `gorm:"primaryKey"`
		QuizID    string `gorm:"not null;index:by_quiz,priority:1"`
		Version   int
		Kept      bool
		Outcome   string
		Verdict   string
		Reason    string
		Scores    []byte
		Answers   []byte
		Name      string
		Email     string
		Contact   []byte
		Consent   string
		ConsentAt *time.Time
		Source    string
		Suspect   string
		Params    []byte
		StartedAt time.Time
		At        time.Time `gorm:"index:by_quiz,priority:2"`
	}
)

// The tallies of earlier programs, which had a line for every mixture of what tells walks apart.
type (
	dayTally4 struct {
		QuizID          string `gorm:"primaryKey"`
		Day             string `gorm:"primaryKey"`
		Stage           string `gorm:"primaryKey"`
		tallies.Measure `gorm:"embedded"`
	}
	walkTally4 struct {
		QuizID          string `gorm:"primaryKey"`
		Version         int    `gorm:"primaryKey;autoIncrement:false"`
		Day             string `gorm:"primaryKey"`
		Source          string `gorm:"primaryKey"`
		Device          string `gorm:"primaryKey"`
		Country         string `gorm:"primaryKey"`
		Stage           string `gorm:"primaryKey"`
		Place           string `gorm:"primaryKey"`
		tallies.Measure `gorm:"embedded"`
	}
)

func (dayTally4) TableName() string  { return "day_tallies" }
func (walkTally4) TableName() string { return "walk_tallies" }

func (quiz3) TableName() string     { return "quizzes" }
func (revision3) TableName() string { return "revisions" }
func (response3) TableName() string { return "responses" }

var migrations = []*gormigrate.Migration{
	{ID: "0001", Migrate: func(tx *gorm.DB) error {
		return tx.AutoMigrate(
			&people.Account{},
			&people.Session{},
			&database.Secret{},
			&quiz3{},
			&revision3{},
			&documents.Version{},
			&response3{},
		)
	}},
	{ID: "0002", Migrate: func(tx *gorm.DB) error {
		return tx.AutoMigrate(&quiz3{}, &documents.Picture{}, &documents.PictureSize{})
	}},
	{ID: "0003", Migrate: func(tx *gorm.DB) error {
		return tx.AutoMigrate(&response3{}, &documents.DataTable{}, &documents.DataTableChange{}, &documents.Miss{})
	}},
	{ID: "0004", Migrate: migrateToRoads},
	{
		ID: "0005",
		Migrate: func(tx *gorm.DB) error {
			return tx.AutoMigrate(&people.Account{}, &people.Session{}, &database.Health{}, &deliveries.HeldPlace{})
		},
	},
	{ID: "0006", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&documents.Quiz{}) }},
	{ID: "0007", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&documents.RehearsalLink{}) }},
	{ID: "0008", Migrate: func(tx *gorm.DB) error {
		return tx.AutoMigrate(&responses.Invitation{}, &documents.Place{}, &documents.Version{})
	}},
	{ID: "0009", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&responses.Deal{}) }},
	{ID: "0010", Migrate: responses.MigrateToMillions},
	{ID: "0011", Migrate: migrateToKeeping},
	{
		ID:      "0012",
		Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&deliveries.Hook{}, &deliveries.Delivery{}) },
	},
	{ID: "0013", Migrate: func(tx *gorm.DB) error {
		made := []any{
			&deliveries.Mail{}, &deliveries.PausedMessage{}, &deliveries.Agreed{},
			&documents.Handout{}, &documents.HandoutTally{},
		}
		if err := tx.AutoMigrate(made...); err != nil {
			return err
		}
		return deliveries.AgreedFirst(tx)
	}},
	{ID: "0014", Migrate: migrateToPeople},
	{ID: "0015", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&attempts.Attempt{}) }},
	{ID: "0016", Migrate: func(tx *gorm.DB) error {
		if err := tx.AutoMigrate(&attempts.Bucket{}, &people.Seat{}); err != nil {
			return err
		}
		return unlogged(tx)
	}},
	{ID: "0017", Migrate: unbookUnkept},
	{ID: "0018", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&responses.Response{}) }},
	{ID: "0019", Migrate: func(tx *gorm.DB) error {
		return tx.AutoMigrate(&documents.Quiz{}, &deliveries.Hook{}, &responses.ResultLink{})
	}},
	{ID: "0020", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&people.Account{}, &people.Session{}) }},
	{ID: "0021", Migrate: func(tx *gorm.DB) error { return tx.AutoMigrate(&deliveries.HeldPlace{}) }},
	{
		ID:      "0022",
		Migrate: func(tx *gorm.DB) error { return errors.Join(tx.AutoMigrate(&people.Repeat{}), hashKeys(tx)) },
	},
	{ID: "0023", Migrate: responses.Reword},
}

// hashKeys replaces the keys of requests that may come again by their hashes. Those of requests that name no quiz yet
// go with their day.
func hashKeys(tx *gorm.DB) error {
	var list []people.Repeat
	if err := tx.Select("account_id", "key").Find(&list).Error; err != nil {
		return err
	}
	for _, r := range list {
		err := tx.Model(&people.Repeat{}).Where("account_id = ? AND key = ?", r.AccountID, r.Key).
			UpdateColumn("key", database.HashOf(r.Key)).Error
		if err != nil {
			return err
		}
	}
	return nil
}

// unbookUnkept takes finishes that kept nothing out of the figures of "no source" and "unknown device", where earlier
// programs booked them, wherever they came from.
func unbookUnkept(tx *gorm.DB) error {
	return errors.Join(
		tx.Exec(
			"UPDATE slice_tallies SET count = kept WHERE stage = ? AND value = '' AND kind IN ?",
			tallies.StageEnd,
			[]string{tallies.BySource, tallies.ByDevice, tallies.ByCountry, tallies.ByLanguage, tallies.ByWay},
		).Error,
		tx.Exec("DELETE FROM slice_tallies WHERE stage = ? AND value = '' AND count = 0", tallies.StageEnd).Error,
	)
}

// migrateToPeople brings roles: anyone who has an account before them owns the program.
func migrateToPeople(tx *gorm.DB) error {
	err := tx.AutoMigrate(
		&people.Account{},
		&people.Session{},
		&people.AccountQuiz{},
		&people.Invite{},
		&people.Reset{},
		&people.Token{},
		&people.Repeat{},
		&people.JournalLine{},
	)
	if err != nil {
		return err
	}
	accounts := tx.Model(&people.Account{})
	if err := accounts.Where("role IS NULL OR role = ''").UpdateColumn("role", people.Owner).Error; err != nil {
		return err
	}
	accounts = tx.Model(&people.Account{})
	if err := accounts.Where("chosen_only IS NULL").UpdateColumn("chosen_only", false).Error; err != nil {
		return err
	}
	now := time.Now().UTC()
	return tx.Model(&people.Session{}).Where("id IS NULL OR id = ''").
		UpdateColumns(map[string]any{
			"id": gorm.Expr("substr(hash, 1, 12)"), "at": now, "seen_at": now, "waits": false,
		}).
		Error
}

// migrateToKeeping brings how long responses are kept, imports, filters with a name and results to hand round.
func migrateToKeeping(tx *gorm.DB) error {
	for _, column := range []string{"WasLead", "ImportID"} {
		if tx.Migrator().HasColumn(&responses.Response{}, column) {
			continue
		}
		if err := tx.Migrator().AddColumn(&responses.Response{}, column); err != nil {
			return err
		}
	}
	blank := map[string]any{"was_lead": false, "import_id": ""}
	if err := tx.Model(&responses.Response{}).Where("was_lead IS NULL").UpdateColumns(blank).Error; err != nil {
		return err
	}
	made := []any{
		&documents.Quiz{}, &responses.KeptFilter{}, &responses.ResultLink{}, &responses.Import{},
		&tallies.ForgottenTally{},
	}
	if err := tx.AutoMigrate(made...); err != nil {
		return err
	}
	return tx.Model(&documents.Quiz{}).
		Where("keep_days IS NULL").
		UpdateColumns(map[string]any{"keep_days": 0, "keep_what": ""}).
		Error
}

// migrateToRoads brings links, histories by person and tallies.
func migrateToRoads(tx *gorm.DB) error {
	if err := tx.Migrator().DropIndex(&quiz3{}, "idx_quizzes_slug"); err != nil {
		return err
	}
	if err := tx.Migrator().DropIndex(&response3{}, "by_quiz"); err != nil {
		return err
	}
	// Edits have no id yet: they get one before the index asks for different ones.
	if err := tx.Migrator().AddColumn(&documents.Revision{}, "EditID"); err != nil {
		return err
	}
	all := tx.Model(&documents.Revision{}).Where("1 = 1")
	if err := all.UpdateColumn("edit_id", gorm.Expr("'before-' || number")).Error; err != nil {
		return err
	}
	err := tx.AutoMigrate(
		&documents.Quiz{},
		&documents.Link{},
		&documents.Revision{},
		&documents.History{},
		&responses.Response{},
		&tallies.StageTally{},
		&dayTally4{},
		&walkTally4{},
		&tallies.AnswerTally{},
		&tallies.KnownValue{},
	)
	if err != nil {
		return err
	}
	for _, column := range []string{"suspect", "source", "device", "country", "language"} {
		blank := tx.Model(&responses.Response{}).Where(column+" IS NULL").UpdateColumn(column, "")
		if blank.Error != nil {
			return blank.Error
		}
	}
	if err := dayColumn(tx); err != nil {
		return err
	}
	for _, aside := range []bool{true, false} {
		kept := tx.Model(&responses.Response{}).Where("(suspect <> '') = ?", aside).UpdateColumn("aside", aside)
		if kept.Error != nil {
			return kept.Error
		}
	}
	var quizzes []quiz3
	if err := tx.Omit("document", "assumed").Find(&quizzes).Error; err != nil {
		return err
	}
	for _, q := range quizzes {
		if err := migrateLinkAndHistory(tx, &q); err != nil {
			return err
		}
	}
	for _, column := range []string{"undo_head", "redo_head"} {
		if err := tx.Migrator().DropColumn(&quiz3{}, column); err != nil {
			return err
		}
	}
	return nil
}

func migrateLinkAndHistory(tx *gorm.DB, q *quiz3) error {
	if q.Slug != nil {
		if err := tx.Save(&documents.Link{Slug: *q.Slug, QuizID: q.ID, At: q.UpdatedAt}).Error; err != nil {
			return err
		}
	}
	var list []documents.Revision
	if err := tx.Omit("patch", "inverse").Where("quiz_id = ?", q.ID).Order("number").Find(&list).Error; err != nil {
		return err
	}
	if len(list) == 0 {
		return nil
	}
	h := rethread(list)
	for i := range list {
		r := &list[i]
		links := map[string]any{
			"cancels":    r.Cancels,
			"undo_below": r.UndoBelow,
			"redo_below": r.RedoBelow,
			"window":     "",
		}
		if err := tx.Model(r).UpdateColumns(links).Error; err != nil {
			return err
		}
	}
	return tx.Save(&h).Error
}

// rethread gives the revisions of a quiz, which had one history for all, the links of their only author's: what each
// undo and redo cancels, and what lies below each.
func rethread(list []documents.Revision) documents.History {
	h := documents.History{QuizID: list[0].QuizID, AccountID: list[0].AccountID}
	below := map[int]*documents.Revision{}
	for i := range list {
		r := &list[i]
		below[r.Number] = r
		switch r.Kind {
		case documents.KindUndo:
			r.Cancels, r.UndoBelow, r.RedoBelow = h.Undo, 0, h.Redo
			if done := below[h.Undo]; done != nil {
				h.Undo = done.UndoBelow
			}
			h.Redo = r.Number
		case documents.KindRedo:
			r.Cancels, r.UndoBelow = h.Redo, h.Undo
			if undone := below[h.Redo]; undone != nil {
				h.Redo = undone.RedoBelow
			}
			r.RedoBelow, h.Undo = 0, r.Number
		default:
			r.UndoBelow, r.RedoBelow = h.Undo, 0
			h.Undo, h.Redo = r.Number, 0
		}
	}
	return h
}

// migrate brings a database to this program's schema. Where none of an earlier program can be, the schema is made as it
// is now; from then on the same migrations change it.
func migrate(db *gorm.DB, d *database.Dialect) error {
	m := gormigrate.New(db, &gormigrate.Options{TableName: "migrations", IDColumnName: "id", IDColumnSize: 255,
		UseTransaction: true, ValidateUnknownMigrations: true}, migrations)
	if d.NewSchema {
		m.InitSchema(newSchema)
	}
	err := m.Migrate()
	if errors.Is(err, gormigrate.ErrUnknownPastMigration) {
		return errors.New(
			"the database was written by a newer version of Omphalos; use that version or another data folder",
		)
	}
	return err
}
