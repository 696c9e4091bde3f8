package people

import (
	"crypto/rand"
	"encoding/base64"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"omphalos/app/store/database"
)

// Scopes of a token.
const (
	ScopeRead  = "read"
	ScopeWrite = "write"
)

// TokenPrefix begins every token, so that one that lies about can be told for what it is.
const TokenPrefix = "omp_"

// Token lets another program act as an account; only its hash is stored.
type Token struct {
	ID        string `gorm:"primaryKey"`
	Hash      string `gorm:"uniqueIndex"`
	AccountID uint   `gorm:"index"`
	Name      string
	Scopes    string // with commas between them
	CreatedAt time.Time
	SeenAt    *time.Time
}

// Has reports whether the token has a scope.
func (t *Token) Has(scope string) bool {
	return strings.Contains(","+t.Scopes+",", ","+scope+",")
}

func newToken() (string, error) {
	raw := make([]byte, 32)
	_, err := rand.Read(raw)
	return base64.RawURLEncoding.EncodeToString(raw), err
}

// AddToken stores a token of an account and returns it, which is shown this once.
func (s *Store) AddToken(account uint, name string, scopes []string) (string, error) {
	secret, err := newToken()
	if err != nil {
		return "", err
	}
	secret = TokenPrefix + secret
	t := &Token{
		ID: database.NewID(), Hash: hashToken(secret), AccountID: account, Name: name,
		Scopes: strings.Join(scopes, ","), CreatedAt: s.Now().UTC(),
	}
	return secret, s.Write.Create(t).Error
}

// Tokens are those of an account, the last made first.
func (s *Store) Tokens(account uint) ([]Token, error) {
	var list []Token
	err := s.Read.Where("account_id = ?", account).Order("created_at DESC, id").Find(&list).Error
	return list, err
}

// DropToken revokes a token of an account.
func (s *Store) DropToken(account uint, id string) error {
	return database.Changed(s.Write.Where("account_id = ? AND id = ?", account, id).Delete(&Token{}))
}

// DropTokens ends all tokens of an account.
func (s *Store) DropTokens(account uint) error {
	return s.Write.Where("account_id = ?", account).Delete(&Token{}).Error
}

// TokenOf finds a token and its account, and notes that it is in use.
func (s *Store) TokenOf(secret string) (*Token, *Account, error) {
	var t Token
	if err := s.Read.Where("hash = ?", hashToken(secret)).Take(&t).Error; err != nil {
		return nil, nil, database.NotFound(err)
	}
	a, err := s.Account(t.AccountID)
	if err != nil {
		return nil, nil, err
	}
	if now := s.Now().UTC(); t.SeenAt == nil || now.Sub(*t.SeenAt) >= seenEvery {
		err = s.Write.Model(&Token{}).Where("id = ?", t.ID).UpdateColumn("seen_at", now).Error
	}
	return &t, a, err
}

// Repeat is a request that may come again under one key, and how it was answered first.
type Repeat struct {
	AccountID uint   `gorm:"primaryKey;autoIncrement:false"`
	Key       string `gorm:"primaryKey"` // a hash: callers may have put anything into theirs
	QuizID    string `gorm:"index"`      // that it made or changed; "" while it is being answered, and for none
	Asked     string // hash of what was asked
	Status    int    // 0: it is being answered
	Headers   []byte // JSON
	Body      []byte
	At        time.Time `gorm:"index"`
}

// repeatLife is how long a key stands for one request; unanswered is how long one that was never answered does: the
// program ended meanwhile.
const (
	repeatLife = 24 * time.Hour
	unanswered = 2 * time.Minute
)

// Begin notes that a request of a key is being answered. Where one is there already it is returned, and this one is not
// to be answered again.
func (s *Store) Begin(account uint, key, asked string) (*Repeat, error) {
	now := s.Now().UTC()
	key = database.HashOf(key)
	r := Repeat{AccountID: account, Key: key, Asked: asked, At: now}
	var before *Repeat
	return before, s.Transact(func(tx *gorm.DB) error {
		if err := DropOldRepeats(tx, now); err != nil {
			return err
		}
		made := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&r)
		if made.Error != nil || made.RowsAffected == 1 {
			return made.Error
		}
		before = &Repeat{}
		return tx.Where("account_id = ? AND key = ?", account, key).Take(before).Error
	})
}

// DropOldRepeats forgets requests whose key stands for them no longer.
func DropOldRepeats(db *gorm.DB, now time.Time) error {
	return db.Where("at < ? OR status = 0 AND at < ?", now.Add(-repeatLife), now.Add(-unanswered)).Delete(&Repeat{}).Error
}

// Answer stores how a request of a key was answered, about a quiz or ""; with status 0 it may be asked again.
func (s *Store) Answer(account uint, key, quizID string, status int, headers, body []byte) error {
	of := s.Write.Where("account_id = ? AND key = ?", account, database.HashOf(key))
	if status == 0 {
		return of.Delete(&Repeat{}).Error
	}
	return of.Model(&Repeat{}).UpdateColumns(map[string]any{"quiz_id": quizID, "status": status, "headers": headers, "body": body}).Error
}
