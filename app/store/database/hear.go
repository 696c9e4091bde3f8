package database

import (
	"context"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"gorm.io/gorm"
)

// Servers that share a database tell each other what they have changed, so that windows hear of edits at once and pages
// are as new as the server that made them. Anyone who misses a word looks by himself: windows ask for the revision
// every few seconds, and what is kept in memory is kept for a beat (see State).

// said are the words of one server to the others, each behind the name of the schema that it is of.
const (
	saidTo   = "omphalos"
	SaidEdit = "edit"
	saidMove = "moved"
)

// Tell says something in a transaction: it is heard when that is done.
func (s *DB) Tell(tx *gorm.DB, words ...string) error {
	if !s.Dialect.Shared {
		return nil
	}
	return tx.Exec("SELECT pg_notify(?, current_schema() || ' ' || ?)", saidTo, strings.Join(words, " ")).Error
}

// listenAgain is how long is waited before a server is listened to again.
const listenAgain = time.Second

// Hear listens to what other servers on the database say until the context ends; edited is called with the quiz and the
// revision after each edit. A connection that breaks is made again. On a file there is nothing to hear.
func (s *DB) Hear(ctx context.Context, edited func(quizID string, revision int)) {
	for s.Dialect.Shared && ctx.Err() == nil {
		_ = s.listen(ctx, edited) // meanwhile everyone looks by themselves
		s.changes.Add(1)          // whatever was said while no one listened
		select {
		case <-ctx.Done():
		case <-time.After(listenAgain):
		}
	}
}

func (s *DB) listen(ctx context.Context, edited func(string, int)) error {
	c, err := pgx.Connect(ctx, s.Address)
	if err != nil {
		return err
	}
	defer c.Close(context.WithoutCancel(ctx))
	var schema string
	if err := c.QueryRow(ctx, "SELECT current_schema()").Scan(&schema); err != nil {
		return err
	}
	if _, err := c.Exec(ctx, "LISTEN "+saidTo); err != nil {
		return err
	}
	for {
		heard, err := c.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		words := strings.Fields(heard.Payload)
		switch {
		case len(words) < 2 || words[0] != schema:
		case words[1] == saidMove:
			s.changes.Add(1)
		case words[1] == SaidEdit && len(words) == 4:
			if n, err := strconv.Atoi(words[3]); err == nil {
				edited(words[2], n)
			}
		}
	}
}
