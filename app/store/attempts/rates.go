package attempts

import (
	"fmt"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
)

// Rate is how often something may be done under one key: once in Every, and Burst times at once after a pause.
type Rate struct {
	Every time.Duration
	Burst int
}

// Taken is what came of asking to do something.
type Taken struct {
	OK   bool
	Left int           // how many more times at once
	Wait time.Duration // until it may be done once; 0 where it may be at once
}

// Bucket is the theoretical arrival time of what is done under a key, in µs of Unix time. It moves on by Every each
// time, and may be Burst × Every ahead of now: the generic cell rate algorithm by virtual scheduling (ITU-T I.371; from
// memory).
type Bucket struct {
	Key  string `gorm:"primaryKey"` // a keyed hash: whose it is is not stored
	Full int64  `gorm:"index"`
}

func (r Rate) every() int64 { return r.Every.Microseconds() }

// most is how far a bucket may be ahead of now.
func (r Rate) most() int64 { return r.every() * int64(r.Burst) }

// next is where a bucket stands after one more time, and whether that is allowed.
func (r Rate) next(full, now int64) (int64, bool) {
	next := max(full, now) + r.every()
	return next, next <= now+r.most()
}

// result tells of a bucket as it stands.
func (r Rate) result(ok bool, full, now int64) Taken {
	t := Taken{OK: ok, Left: int(max(0, now+r.most()-max(full, now)) / r.every())}
	if next, may := r.next(full, now); !may {
		t.Wait = time.Duration(next-now-r.most()) * time.Microsecond
	}
	return t
}

// buckets are those of a server that is alone on its database: they live as long as it does.
type buckets struct {
	mu   sync.Mutex
	full *lru.Cache[string, int64]
}

// maxBuckets are remembered; the one that was longest away goes first.
const maxBuckets = 50_000

func newBuckets() *buckets {
	full, err := lru.New[string, int64](maxBuckets)
	if err != nil {
		panic(err) // the size is positive
	}
	return &buckets{full: full}
}

func (b *buckets) take(key string, r Rate, now int64) Taken {
	b.mu.Lock()
	defer b.mu.Unlock()
	full, _ := b.full.Get(key)
	next, ok := r.next(full, now)
	if ok {
		full = next
	}
	b.full.Add(key, full)
	return r.result(ok, full, now)
}

// takeOne moves a bucket on where that is allowed: by the same rule as next, in one statement.
const takeOne = `INSERT INTO buckets (key, "full") VALUES (@key, @fresh)
	ON CONFLICT (key) DO UPDATE
	SET "full" = CASE WHEN buckets."full" > @now THEN buckets."full" + @every ELSE @fresh END
	WHERE buckets."full" + @every <= @limit RETURNING "full"`

// Take asks to do something under a key, such as "finish 192.0.2.1". It is counted for all servers on the database
// together; on a file, where there is one, in memory.
func (s *Store) Take(key string, r Rate) (Taken, error) {
	now := s.Now().UnixMicro()
	if !s.Dialect.Shared {
		return s.buckets.take(fmt.Sprint(r, " ", key), r, now), nil
	}
	key, err := s.Keyed(fmt.Sprint(r, " ", key))
	if err != nil {
		return Taken{}, err
	}
	var moved []int64
	err = s.Loose.Raw(takeOne, map[string]any{
		"key": key, "now": now, "every": r.every(), "fresh": now + r.every(), "limit": now + r.most(),
	}).Scan(&moved).Error
	if err != nil {
		return Taken{}, err
	}
	if len(moved) > 0 {
		return r.result(true, moved[0], now), nil
	}
	var kept Bucket
	if err := s.Read.Where("key = ?", key).Limit(1).Find(&kept).Error; err != nil {
		return Taken{}, err
	}
	return r.result(false, kept.Full, now), nil
}

// DropOldBuckets drops those that are empty.
func (s *Store) DropOldBuckets() error {
	return s.Loose.Where(`"full" < ?`, s.Now().UnixMicro()).Delete(&Bucket{}).Error
}
