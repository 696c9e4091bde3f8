// Package store keeps accounts, quizzes, their edits and versions, responses and their totals in SQLite or PostgreSQL.
// It is the only package that knows the database. What differs between the two is in sqlite.go and postgres.go.
package store
