package database

import (
	"database/sql"
	"strconv"
	"strings"
)

// Dialect is what the databases say in their own ways. The queries are the same for all of them, and so is what they
// mean; each dialect stands in a file of its own.
type Dialect struct {
	numbered bool   // placeholders are $1, $2, not ?
	Shared   bool   // several servers may work on one database
	Begin    string // what a transaction that writes begins with, so that these come one after another; "" for nothing

	NewSchema bool // a new database gets all tables as they are now, not by the migrations

	OneMoment sql.IsolationLevel // of a transaction that reads as if nothing were written meanwhile
	CountOn   string             // %s: lets the ids of a table continue behind those that there are; "" for nothing

	Words     string // takes a JSON list of lines into the search
	DropWords string // takes the responses of a JSON list of ids out of it
	Among     string // the ids of a JSON list
	Place     string // a condition on where a response belongs that keeps to its id
	AsText    string // %s: a column of JSON, as text
	Score     string // %s: the score of a response by a scale's id, NULL for none
	Inside    string // where a mark stands in the marks, from 1; 0 for nowhere
	Marked    string // the number behind a mark, from which on it stands so far
	Like      string // compares texts whatever the size of their letters
	InTurn    string // what lines of one moment are ordered by: as they came
}

// Bind writes a query's placeholders as the database has them.
func (d *Dialect) Bind(query string) string {
	if !d.numbered {
		return query
	}
	var b strings.Builder
	n, quoted := 0, false
	for _, r := range query {
		switch {
		case r == '\'':
			quoted = !quoted
		case r == '?' && !quoted:
			n++
			b.WriteString("$" + strconv.Itoa(n))
			continue
		}
		b.WriteRune(r)
	}
	return b.String()
}

// Transaction is one of the driver, with the prepared statements.
type Transaction struct {
	*sql.Tx
	Dialect  *Dialect
	prepared Statements
}

// Exec is that of the driver, with a query that all databases share.
func (tx *Transaction) Exec(query string, args ...any) (sql.Result, error) {
	return tx.Tx.Exec(tx.Dialect.Bind(query), args...)
}

// Query is that of the driver, like Exec.
func (tx *Transaction) Query(query string, args ...any) (*sql.Rows, error) {
	return tx.Tx.Query(tx.Dialect.Bind(query), args...)
}

// QueryRow is that of the driver, like Exec.
func (tx *Transaction) QueryRow(query string, args ...any) *sql.Row {
	return tx.Tx.QueryRow(tx.Dialect.Bind(query), args...)
}

// Prepare is that of the driver, like Exec.
func (tx *Transaction) Prepare(query string) (*sql.Stmt, error) {
	return tx.Tx.Prepare(tx.Dialect.Bind(query))
}
