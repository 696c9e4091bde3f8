package store

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"strings"
	"time"

	"golang.org/x/crypto/bcrypt"
	"gorm.io/gorm"
)

// SessionLife is how long a sign-in lasts.
const SessionLife = 30 * 24 * time.Hour

// ErrOwnerExists is returned when a first account is made although there is one.
var ErrOwnerExists = errors.New("there is an owner already: sign in")

// HasOwner reports whether any account exists.
func (s *Store) HasOwner() (bool, error) {
	var n int64
	err := s.read.Model(&Account{}).Count(&n).Error
	return n > 0, err
}

// CreateOwner makes the first account.
func (s *Store) CreateOwner(email, password string) (*Account, error) {
	hash, err := bcrypt.GenerateFromPassword([]byte(password), bcrypt.DefaultCost)
	if err != nil {
		return nil, err
	}
	a := &Account{Email: strings.ToLower(strings.TrimSpace(email)), Password: hash}
	err = s.write.Transaction(func(tx *gorm.DB) error {
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

// AccountOf is the account with an e-mail address, capitals making no difference. ErrNotFound where there is none.
func (s *Store) AccountOf(email string) (*Account, error) {
	var a Account
	err := s.read.Where("LOWER(email) = LOWER(?)", strings.TrimSpace(email)).Take(&a).Error
	return &a, notFound(err)
}

// Account returns the account of an id.
func (s *Store) Account(id uint) (*Account, error) {
	var a Account
	err := s.read.Where("id = ?", id).Take(&a).Error
	return &a, notFound(err)
}

// FirstAccount returns the account made first.
func (s *Store) FirstAccount() (*Account, error) {
	var a Account
	err := s.read.Order("id").First(&a).Error
	return &a, notFound(err)
}

// absent is compared with when an e-mail address is unknown, so that the answer takes as long as a wrong password.
var absent, _ = bcrypt.GenerateFromPassword([]byte("no such account"), bcrypt.DefaultCost)

// CheckPassword returns the account of the e-mail address if the password is its own, else ErrNotFound. The account
// comes with how many wrong ones were tried before it; then they are forgotten.
func (s *Store) CheckPassword(email, password string) (*Account, error) {
	var a Account
	err := s.read.Where("email = ?", strings.ToLower(strings.TrimSpace(email))).First(&a).Error
	if err != nil {
		_ = bcrypt.CompareHashAndPassword(absent, []byte(password))
		return nil, notFound(err)
	}
	account := s.write.Model(&Account{}).Where("id = ?", a.ID)
	if bcrypt.CompareHashAndPassword(a.Password, []byte(password)) != nil {
		wrong := map[string]any{
			"failed":       gorm.Expr("coalesce(failed, 0) + 1"),
			"failed_since": gorm.Expr("coalesce(failed_since, ?)", s.now().UTC()),
		}
		return nil, errors.Join(ErrNotFound, account.UpdateColumns(wrong).Error)
	}
	if a.Failed > 0 {
		err = account.UpdateColumns(map[string]any{"failed": 0, "failed_since": nil}).Error
	}
	return &a, err
}

// Failures is how many wrong passwords were tried at an account since its last sign-in.
func (s *Store) Failures(email string) (int, error) {
	var a Account
	err := s.read.Select("failed").Where("email = ?", strings.ToLower(strings.TrimSpace(email))).First(&a).Error
	if isMissing(err) {
		return 0, nil
	}
	return a.Failed, err
}

// SetPassword gives an account another password and signs it out everywhere.
func (s *Store) SetPassword(account uint, password string) error {
	hash, err := bcrypt.GenerateFromPassword([]byte(password), bcrypt.DefaultCost)
	if err != nil {
		return err
	}
	return s.write.Transaction(func(tx *gorm.DB) error {
		set := changed(tx.Model(&Account{}).Where("id = ?", account).UpdateColumn("password", hash))
		if set != nil {
			return set
		}
		return tx.Where("account_id = ?", account).Delete(&Session{}).Error
	})
}

// EndSessions signs an account out everywhere.
func (s *Store) EndSessions(account uint) error {
	return s.write.Where("account_id = ?", account).Delete(&Session{}).Error
}

// StartSession signs the account in and returns the token of its cookie. What the account says of wrong passwords goes
// with it.
func (s *Store) StartSession(a *Account) (string, error) {
	raw := make([]byte, 32)
	if _, err := rand.Read(raw); err != nil {
		return "", err
	}
	token := base64.RawURLEncoding.EncodeToString(raw)
	now := s.now()
	err := s.write.Transaction(func(tx *gorm.DB) error {
		if err := tx.Where("expires_at < ?", now).Delete(&Session{}).Error; err != nil {
			return err
		}
		session := Session{Hash: hashToken(token), AccountID: a.ID, ExpiresAt: now.Add(SessionLife)}
		session.Failed, session.FailedSince = a.Failed, a.FailedSince
		return tx.Create(&session).Error
	})
	return token, err
}

// SessionAccount returns the account that the token signs in, with the wrong passwords that were tried before that.
func (s *Store) SessionAccount(token string) (*Account, error) {
	var session Session
	err := s.read.Preload("Account").
		Where("hash = ? AND expires_at > ?", hashToken(token), s.now()).
		First(&session).
		Error
	session.Account.Failed, session.Account.FailedSince = session.Failed, session.FailedSince
	return &session.Account, notFound(err)
}

// SeenFailures forgets what a sign-in told of wrong passwords.
func (s *Store) SeenFailures(token string) error {
	seen := map[string]any{"failed": 0, "failed_since": nil}
	return s.write.Model(&Session{}).Where("hash = ?", hashToken(token)).UpdateColumns(seen).Error
}

// EndSession signs the token out.
func (s *Store) EndSession(token string) error {
	return s.write.Where("hash = ?", hashToken(token)).Delete(&Session{}).Error
}

func hashToken(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}
