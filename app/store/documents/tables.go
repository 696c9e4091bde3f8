package documents

import (
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"omphalos/app/store/database"
	"omphalos/core/fill"
	"omphalos/core/quiz"
)

// ErrChanged is returned when a table was changed by someone else meanwhile.
var ErrChanged = errors.New("the table has changed in the meantime")

// Catalogue is the name of the table that products come from.
const Catalogue = "catalogue"

// CatalogueColumns are the columns of the catalogue; the first is the key.
var CatalogueColumns = []string{"sku", "name", "picture", "price", "sale", "link"}

// Table is a table read: its columns, and rows with a cell for each.
type Table struct {
	Name    string
	Number  int
	Columns []string
	Rows    [][]string
	Updated time.Time
	Lines   []int // of a table that comes from a file: which of its rows each one is; else nil
}

// Line is what people call row i: its number in the file that it comes from, or its place in the table.
func (t *Table) Line(i int) int {
	if i < len(t.Lines) {
		return t.Lines[i]
	}
	return i + 1
}

// Row returns the first row whose key, in the first column, is the given one; nil when there is none.
func (t *Table) Row(key string) []string {
	for _, row := range t.Rows {
		if len(row) > 0 && row[0] == key {
			return row
		}
	}
	return nil
}

// Find returns the first row whose key is one of the given ones: the very key, of the first that has a row, or else
// the same but for spaces around it and for case. It is nil when there is none.
func (t *Table) Find(keys ...string) []string {
	for _, key := range keys {
		if row := t.Row(key); row != nil {
			return row
		}
	}
	for _, key := range keys {
		key = strings.TrimSpace(key)
		for _, row := range t.Rows {
			if len(row) > 0 && strings.EqualFold(strings.TrimSpace(row[0]), key) {
				return row
			}
		}
	}
	return nil
}

// Cell returns the cell of a row in the named column; "" when there is none.
func (t *Table) Cell(row []string, column string) string {
	for i, c := range t.Columns {
		if c == column && i < len(row) {
			return row[i]
		}
	}
	return ""
}

// Next to are the tables next to a quiz as pages in a language read them: a column such as "url de" stands before
// "url".
func Beside(tables []Table, language string) fill.Tables { return beside{tables, language} }

type beside struct {
	tables   []Table
	language string
}

// Find is that of fill.Tables.
func (b beside) Find(table string, keys ...string) func(column string) string {
	i := slices.IndexFunc(b.tables, func(t Table) bool { return t.Name == table })
	if i < 0 {
		return nil
	}
	t := &b.tables[i]
	row := t.Find(keys...)
	if row == nil {
		return nil
	}
	return func(column string) string { return t.CellIn(row, column, b.language) }
}

// CellIn is what a row says in a column in a language: "name de" stands before "name".
func (t *Table) CellIn(row []string, column, language string) string {
	return quiz.FirstOf(t.Cell(row, column+" "+language), t.Cell(row, column))
}

func readTable(name string, number int, columns, rows []byte, at time.Time) (*Table, error) {
	t := &Table{Name: name, Number: number, Updated: at}
	return t, errors.Join(json.Unmarshal(columns, &t.Columns), json.Unmarshal(rows, &t.Rows))
}

// Tables returns the tables next to a quiz, by name.
func (s *Store) Tables(quizID string) ([]Table, error) {
	var list []DataTable
	if err := s.Read.Where("quiz_id = ?", quizID).Order("name").Find(&list).Error; err != nil {
		return nil, err
	}
	out := make([]Table, 0, len(list))
	for _, d := range list {
		t, err := readTable(d.Name, d.Number, d.Columns, d.Rows, d.UpdatedAt)
		if err != nil {
			return nil, err
		}
		out = append(out, *t)
	}
	return out, nil
}

// SaveTable stores a table as its next state; base is the number of the state that was edited, 0 for a new table.
func (s *Store) SaveTable(quizID string, account uint, base int, t *Table) error {
	columns, err := json.Marshal(t.Columns)
	if err != nil {
		return err
	}
	rows, err := json.Marshal(t.Rows)
	if err != nil {
		return err
	}
	return s.BumpState(s.Transact(func(tx *gorm.DB) error {
		var now DataTable
		err := tx.Where("quiz_id = ? AND name = ?", quizID, t.Name).First(&now).Error
		if err != nil && !database.IsMissing(err) {
			return err
		}
		if now.Number != base {
			return ErrChanged
		}
		var last int // of a table that was deleted the history continues
		history := tx.Model(&DataTableChange{}).Where("quiz_id = ? AND name = ?", quizID, t.Name)
		if err := history.Select("COALESCE(MAX(number), 0)").Scan(&last).Error; err != nil {
			return err
		}
		t.Number, t.Updated = last+1, s.Now().UTC()
		change := DataTableChange{quizID, t.Name, t.Number, columns, rows, account, t.Updated}
		if err := tx.Create(&change).Error; err != nil {
			return err
		}
		if err := forgetStates(tx, quizID, t.Name); err != nil {
			return err
		}
		next := DataTable{quizID, t.Name, t.Number, columns, rows, t.Updated}
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&next).Error
	}))
}

// Bounds of what is kept of a table's history: each state is the whole table.
const (
	maxStates     = 50
	maxStateBytes = 64 << 20
)

// forgetStates drops the oldest states of a table, as far as they are past the bounds.
func forgetStates(tx *gorm.DB, quizID, name string) error {
	var sizes []struct{ Number, Size int }
	history := tx.Model(&DataTableChange{}).Where("quiz_id = ? AND name = ?", quizID, name)
	err := history.Select("number, LENGTH(rows) AS size").Order("number DESC").Limit(2 * maxStates).Scan(&sizes).Error
	if err != nil {
		return err
	}
	total := 0
	for i, state := range sizes {
		if total += state.Size; i > 0 && (i >= maxStates || total > maxStateBytes) {
			old := tx.Where("quiz_id = ? AND name = ? AND number <= ?", quizID, name, state.Number)
			return old.Delete(&DataTableChange{}).Error
		}
	}
	return nil
}

// DeleteTable takes a table away; its history stays.
func (s *Store) DeleteTable(quizID, name string) error {
	return s.BumpState(database.Changed(s.Write.Where("quiz_id = ? AND name = ?", quizID, name).Delete(&DataTable{})))
}

// TableHistory returns the states of a table without their lines, the newest first.
func (s *Store) TableHistory(quizID, name string) ([]DataTableChange, error) {
	var list []DataTableChange
	err := s.Read.Omit("rows").Where("quiz_id = ? AND name = ?", quizID, name).
		Order("number DESC").Limit(maxStates).Find(&list).Error
	return list, err
}

// TableAt returns a table as it was after a change.
func (s *Store) TableAt(quizID, name string, number int) (*Table, error) {
	var c DataTableChange
	err := s.Read.Where("quiz_id = ? AND name = ? AND number = ?", quizID, name, number).First(&c).Error
	if err != nil {
		return nil, database.NotFound(err)
	}
	return readTable(c.Name, c.Number, c.Columns, c.Rows, c.At)
}

// Bounds of what is kept of keys that were missed: links can ask for any.
const (
	MaxMisses  = 1000 // of one table
	MaxMissKey = 200  // characters
)

// CutKey is as much of a key as is kept of one that was missed.
func CutKey(key string) string {
	if runes := []rune(key); len(runes) > MaxMissKey {
		return string(runes[:MaxMissKey])
	}
	return key
}

// Missed counts a key that a table did not have, for its owner to see. Past the bound only known ones are counted.
func (s *Store) Missed(quizID, name, key string) error {
	key = CutKey(key)
	now := s.Now().UTC()
	return s.Transact(func(tx *gorm.DB) error {
		known := tx.Model(&Miss{}).Where("quiz_id = ? AND name = ? AND key = ?", quizID, name, key).
			UpdateColumns(map[string]any{"count": gorm.Expr("count + 1"), "at": now})
		if known.Error != nil || known.RowsAffected > 0 {
			return known.Error
		}
		var n int64
		if err := tx.Model(&Miss{}).Where("quiz_id = ? AND name = ?", quizID, name).Count(&n).Error; err != nil ||
			n >= MaxMisses {
			return err
		}
		return tx.Create(&Miss{quizID, name, key, 1, now}).Error
	})
}

// Misses returns the keys that the tables of a quiz did not have, the newest first.
func (s *Store) Misses(quizID string) ([]Miss, error) {
	var list []Miss
	err := s.Read.Where("quiz_id = ?", quizID).Order("at DESC").Limit(100).Find(&list).Error
	return list, err
}

// ForgetMiss takes a miss from the list.
func (s *Store) ForgetMiss(quizID, name, key string) error {
	return s.Write.Where("quiz_id = ? AND name = ? AND key = ?", quizID, name, key).Delete(&Miss{}).Error
}

// DataTable is a list kept next to a quiz: places, addresses, products. It changes without a launch.
type DataTable struct {
	QuizID    string `gorm:"primaryKey"`
	Name      string `gorm:"primaryKey"`
	Number    int    // of the last change
	Columns   []byte // JSON list of names; the first column is the key
	Rows      []byte // JSON list of lists of cells
	UpdatedAt time.Time
}

// DataTableChange is a table as it was after one change.
type DataTableChange struct {
	QuizID    string `gorm:"primaryKey"`
	Name      string `gorm:"primaryKey"`
	Number    int    `gorm:"primaryKey;autoIncrement:false"`
	Columns   []byte
	Rows      []byte
	AccountID uint
	At        time.Time
}

// Miss is a key that a table was asked for and did not have.
type Miss struct {
	QuizID string `gorm:"primaryKey"`
	Name   string `gorm:"primaryKey"`
	Key    string `gorm:"primaryKey"`
	Count  int
	At     time.Time
}

// Size is about how many bytes of memory the table takes.
func (t *Table) Size() int {
	const cell = 24 // a string's header, and what the allocator adds
	size := 0
	for _, row := range t.Rows {
		for _, c := range row {
			size += len(c) + cell
		}
	}
	return size
}
