package store

import (
	"database/sql"
	"strconv"
	"strings"
)

// dialect is what the databases say in their own ways. The queries are the same for all of them, and so is what they
// mean; each dialect stands in a file of its own.
type dialect struct {
	numbered bool   // placeholders are $1, $2, not ?
	shared   bool   // several servers may work on one database
	begin    string // what a transaction that writes begins with, so that these come one after another; "" for nothing

	newSchema bool // a new database gets all tables as they are now, not by the migrations

	oneMoment sql.IsolationLevel // of a transaction that reads as if nothing were written meanwhile
	countOn   string             // %s: lets the ids of a table continue behind those that there are; "" for nothing

	words     string // takes a JSON list of lines into the search
	dropWords string // takes the responses of a JSON list of ids out of it
	among     string // the ids of a JSON list
	place     string // a condition on where a response belongs that keeps to its id
	asText    string // %s: a column of JSON, as text
	score     string // %s: the score of a response by a scale's id, NULL for none
	inside    string // where a mark stands in the marks, from 1; 0 for nowhere
	marked    string // the number behind a mark, from which on it stands so far
	like      string // compares texts whatever the size of their letters
	inTurn    string // what lines of one moment are ordered by: as they came
}

// bind writes a query's placeholders as the database has them.
func (d *dialect) bind(query string) string {
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

// transaction is one of the driver, with the prepared statements.
type transaction struct {
	*sql.Tx
	dialect  *dialect
	prepared statements
}

// Exec is that of the driver, with a query that all databases share.
func (tx *transaction) Exec(query string, args ...any) (sql.Result, error) {
	return tx.Tx.Exec(tx.dialect.bind(query), args...)
}

// Query is that of the driver, like Exec.
func (tx *transaction) Query(query string, args ...any) (*sql.Rows, error) {
	return tx.Tx.Query(tx.dialect.bind(query), args...)
}

// QueryRow is that of the driver, like Exec.
func (tx *transaction) QueryRow(query string, args ...any) *sql.Row {
	return tx.Tx.QueryRow(tx.dialect.bind(query), args...)
}

// Prepare is that of the driver, like Exec.
func (tx *transaction) Prepare(query string) (*sql.Stmt, error) {
	return tx.Tx.Prepare(tx.dialect.bind(query))
}
