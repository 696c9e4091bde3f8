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

// openAt opens the database of a folder.
func openAt(t testing.TB, dir string, now ...func() time.Time) (*Store, error) {
	t.Helper()
	dir, o := placeOf(t, dir)
	if len(now) > 0 {
		o.Now = now[0]
	}
	return Open(dir, o)
}

// placeOf is where the database of a folder is: in it, or where tests run on a server, in the schema that stands for it.
func placeOf(t testing.TB, dir string) (string, Options) {
	t.Helper()
	if onServer() == "" {
		return dir, Options{}
	}
	sum := sha256.Sum256([]byte(dir))
	schema := "t_" + hex.EncodeToString(sum[:8])
	c, err := pgx.Connect(context.Background(), onServer())
	require.NoError(t, err)
	defer c.Close(context.Background())
	_, err = c.Exec(context.Background(), "CREATE SCHEMA IF NOT EXISTS "+schema)
	require.NoError(t, err)
	return dir, Options{Database: onServer() + "&search_path=" + schema}
}

// onFile is for tests of what SQLite does in its own way.
func onFile(t testing.TB) {
	t.Helper()
	if onServer() != "" {
		t.Skip("it is of SQLite alone")
	}
}

// inServer reports whether a text stands in any line of the schema that stands for a folder.
func inServer(t testing.TB, dir, text string) bool {
	t.Helper()
	_, o := placeOf(t, dir)
	ctx := context.Background()
	c, err := pgx.Connect(ctx, o.Database)
	require.NoError(t, err)
	defer c.Close(ctx)
	rows, err := c.Query(ctx, "SELECT table_name FROM information_schema.tables WHERE table_schema = current_schema()")
	require.NoError(t, err)
	names, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(t, err)
	for _, name := range names {
		found := false
		// Columns of bytes are written as text, with what is in them.
		query := "SELECT EXISTS (SELECT 1 FROM " + name + " t WHERE t::text LIKE $1 OR t::text LIKE '%' || encode($2::bytea, 'hex') || '%')"
		require.NoError(t, c.QueryRow(ctx, query, "%"+text+"%", []byte(text)).Scan(&found))
		if found {
			return true
		}
	}
	return false
}
