// Package storetest finds tests a database: on the PostgreSQL server that runs next to them, where there is one.
package storetest

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"os"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
)

// Server is the address of the server next to the tests; "" where there is none, so that they run on files.
func Server() string { return os.Getenv("OMPHALOS_TEST_DATABASE") }

// Database is the address of a schema of its own for a name, such as that of a folder; "" without a server.
func Database(t testing.TB, name string) string {
	t.Helper()
	if Server() == "" {
		return ""
	}
	sum := sha256.Sum256([]byte(name))
	schema := "t_" + hex.EncodeToString(sum[:8])
	ctx := context.Background()
	c, err := pgx.Connect(ctx, Server())
	require.NoError(t, err)
	defer c.Close(ctx)
	_, err = c.Exec(ctx, "CREATE SCHEMA IF NOT EXISTS "+schema)
	require.NoError(t, err)
	return Server() + "&search_path=" + schema
}

// NeedsServer is for tests of what several servers on one database do.
func NeedsServer(t testing.TB) {
	t.Helper()
	if Server() == "" {
		t.Skip("make test runs it with a PostgreSQL server")
	}
}
