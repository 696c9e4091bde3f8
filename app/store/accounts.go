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

// FirstAccount returns the account made first.
func (s *Store) FirstAccount() (*Account, error) {
	var a Account
	err := s.read.Order("id").First(&a).Error
	return &a, notFound(err)
}

// absent is compared with when an e-mail address is unknown, so that the answer takes as long as a wrong password.
var absent, _ = bcrypt.GenerateFromPassword([]byte("no such account"), bcrypt.DefaultCost)

// CheckPassword returns the account of the e-mail address if the password is its own, else ErrNotFound.
func (s *Store) CheckPassword(email, password string) (*Account, error) {
	var a Account
	err := s.read.Where("email = ?", strings.ToLower(strings.TrimSpace(email))).First(&a).Error
	if err != nil {
		_ = bcrypt.CompareHashAndPassword(absent, []byte(password))
		return nil, notFound(err)
	}
	if bcrypt.CompareHashAndPassword(a.Password, []byte(password)) != nil {
		return nil, ErrNotFound
	}
	return &a, nil
}

// StartSession signs the account in and returns the token of its cookie.
func (s *Store) StartSession(account uint) (string, error) {
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
		return tx.Create(&Session{Hash: hashToken(token), AccountID: account, ExpiresAt: now.Add(SessionLife)}).Error
	})
	return token, err
}

// SessionAccount returns the account that the token signs in.
func (s *Store) SessionAccount(token string) (*Account, error) {
	var session Session
	err := s.read.Preload("Account").
		Where("hash = ? AND expires_at > ?", hashToken(token), s.now()).
		First(&session).
		Error
	return &session.Account, notFound(err)
}

// EndSession signs the token out.
func (s *Store) EndSession(token string) error {
	return s.write.Where("hash = ?", hashToken(token)).Delete(&Session{}).Error
}

func hashToken(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}
