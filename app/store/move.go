package store

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
	"gorm.io/gorm/schema"

	"omphalos/app/store/database"
	"omphalos/app/store/documents"
)

// Moved is a table that was moved, and how many lines of it there are.
type Moved struct {
	Table string
	Lines int64
}

// moving is the secret that a database has while something is being moved into it.
const moving = "moving"

// Why a database is not moved into, or not opened.
var (
	ErrNotEmpty = errors.New("the database isn’t empty; choose an empty one")
	ErrHalf     = errors.New("a move into this database is running or was interrupted; run move again to continue it")
)

// moveBatch is how many lines are read and written at once: those of a table of large ones may be megabytes each.
const moveBatch, moveLargeBatch = 500, 20

// Move copies everything in one database to another one, which must be empty, of whatever kinds they are, and compares
// the two. What it reads is of one moment, also while a server works on it. One that was broken off continues where it
// ended. told is called with each table as it is copied, with the lines that are there and all that there are.
//
// Errors: ErrNotEmpty; ErrInUse of a file that a server works on; else what the databases say.
func Move(ctx context.Context, from, to *Store, told func(table string, done, all int64)) ([]Moved, error) {
	if err := to.beginMoving(); err != nil {
		return nil, err
	}
	var out []Moved
	err := from.Read.WithContext(ctx).Transaction(func(source *gorm.DB) error {
		for _, model := range movedTables() {
			one, err := newMove(source, to.Write.WithContext(ctx), model)
			if err == nil {
				err = one.copy(told)
			}
			if err == nil {
				err = one.compare()
			}
			if err != nil {
				return fmt.Errorf("%s: %w", one.table(), err)
			}
			out = append(out, Moved{one.table(), one.all})
		}
		return nil
	}, &sql.TxOptions{Isolation: from.Dialect.OneMoment, ReadOnly: true})
	if err == nil && to.Dialect.CountOn != "" {
		err = to.countOn()
	}
	if err == nil {
		err = to.Write.Where("name = ?", moving).Delete(&database.Secret{}).Error
	}
	return out, err
}

// movedTables are all but the line that shows whether a database takes anything, and what tells of the moment.
func movedTables() []any {
	return slices.DeleteFunc(allTables(), func(model any) bool {
		_, health := model.(*database.Health)
		return health || slices.ContainsFunc(ofTheMoment, func(other any) bool {
			return reflect.TypeOf(other) == reflect.TypeOf(model)
		})
	})
}

// beginMoving marks a database that is empty as one that is moved into. One with the mark no longer exists on with.
func (s *Store) beginMoving() error {
	half, err := s.halfMoved()
	if err != nil || half {
		return err
	}
	for _, model := range movedTables() {
		var n int64
		if err := s.Read.Model(model).Limit(1).Count(&n).Error; err != nil {
			return err
		}
		if n > 0 {
			return ErrNotEmpty
		}
	}
	return s.Write.Create(&database.Secret{Name: moving}).Error
}

func (s *Store) halfMoved() (bool, error) {
	var n int64
	err := s.Read.Model(&database.Secret{}).Where("name = ?", moving).Count(&n).Error
	return n > 0, err
}

// move is one table on its way.
type move struct {
	from, to *gorm.DB
	model    any
	schema   *schema.Schema
	keys     []string // columns of the primary key
	all      int64    // lines
}

func newMove(from, to *gorm.DB, model any) (*move, error) {
	m := &move{from: from, to: to, model: model}
	parsed := &gorm.Statement{DB: from}
	if err := parsed.Parse(model); err != nil {
		return m, err
	}
	m.schema = parsed.Schema
	for _, f := range m.schema.PrimaryFields {
		m.keys = append(m.keys, f.DBName)
	}
	return m, m.lines(from).Count(&m.all).Error
}

func (m *move) table() string {
	if m.schema == nil {
		return fmt.Sprintf("%T", m.model)
	}
	return m.schema.Table
}

// lines are those of the table: all but the mark of what is being moved.
func (m *move) lines(db *gorm.DB) *gorm.DB {
	q := db.Model(m.model)
	if _, secrets := m.model.(*database.Secret); secrets {
		q = q.Where("name <> ?", moving)
	}
	return q
}

// behind are the lines after one, in the order of their keys.
func (m *move) behind(db *gorm.DB, last reflect.Value) *gorm.DB {
	q := m.lines(db).Order(strings.Join(m.keys, ", "))
	if !last.IsValid() {
		return q
	}
	values := make([]any, len(m.keys))
	for i, f := range m.schema.PrimaryFields {
		values[i], _ = f.ValueOf(db.Statement.Context, last)
	}
	places := strings.TrimSuffix(strings.Repeat("?, ", len(values)), ", ")
	return q.Where("("+strings.Join(m.keys, ", ")+") > ("+places+")", values...)
}

// last is the line with the greatest key that is there already; none is not valid.
func (m *move) last() (reflect.Value, error) {
	list := reflect.New(reflect.SliceOf(m.schema.ModelType))
	q := m.lines(m.to).Order(strings.Join(m.keys, " DESC, ") + " DESC").Limit(1)
	if err := q.Find(list.Interface()).Error; err != nil || list.Elem().Len() == 0 {
		return reflect.Value{}, err
	}
	return list.Elem().Index(0), nil
}

func (m *move) copy(told func(string, int64, int64)) error {
	batch := moveBatch
	for _, large := range []any{
		&documents.PictureSize{}, &documents.Handout{}, &documents.DataTableChange{}, &documents.Version{},
	} {
		if reflect.TypeOf(large) == reflect.TypeOf(m.model) {
			batch = moveLargeBatch
		}
	}
	last, err := m.last()
	if err != nil {
		return err
	}
	var done int64
	if err := m.lines(m.to).Count(&done).Error; err != nil {
		return err
	}
	for {
		told(m.table(), done, m.all)
		list := reflect.New(reflect.SliceOf(m.schema.ModelType))
		if err := m.behind(m.from, last).Limit(batch).Find(list.Interface()).Error; err != nil {
			return err
		}
		n := list.Elem().Len()
		if n == 0 {
			return nil
		}
		made := m.to.Session(&gorm.Session{SkipHooks: true}).Omit(clause.Associations).Create(list.Interface())
		if made.Error != nil {
			return made.Error
		}
		done, last = done+int64(n), list.Elem().Index(n-1)
	}
}

// compare reads both tables and compares them line by line.
func (m *move) compare() error {
	var last reflect.Value
	for {
		ours := reflect.New(reflect.SliceOf(m.schema.ModelType))
		theirs := reflect.New(reflect.SliceOf(m.schema.ModelType))
		err := errors.Join(
			m.behind(m.from, last).Limit(moveBatch).Find(ours.Interface()).Error,
			m.behind(m.to, last).Limit(moveBatch).Find(theirs.Interface()).Error,
		)
		if err != nil {
			return err
		}
		n := ours.Elem().Len()
		if theirs.Elem().Len() != n {
			return errors.New("the two databases have different numbers of rows")
		}
		if n == 0 {
			return nil
		}
		for i := range n {
			a, b := ours.Elem().Index(i), theirs.Elem().Index(i)
			for _, f := range m.schema.Fields {
				if f.DBName != "" && !sameField(f, a, b) {
					return fmt.Errorf("a row in %s differs: the other database couldn’t store its contents", f.DBName)
				}
			}
		}
		last = ours.Elem().Index(n - 1)
	}
}

// sameField reports whether two lines have the same in a column. Times that an earlier
// program kept more finely are the same to the tick.
func sameField(f *schema.Field, a, b reflect.Value) bool {
	ctx := context.Background()
	x, _ := f.ValueOf(ctx, a)
	y, _ := f.ValueOf(ctx, b)
	if at, isTime := asTime(x); isTime {
		other, _ := asTime(y)
		return at.Truncate(database.Tick).Equal(other.Truncate(database.Tick))
	}
	if text, isBytes := x.([]byte); isBytes {
		other, _ := y.([]byte)
		return bytes.Equal(text, other)
	}
	return reflect.DeepEqual(x, y)
}

// asTime is a time, or the one that is pointed at; none is the zero one.
func asTime(v any) (at time.Time, isTime bool) {
	switch v := v.(type) {
	case time.Time:
		return v, true
	case *time.Time:
		if v == nil {
			return time.Time{}, true
		}
		return *v, true
	}
	return time.Time{}, false
}
