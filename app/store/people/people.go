package people

import (
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"omphalos/app/store/database"
	"omphalos/app/store/documents"
)

// Roles of accounts.
const (
	Owner  = "owner"  // everything, people too
	Editor = "editor" // quizzes, and what is set and read of them
	Viewer = "viewer" // reads
)

// Roles are those that can be given, the strongest first.
var Roles = []string{Owner, Editor, Viewer}

// Errors of what is done to accounts.
var (
	ErrLastOwner   = errors.New("there must be at least one owner; make someone else an owner first")
	ErrEmailTaken  = errors.New("there’s already an account with this email address")
	ErrNoSuchRole  = errors.New("the role must be owner, editor or viewer")
	ErrOnlyChosen  = errors.New("an owner always has access to all quizzes")
	inviteLifetime = 7 * 24 * time.Hour
)

// AccountQuiz lets an account that is not for all quizzes see one.
type AccountQuiz struct {
	AccountID uint   `gorm:"primaryKey;autoIncrement:false"`
	QuizID    string `gorm:"primaryKey"`
}

// Invite is a link by which someone makes an account; only the hash of its token is stored.
type Invite struct {
	Hash      string `gorm:"primaryKey"`
	ID        string `gorm:"uniqueIndex"`
	Email     string
	Role      string
	Some      bool   `gorm:"column:chosen_only"` // for chosen quizzes alone
	Quizzes   string // ids, with commas between them
	By        uint
	ExpiresAt time.Time
}

// Reset is a link by which someone chooses another password; only the hash of its token is stored.
type Reset struct {
	Hash      string `gorm:"primaryKey"`
	AccountID uint   `gorm:"index"`
	ExpiresAt time.Time
}

// ResetLife is how long a link to choose another password works.
const ResetLife = time.Hour

// IsOwner reports whether an account may do everything.
func (a *Account) IsOwner() bool { return a.Role == Owner }

// Edits reports whether an account may change quizzes.
func (a *Account) Edits() bool { return a.Role == Owner || a.Role == Editor }

// Accounts returns all accounts, the first made first.
func (s *Store) Accounts() ([]Account, error) {
	var list []Account
	err := s.Read.Order("id").Find(&list).Error
	return list, err
}

// ChosenQuizzes are the ids of the quizzes that an account was given.
func (s *Store) ChosenQuizzes(account uint) ([]string, error) {
	var ids []string
	err := s.Read.Model(&AccountQuiz{}).Where("account_id = ?", account).Order("quiz_id").Pluck("quiz_id", &ids).Error
	return ids, err
}

// Sees reports whether an account may see a quiz.
func (s *Store) Sees(a *Account, quizID string) (bool, error) {
	if !a.Some {
		return true, nil
	}
	var n int64
	err := s.Read.Model(&AccountQuiz{}).Where("account_id = ? AND quiz_id = ?", a.ID, quizID).Count(&n).Error
	return n > 0, err
}

// QuizzesOf are the quizzes that an account may see, the last edited first.
func (s *Store) QuizzesOf(a *Account) ([]documents.Quiz, error) {
	list, err := s.Documents.Quizzes()
	if err != nil || !a.Some {
		return list, err
	}
	ids, err := s.ChosenQuizzes(a.ID)
	return slices.DeleteFunc(list, func(q documents.Quiz) bool { return !slices.Contains(ids, q.ID) }), err
}

// Give lets an account that is for chosen quizzes see one more: one that it has made.
func (s *Store) Give(a *Account, quizID string) error {
	if !a.Some {
		return nil
	}
	return s.Write.Clauses(clause.OnConflict{DoNothing: true}).Create(&AccountQuiz{a.ID, quizID}).Error
}

// SetRights gives an account a role, for all quizzes or for chosen ones. There is an owner at any time.
func (s *Store) SetRights(account uint, role string, some bool, quizzes []string) error {
	if !slices.Contains(Roles, role) {
		return ErrNoSuchRole
	}
	if role == Owner && some {
		return ErrOnlyChosen
	}
	return s.Transact(func(tx *gorm.DB) error {
		set := map[string]any{"role": role, "chosen_only": some}
		if err := database.Changed(tx.Model(&Account{}).Where("id = ?", account).UpdateColumns(set)); err != nil {
			return err
		}
		if err := stillOwned(tx); err != nil {
			return err
		}
		return choose(tx, account, some, quizzes)
	})
}

func choose(tx *gorm.DB, account uint, some bool, quizzes []string) error {
	err := tx.Where("account_id = ?", account).Delete(&AccountQuiz{}).Error
	for _, id := range quizzes {
		if some && err == nil {
			err = tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&AccountQuiz{account, id}).Error
		}
	}
	return err
}

func stillOwned(tx *gorm.DB) error {
	var n int64
	err := tx.Model(&Account{}).Where("role = ?", Owner).Count(&n).Error
	if err == nil && n == 0 {
		err = ErrLastOwner
	}
	return err
}

// DropAccount deletes an account with its sign-ins, tokens and links. What it did stays in the histories.
func (s *Store) DropAccount(id uint) error {
	return s.Transact(func(tx *gorm.DB) error {
		for _, of := range []any{&Session{}, &AccountQuiz{}, &Token{}, &Reset{}} {
			if err := tx.Where("account_id = ?", id).Delete(of).Error; err != nil {
				return err
			}
		}
		if err := database.Changed(tx.Where("id = ?", id).Delete(&Account{})); err != nil {
			return err
		}
		return stillOwned(tx)
	})
}

// MakeAccount makes an account; password is its hash.
func (s *Store) MakeAccount(a *Account, quizzes []string) error {
	a.Email = strings.ToLower(strings.TrimSpace(a.Email))
	if !slices.Contains(Roles, a.Role) {
		return ErrNoSuchRole
	}
	err := s.Transact(func(tx *gorm.DB) error {
		if err := tx.Create(a).Error; err != nil {
			return err
		}
		return choose(tx, a.ID, a.Some, quizzes)
	})
	if errors.Is(err, gorm.ErrDuplicatedKey) {
		return ErrEmailTaken
	}
	return err
}

// InvitePerson stores an invitation and returns the token of its link, which is shown this once.
func (s *Store) InvitePerson(i *Invite) (token string, err error) {
	if !slices.Contains(Roles, i.Role) {
		return "", ErrNoSuchRole
	}
	if i.Role == Owner && i.Some {
		return "", ErrOnlyChosen
	}
	if _, err := s.AccountOf(i.Email); err == nil {
		return "", ErrEmailTaken
	}
	if token, err = newToken(); err != nil {
		return "", err
	}
	i.Hash, i.ID, i.ExpiresAt = hashToken(token), database.NewID(), s.Now().UTC().Add(inviteLifetime)
	return token, s.Write.Create(i).Error
}

// Invites are the invitations that are open.
func (s *Store) Invites() ([]Invite, error) {
	var list []Invite
	err := s.Read.Where("expires_at > ?", s.Now().UTC()).Order("email").Find(&list).Error
	return list, err
}

// InviteOf is the invitation of a link; ErrNotFound where it is none, or its time is over.
func (s *Store) InviteOf(token string) (*Invite, error) {
	var i Invite
	err := s.Read.Where("hash = ? AND expires_at > ?", hashToken(token), s.Now().UTC()).Take(&i).Error
	return &i, database.NotFound(err)
}

// DropInvite takes an invitation back.
func (s *Store) DropInvite(id string) error {
	return database.Changed(s.Write.Where("id = ?", id).Delete(&Invite{}))
}

// Accept makes the account of an invitation, once; hash is that of its password.
func (s *Store) Accept(token string, hash []byte) (*Account, error) {
	i, err := s.InviteOf(token)
	if err != nil {
		return nil, err
	}
	a := &Account{Email: i.Email, Password: hash, Role: i.Role, Some: i.Some}
	err = s.Transact(func(tx *gorm.DB) error {
		if err := database.Changed(tx.Where("hash = ?", i.Hash).Delete(&Invite{})); err != nil {
			return err // someone was faster
		}
		if err := tx.Create(a).Error; err != nil {
			return err
		}
		return choose(tx, a.ID, a.Some, splitIDs(i.Quizzes))
	})
	if errors.Is(err, gorm.ErrDuplicatedKey) {
		return nil, ErrEmailTaken
	}
	return a, err
}

func splitIDs(list string) []string {
	return strings.FieldsFunc(list, func(r rune) bool { return r == ',' })
}

// AskReset stores a link to choose another password, and returns its token.
func (s *Store) AskReset(account uint) (string, error) {
	token, err := newToken()
	if err != nil {
		return "", err
	}
	now := s.Now().UTC()
	return token, s.Transact(func(tx *gorm.DB) error {
		if err := tx.Where("account_id = ? OR expires_at < ?", account, now).Delete(&Reset{}).Error; err != nil {
			return err
		}
		return tx.Create(&Reset{hashToken(token), account, now.Add(ResetLife)}).Error
	})
}

// ResetOf is the account that a link gives another password; ErrNotFound where it is none, or its time is over.
func (s *Store) ResetOf(token string) (*Account, error) {
	var r Reset
	err := s.Read.Where("hash = ? AND expires_at > ?", hashToken(token), s.Now().UTC()).Take(&r).Error
	if err != nil {
		return nil, database.NotFound(err)
	}
	return s.Account(r.AccountID)
}

// UseReset gives the account of a link another password, once, and signs it out everywhere.
func (s *Store) UseReset(token string, hash []byte) (*Account, error) {
	a, err := s.ResetOf(token)
	if err != nil {
		return nil, err
	}
	return a, s.Transact(func(tx *gorm.DB) error {
		if err := database.Changed(tx.Where("hash = ?", hashToken(token)).Delete(&Reset{})); err != nil {
			return err
		}
		return setHash(tx, a.ID, hash)
	})
}

// setHash gives an account the hash of another password, and ends its sign-ins.
func setHash(tx *gorm.DB, account uint, hash []byte) error {
	set := tx.Model(&Account{}).Where("id = ?", account).UpdateColumn("password", hash)
	if err := database.Changed(set); err != nil {
		return err
	}
	return tx.Where("account_id = ?", account).Delete(&Session{}).Error
}

// Sessions are the sign-ins of an account, the last used first.
func (s *Store) Sessions(account uint) ([]Session, error) {
	var list []Session
	err := s.Read.Where("account_id = ? AND expires_at > ? AND waits = ?", account, s.Now(), false).
		Order("seen_at DESC, id").
		Find(&list).
		Error
	return list, err
}

// EndOne ends one sign-in of an account.
func (s *Store) EndOne(account uint, id string) error {
	return database.Changed(s.Write.Where("account_id = ? AND id = ?", account, id).Delete(&Session{}))
}

// seenEvery is how often it is written down that a sign-in or a token is in use.
const seenEvery = time.Minute

// Seen notes that a sign-in is in use.
func (s *Store) Seen(session *Session) error {
	now := s.Now().UTC()
	if now.Sub(session.SeenAt) < seenEvery {
		return nil
	}
	return s.Write.Model(&Session{}).Where("hash = ?", session.Hash).UpdateColumn("seen_at", now).Error
}

// NextFactorLife is how long a second factor can be set up once it has been begun.
const NextFactorLife = 15 * time.Minute

// StartFactor keeps the secret of a second factor that is being set up: what a form sends back is not asked for it.
func (s *Store) StartFactor(account uint, secret string) error {
	set := map[string]any{"next_factor": secret, "next_factor_until": s.Now().UTC().Add(NextFactorLife)}
	return database.Changed(s.Write.Model(&Account{}).Where("id = ?", account).UpdateColumns(set))
}

// NextFactor is the secret of the second factor that an account is setting up; "" for none.
func (s *Store) NextFactor(account uint) (string, error) {
	a, err := s.Account(account)
	if err != nil || a.NextFactorUntil == nil || s.Now().UTC().After(*a.NextFactorUntil) {
		return "", err
	}
	return a.NextFactor, nil
}

// SetFactor gives an account a second factor, or takes it away: its secret, the hashes of its recovery codes, and the
// time step of the code by which it was set up, which works no second time.
func (s *Store) SetFactor(account uint, secret string, recovery []string, step int64) error {
	codes, err := json.Marshal(recovery)
	if err != nil {
		return err
	}
	set := map[string]any{
		"factor": secret, "recovery": codes, "factor_step": step, "next_factor": "", "next_factor_until": nil,
	}
	return database.Changed(s.Write.Model(&Account{}).Where("id = ?", account).UpdateColumns(set))
}

// MostCodes is how many wrong codes one sign-in that waits may be given: then it ends.
const MostCodes = 5

// WrongCode counts a wrong code of a sign-in that waits, and ends it after MostCodes of them; ended says so.
func (s *Store) WrongCode(token string) (ended bool, err error) {
	hash := hashToken(token)
	err = s.Transact(func(tx *gorm.DB) error {
		err := tx.Model(&Session{}).
			Where("hash = ? AND waits", hash).
			UpdateColumn("tries", gorm.Expr("COALESCE(tries, 0) + 1")).
			Error
		if err != nil {
			return err
		}
		gone := tx.Where("hash = ? AND waits AND tries >= ?", hash, MostCodes).Delete(&Session{})
		ended = gone.RowsAffected > 0
		return gone.Error
	})
	return ended, err
}

// UseStep notes that the code of a time step was used; false where it was before, or a later one.
func (s *Store) UseStep(account uint, step int64) (bool, error) {
	r := s.Write.Model(&Account{}).
		Where("id = ? AND coalesce(factor_step, 0) < ?", account, step).
		UpdateColumn("factor_step", step)
	return r.RowsAffected == 1, r.Error
}

// UseRecovery uses up a recovery code, by its hash; false where it is none, or used.
func (s *Store) UseRecovery(account uint, code string) (bool, error) {
	used := false
	err := s.Transact(func(tx *gorm.DB) error {
		var a Account
		if err := tx.Where("id = ?", account).Take(&a).Error; err != nil {
			return database.NotFound(err)
		}
		var codes []string
		if err := json.Unmarshal(a.Recovery, &codes); err != nil {
			return nil // it has none
		}
		at := slices.Index(codes, code)
		if at < 0 {
			return nil
		}
		used = true
		left, err := json.Marshal(slices.Delete(codes, at, at+1))
		if err != nil {
			return err
		}
		return tx.Model(&a).UpdateColumn("recovery", left).Error
	})
	return used, err
}

// AccountName is what an account is called: its name, or its email address.
func (s *Store) AccountName(id uint) (string, error) {
	var a Account
	if err := s.Read.Where("id = ?", id).Take(&a).Error; err != nil {
		return "", database.NotFound(err)
	}
	if a.Name != "" {
		return a.Name, nil
	}
	return a.Email, nil
}
