package people

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"strings"
	"sync"
	"time"

	"gorm.io/gorm"

	"omphalos/app/store/database"
	"omphalos/app/store/documents"
)

// Store keeps who can sign in and with what and what they did.
type Store struct {
	*database.DB
	Documents *documents.Store
}

// New keeps people in a database.
func New(db *database.DB, documents *documents.Store) *Store {
	return &Store{DB: db, Documents: documents}
}

// SessionLife is how long a sign-in lasts.
const SessionLife = 30 * 24 * time.Hour

// ErrOwnerExists is returned when a first account is made although there is one.
var ErrOwnerExists = errors.New("there’s already an owner; sign in instead")

// HasOwner reports whether any account exists.
func (s *Store) HasOwner() (bool, error) {
	var n int64
	err := s.Read.Model(&Account{}).Count(&n).Error
	return n > 0, err
}

// CreateOwner makes the first account.
func (s *Store) CreateOwner(email, password string) (*Account, error) {
	hash, err := HashPassword(password)
	if err != nil {
		return nil, err
	}
	a := &Account{Email: strings.ToLower(strings.TrimSpace(email)), Password: hash, Role: Owner}
	err = s.Transact(func(tx *gorm.DB) error {
		var n int64
		if err := tx.Model(&Account{}).Count(&n).Error; err != nil {
			return err
		}
		if n > 0 {
			return ErrOwnerExists
		}
		return tx.Create(a).Error
	})
	return a, err
}

// AccountOf is the account with an email address, capitals making no difference. ErrNotFound where there is none.
func (s *Store) AccountOf(email string) (*Account, error) {
	var a Account
	err := s.Read.Where("LOWER(email) = LOWER(?)", strings.TrimSpace(email)).Take(&a).Error
	return &a, database.NotFound(err)
}

// Account returns the account of an id.
func (s *Store) Account(id uint) (*Account, error) {
	var a Account
	err := s.Read.Where("id = ?", id).Take(&a).Error
	return &a, database.NotFound(err)
}

// FirstAccount returns the account made first.
func (s *Store) FirstAccount() (*Account, error) {
	var a Account
	err := s.Read.Order("id").First(&a).Error
	return &a, database.NotFound(err)
}

// absent is compared with when an email address is unknown, so that the answer takes as long as a wrong password.
var absent = sync.OnceValues(func() ([]byte, error) { return HashPassword("no such account") })

// CheckPassword returns the account of the email address if the password is its own, else ErrNotFound. The account
// comes with how many wrong ones were tried before it; then they are forgotten.
func (s *Store) CheckPassword(email, password string) (*Account, error) {
	var a Account
	err := s.Read.Where("email = ?", strings.ToLower(strings.TrimSpace(email))).First(&a).Error
	if err != nil || len(a.Password) == 0 {
		hash, failed := absent()
		fits(hash, password)
		return nil, errors.Join(database.ErrNotFound, failed, unlessMissing(err))
	}
	account := s.Write.Model(&Account{}).Where("id = ?", a.ID)
	same, current := fits(a.Password, password)
	if !same {
		wrong := map[string]any{
			"failed":       gorm.Expr("coalesce(failed, 0) + 1"),
			"failed_since": gorm.Expr("coalesce(failed_since, ?)", s.Now().UTC()),
		}
		return nil, errors.Join(database.ErrNotFound, account.UpdateColumns(wrong).Error)
	}
	set := map[string]any{}
	if a.Failed > 0 {
		set["failed"], set["failed_since"] = 0, nil
	}
	if !current {
		if set["password"], err = HashPassword(password); err != nil {
			return nil, err
		}
	}
	if len(set) > 0 {
		err = account.UpdateColumns(set).Error
	}
	return &a, err
}

// unlessMissing is an error that is not about something that is not there.
func unlessMissing(err error) error {
	if database.IsMissing(err) {
		return nil
	}
	return err
}

// Failures is how many wrong passwords were tried at an account since its last sign-in.
func (s *Store) Failures(email string) (int, error) {
	var a Account
	err := s.Read.Select("failed").Where("email = ?", strings.ToLower(strings.TrimSpace(email))).First(&a).Error
	if database.IsMissing(err) {
		return 0, nil
	}
	return a.Failed, err
}

// SetPassword gives an account another password and signs it out everywhere.
func (s *Store) SetPassword(account uint, password string) error {
	hash, err := HashPassword(password)
	if err != nil {
		return err
	}
	return s.Transact(func(tx *gorm.DB) error { return setHash(tx, account, hash) })
}

// EndSessions signs an account out everywhere.
func (s *Store) EndSessions(account uint) error {
	return s.Write.Where("account_id = ?", account).Delete(&Session{}).Error
}

// EndOthers ends the sign-ins of an account but that of a token.
func (s *Store) EndOthers(account uint, token string) error {
	return s.Write.Where("account_id = ? AND hash <> ?", account, hashToken(token)).Delete(&Session{}).Error
}

// StartSession signs the account in and returns the token of its cookie. What the account says of wrong passwords goes
// with it.
func (s *Store) StartSession(a *Account, agent ...string) (string, error) {
	return s.startSession(a, false, strings.Join(agent, " "))
}

// PendingLife is how long a sign-in waits for the code of a second factor.
const PendingLife = 5 * time.Minute

// StartPending begins a sign-in that waits for the code of a second factor.
func (s *Store) StartPending(a *Account) (string, error) { return s.startSession(a, true, "") }

// Pending returns the sign-in of a token that waits for its code, with its account.
func (s *Store) Pending(token string) (*Session, error) { return s.session(token, true) }

func (s *Store) startSession(a *Account, waits bool, agent string) (string, error) {
	token, err := newToken()
	if err != nil {
		return "", err
	}
	now, life := s.Now(), SessionLife
	if waits {
		life = PendingLife
	}
	err = s.Transact(func(tx *gorm.DB) error {
		if err := tx.Where("expires_at < ?", now).Delete(&Session{}).Error; err != nil {
			return err
		}
		session := Session{Hash: hashToken(token), AccountID: a.ID, ExpiresAt: now.Add(life), Waits: waits}
		session.Failed, session.FailedSince = a.Failed, a.FailedSince
		session.ID, session.At, session.SeenAt, session.Agent = database.NewID(), now.UTC(), now.UTC(), agent
		return tx.Create(&session).Error
	})
	return token, err
}

// SessionAccount returns the account that the token signs in, with the wrong passwords that were tried before that.
func (s *Store) SessionAccount(token string) (*Account, error) {
	session, err := s.Session(token)
	return &session.Account, err
}

// Session returns the sign-in of a token, with its account.
func (s *Store) Session(token string) (*Session, error) { return s.session(token, false) }

func (s *Store) session(token string, waits bool) (*Session, error) {
	var session Session
	err := s.Read.Preload("Account").
		Where("hash = ? AND expires_at > ? AND waits = ?", hashToken(token), s.Now(), waits).
		First(&session).
		Error
	session.Account.Failed, session.Account.FailedSince = session.Failed, session.FailedSince
	return &session, database.NotFound(err)
}

// SeenFailures forgets what a sign-in told of wrong passwords.
func (s *Store) SeenFailures(token string) error {
	seen := map[string]any{"failed": 0, "failed_since": nil}
	return s.Write.Model(&Session{}).Where("hash = ?", hashToken(token)).UpdateColumns(seen).Error
}

// EndSession signs the token out.
func (s *Store) EndSession(token string) error {
	return s.Write.Where("hash = ?", hashToken(token)).Delete(&Session{}).Error
}

func hashToken(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}

// SetSubject notes what the provider of a sign-in elsewhere knows an account by.
func (s *Store) SetSubject(account uint, subject string) error {
	return database.Changed(s.Write.Model(&Account{}).Where("id = ?", account).UpdateColumn("subject", subject))
}

// Account is someone who can sign in.
type Account struct {
	ID        uint   `gorm:"primaryKey"`
	Email     string `gorm:"uniqueIndex;not null"`
	Name      string
	Password  []byte // argon2id, or bcrypt of earlier programs; empty for one that signs in elsewhere
	CreatedAt time.Time

	Role    string // Owner, Editor or Viewer
	Some    bool   `gorm:"column:chosen_only"` // it sees chosen quizzes alone
	Subject string `gorm:"index"`              // of the provider that it signs in with, "" for none

	Factor     string // secret of its second factor (RFC 6238), "" for none
	FactorStep int64  // time step of the last code that was used
	Recovery   []byte // JSON list of hashes of recovery codes

	NextFactor      string     // secret of one that is being set up: a code of it has not been typed yet
	NextFactorUntil *time.Time // until when it can be

	Failed      int        // wrong passwords since the last sign-in
	FailedSince *time.Time // when the first of them was tried
}

// Session is a sign-in; only the hash of its token is stored.
type Session struct {
	Hash      string `gorm:"primaryKey"`
	AccountID uint   `gorm:"not null;index"`
	Account   Account
	ExpiresAt time.Time

	ID     string `gorm:"index"` // names it in lists
	At     time.Time
	SeenAt time.Time
	Agent  string // the browser, in words
	Waits  bool   // for the code of a second factor: it signs in to nothing yet
	Tries  int    // wrong codes, while it waits

	Failed      int        // wrong passwords that were tried before this sign-in, until they have been seen
	FailedSince *time.Time // when the first of them was
}
