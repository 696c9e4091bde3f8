// Package attempts counts how often something was tried or taken, and says when that is too often: passwords, links,
// answers from one network. What is counted is not stored, only a keyed hash of it.
package attempts

import (
	"sync/atomic"

	"omphalos/app/store/database"
)

// Tables are the tables of attempts.
var Tables = []database.Model{
	{Of: &Attempt{}, Moment: true},
	{Of: &Bucket{}, Moment: true},
}

// Store counts in a database.
type Store struct {
	*database.DB
	buckets *buckets               // where this is the only server
	secret  atomic.Pointer[[]byte] // of keys under which attempts are counted; nil until it is read
}

// New counts in a database.
func New(db *database.DB) *Store { return &Store{DB: db, buckets: newBuckets()} }
