package database

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestPlaceholdersOfEachDatabase(t *testing.T) {
	for query, numbered := range map[string]string{
		"SELECT 1":                               "SELECT 1",
		"a = ? AND b IN (?, ?)":                  "a = $1 AND b IN ($2, $3)",
		"a = '?' AND b = ? AND c = 'it''s ?'":    "a = '?' AND b = $1 AND c = 'it''s ?'",
		"INSERT INTO ü (a) VALUES (?) -- “done”": "INSERT INTO ü (a) VALUES ($1) -- “done”",
	} {
		require.Equal(t, numbered, OnPostgres.Bind(query))
		require.Equal(t, query, OnSQLite.Bind(query))
	}
}

// What PostgreSQL does not take is left out of texts, and nothing else is changed.
func TestTextsForPostgreSQL(t *testing.T) {
	for text, want := range map[string]string{
		"Órla O’Dwyer":  "Órla O’Dwyer",
		"a\x00b":        "ab",
		"a\xffb":        "a\uFFFDb",
		"\x02k=v\x03\n": "\x02k=v\x03\n",
	} {
		require.Equal(t, want, clean(text))
	}
}
