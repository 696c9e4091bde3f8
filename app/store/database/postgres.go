package database

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgtype"
	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/schema"
)

// What PostgreSQL does in its own way stands in this file.

// OnPostgres is what PostgreSQL says in its own way.
var OnPostgres = &Dialect{
	numbered:  true,
	Shared:    true,
	NewSchema: true,
	OneMoment: sql.LevelRepeatableRead,
	CountOn:   "SELECT setval(pg_get_serial_sequence('%[1]s', 'id'), GREATEST((SELECT MAX(id) FROM %[1]s), 1))",
	Begin:     "SELECT pg_advisory_xact_lock(hashtext(current_schema()))",
	Words: `INSERT INTO words (quiz_id, word, response_id)
		SELECT line->>0, line->>1, line->>2 FROM jsonb_array_elements(?::jsonb) AS line ON CONFLICT DO NOTHING`,
	DropWords: "DELETE FROM words WHERE quiz_id = ? AND response_id IN (SELECT jsonb_array_elements_text(?::jsonb))",
	Among:     "SELECT jsonb_array_elements_text(?::jsonb)",
	Place:     "quiz_id = ? AND kept = ? AND aside = ?",
	AsText:    "convert_from(%s, 'UTF8')",
	Score: `CAST(substring(NULLIF(convert_from(scores, 'UTF8'), '')::jsonb ->> 'scale.%s'
		from '^[-]{0,1}[0-9.]+') AS double precision)`,
	Inside: "strpos(marks, ?)",
	Marked: "CAST(substring(substr(marks, strpos(marks, ?) + ?) from '^[-]{0,1}[0-9.]+') AS double precision)",
	Like:   "ILIKE",
	InTurn: "id",
}

// Connections of one server: one writes, as with SQLite; these read next to it, and these write what tells of the
// moment.
const (
	PostgresReaders = 8
	PostgresLoose   = 4
)

// NoEndlessWait are settings of the connection that writes, unless the address says otherwise: a server that has lost
// its machine in the middle of a transaction keeps the others waiting no longer than this.
var NoEndlessWait = map[string]string{
	"lock_timeout":                        "30s",
	"idle_in_transaction_session_timeout": "20s",
}

// ConnectPostgres connects to a database on a server, such as postgres://user@host/name, for reading alone where reads.
func ConnectPostgres(address string, connections int, reads bool) (*gorm.DB, error) {
	config, err := pgx.ParseConfig(address)
	if err != nil {
		return nil, fmt.Errorf("invalid database address; use postgres://USER@HOST/NAME: %w", err)
	}
	config.RuntimeParams["timezone"], config.RuntimeParams["application_name"] = "UTC", "omphalos"
	if reads {
		config.RuntimeParams["default_transaction_read_only"] = "on"
	} else {
		for name, value := range NoEndlessWait {
			if _, said := config.RuntimeParams[name]; !said {
				config.RuntimeParams[name] = value
			}
		}
	}
	connector := stdlib.GetConnector(*config, stdlib.OptionAfterConnect(func(_ context.Context, c *pgx.Conn) error {
		c.TypeMap().RegisterType(&pgtype.Type{
			Name: "timestamptz", OID: pgtype.TimestamptzOID, Codec: &pgtype.TimestamptzCodec{ScanLocation: time.UTC},
		})
		return nil
	}))
	pool := sql.OpenDB(cleaning{connector})
	pool.SetMaxOpenConns(connections)
	pool.SetMaxIdleConns(connections)
	db, err := gorm.Open(binary{postgres.Dialector{Config: &postgres.Config{Conn: pool}}}, settings())
	if err != nil {
		return nil, errors.Join(fmt.Errorf("couldn’t open the database at %s: %w", config.Host, err), pool.Close())
	}
	return db, nil
}

// binary compares texts byte by byte, as SQLite and the program itself do, whatever the language of the database.
type binary struct{ postgres.Dialector }

// DataTypeOf is that of the driver, with the collation of texts.
func (d binary) DataTypeOf(f *schema.Field) string {
	if f.DataType == schema.String {
		return `text COLLATE "C"`
	}
	return d.Dialector.DataTypeOf(f)
}

// Migrator is that of the driver, with the types of this dialect.
func (d binary) Migrator(db *gorm.DB) gorm.Migrator {
	m := d.Dialector.Migrator(db).(postgres.Migrator)
	m.Migrator.Dialector = d
	return m
}

// cleaning leaves out of texts what PostgreSQL does not take: NUL, and bytes that are no UTF-8. JSON is kept as bytes,
// and says whatever was said.
type cleaning struct{ driver.Connector }

// Connect is that of the driver.
func (c cleaning) Connect(ctx context.Context) (driver.Conn, error) {
	conn, err := c.Connector.Connect(ctx)
	if err != nil {
		return nil, err
	}
	return cleanConn{conn.(*stdlib.Conn)}, nil
}

type cleanConn struct{ *stdlib.Conn }

// CheckNamedValue cleans a value of a query.
func (c cleanConn) CheckNamedValue(v *driver.NamedValue) error {
	switch text := v.Value.(type) {
	case string:
		v.Value = clean(text)
	case *string:
		if text != nil {
			v.Value = clean(*text)
		}
	}
	return c.Conn.CheckNamedValue(v)
}

func clean(text string) string {
	return strings.ReplaceAll(strings.ToValidUTF8(text, "\uFFFD"), "\x00", "")
}
