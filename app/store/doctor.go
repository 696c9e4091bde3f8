package store

import (
	"database/sql"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"slices"

	"gorm.io/gorm"

	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/app/store/responses"
	"omphalos/core/quiz"
)

// mostFound is how many findings of a kind Examine names.
const mostFound = 20

// Examine looks whether the database in a folder is sound: its pages, its references, the tallies against the
// responses, and whether every draft and version can be read. It changes nothing, and works while a server runs on the
// folder: it sees one moment. Findings are sentences; there are none of a sound database.
func Examine(dir string, o Options) (findings []string, err error) {
	path := filepath.Join(dir, File)
	var db *gorm.DB
	d := database.OnSQLite
	if o.Database != "" {
		d = database.OnPostgres
		db, err = database.ConnectPostgres(o.Database, 1, true)
	} else if _, err = os.Stat(path); err != nil {
		return nil, fmt.Errorf("no database found in %s: %w", dir, err)
	} else {
		db, err = database.Connect(path, url.Values{"_query_only": {"true"}}, 1)
	}
	if database.Damaged(err) {
		return []string{"The file is damaged: " + err.Error() + ". Restore a backup."}, nil
	}
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, database.CloseDB(db)) }()
	e := &examination{found: map[string]int{}, file: o.Database == ""}
	oneMoment := &sql.TxOptions{ReadOnly: true, Isolation: d.OneMoment}
	err = db.Transaction(func(tx *gorm.DB) error { return e.all(tx) }, oneMoment)
	if database.Damaged(err) {
		e.say("pages", "The file is damaged: %v. Restore a backup.", err)
		err = nil
	}
	return e.findings, err
}

// examination gathers what is wrong.
type examination struct {
	findings []string
	found    map[string]int // how many of a kind
	file     bool           // it is a file, whose pages are to be looked at
}

func (e *examination) say(kind, format string, args ...any) {
	if e.found[kind]++; e.found[kind] <= mostFound {
		e.findings = append(e.findings, fmt.Sprintf(format, args...))
	}
}

func (e *examination) all(tx *gorm.DB) error {
	if e.file {
		if err := e.pages(tx); err != nil || len(e.findings) > 0 {
			return err // nothing that is read from it can be trusted
		}
	}
	var done []string
	const ours = "SELECT id FROM migrations WHERE id <> 'SCHEMA_INIT'" // a line of anyone who runs them
	if err := tx.Raw(ours).Scan(&done).Error; err != nil {
		return err
	}
	for _, m := range migrations {
		if !slices.Contains(done, m.ID) {
			e.say(
				"schema",
				"The database is from an earlier version of Omphalos. Start this version on the folder once to update it.",
			)
			return nil
		}
	}
	if len(done) > len(migrations) {
		e.say("schema", "The database is from a newer version of Omphalos. Check it with that version.")
		return nil
	}
	for _, check := range []func(*gorm.DB) error{e.references, e.documents, e.owners, e.tallies} {
		if err := check(tx); err != nil {
			return err
		}
	}
	for kind, n := range e.found {
		if n > mostFound {
			e.findings = append(e.findings, fmt.Sprintf("And %d more like this (%s).", n-mostFound, kind))
		}
	}
	return nil
}

// pages looks at the file itself.
func (e *examination) pages(tx *gorm.DB) error {
	var pages []string
	if err := tx.Raw("PRAGMA integrity_check").Scan(&pages).Error; err != nil {
		e.say("pages", "The file is damaged: %v. Restore a backup.", err)
		return nil
	}
	for _, p := range pages {
		if p != "ok" {
			e.say("pages", "The file is damaged: %s. Restore a backup.", p)
		}
	}
	return nil
}

// references looks for lines of a file that belong to others that are not there. A server keeps them itself.
func (e *examination) references(tx *gorm.DB) error {
	if !e.file {
		return nil
	}
	var keys []struct{ Table, Parent string }
	if err := tx.Raw(`SELECT "table", parent FROM pragma_foreign_key_check`).Scan(&keys).Error; err != nil {
		return err
	}
	for _, k := range keys {
		e.say("keys", "A row in %s refers to a missing row in %s.", k.Table, k.Parent)
	}
	return nil
}

// documents reads every draft and version.
func (e *examination) documents(tx *gorm.DB) error {
	var quizzes []documents.Quiz
	if err := tx.Find(&quizzes).Error; err != nil {
		return err
	}
	for i := range quizzes {
		if _, err := quiz.ReadDraft(quizzes[i].Document); err != nil {
			e.say("documents", "Couldn’t read the draft of “%s” (%s): %v", quizzes[i].Name, quizzes[i].ID, err)
		}
	}
	var versions []documents.Version
	if err := tx.Find(&versions).Error; err != nil {
		return err
	}
	for i := range versions {
		if _, err := quiz.Read(versions[i].Document); err != nil {
			e.say("documents", "Couldn’t read version %d of quiz %s: %v", versions[i].Number, versions[i].QuizID, err)
		}
	}
	return nil
}

// owners looks for lines that belong to a quiz, a version or a response that is not there.
func (e *examination) owners(tx *gorm.DB) error {
	for _, q := range []struct{ what, query string }{
		{"some responses belong to a version that doesn’t exist", `SELECT COUNT(*) FROM responses r WHERE kept AND NOT EXISTS
			(SELECT 1 FROM versions v WHERE v.quiz_id = r.quiz_id AND v.number = r.version)`},
		{"some deals belong to a response that doesn’t exist", `SELECT COUNT(*) FROM deals d WHERE NOT EXISTS
			(SELECT 1 FROM responses r WHERE r.id = d.response_id)`},
		{"the search index contains words of deleted responses, so someone who was deleted could still be found",
			`SELECT COUNT(*) FROM words w WHERE NOT EXISTS (SELECT 1 FROM responses r WHERE r.id = w.response_id)`},
	} {
		var n int
		if err := tx.Raw(q.query).Scan(&n).Error; err != nil {
			return err
		}
		if n > 0 {
			e.say("owners", "%d %s.", n, q.what)
		}
	}
	return nil
}

// tallies compares the tallies of finished walks with what the responses come to.
func (e *examination) tallies(tx *gorm.DB) error {
	return responses.CompareTallies(tx, e.say)
}
