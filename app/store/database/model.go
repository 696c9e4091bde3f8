// Package database opens SQLite or PostgreSQL and runs transactions on it. What differs between the two is in sqlite.go
// and postgres.go. It knows no table but its own.
package database

import (
	"sync"

	"gorm.io/gorm/schema"
)

// Model is one table of the database: whose its lines are, what of a person they can hold, and what takes that
// away.
type Model struct {
	Of any // the model

	Quiz     bool // its lines belong to a quiz (quiz_id), and are purged with it
	Response bool // and to a response (response_id), and go with it
	Contact  bool // and are deleted when the contact details of the response are forgotten, which they repeat
	Moment   bool // no one misses its lines when the database is killed

	Until string // the column with the time from which on a line is of no use: it is dropped then

	Holds string // of a person; "" is nothing
	Goes  string // what takes that away next to a purge of the quiz
}

// What takes lines away, for many tables.
const (
	WithAccount  = "removing the account"
	WithResponse = "deleting the response or the person; the time that responses are kept"
)

// NameOf is the name of a model's table in the database.
func NameOf(model any) string {
	parsed, err := schema.Parse(model, &sync.Map{}, schema.NamingStrategy{})
	if err != nil {
		panic(err) // a model that GORM cannot read: no test would pass
	}
	return parsed.Table
}

// Tables are tables of the database itself.
var Tables = []Model{
	{Of: &Secret{}},
	{Of: &Health{}},
}
