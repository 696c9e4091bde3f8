package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"os"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
)

// onServer is the address of the PostgreSQL server that these tests are to run on; "" runs them on SQLite.
func onServer() string { return os.Getenv("OMPHALOS_TEST_DATABASE") }

// openAt opens the database of a folder; where tests run on a server, the schema there that stands for the folder.
func openAt(t testing.TB, dir string, now ...func() time.Time) (*Store, error) {
	t.Helper()
	o := Options{}
	if len(now) > 0 {
		o.Now = now[0]
	}
	if onServer() == "" {
		return Open(dir, o)
	}
	sum := sha256.Sum256([]byte(dir))
	schema := "t_" + hex.EncodeToString(sum[:8])
	c, err := pgx.Connect(context.Background(), onServer())
	require.NoError(t, err)
	defer c.Close(context.Background())
	_, err = c.Exec(context.Background(), "CREATE SCHEMA IF NOT EXISTS "+schema)
	require.NoError(t, err)
	o.Database = onServer() + "&search_path=" + schema
	return Open(dir, o)
}

// onFile is for tests of what SQLite does in its own way.
func onFile(t testing.TB) {
	t.Helper()
	if onServer() != "" {
		t.Skip("it is of SQLite alone")
	}
}
