package responses

import (
	"encoding/json"
	"time"

	"gorm.io/gorm"

	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/app/store/tallies"
)

// Access is who may reach a quiz that runs, and how. It is the quiz's, not its versions': it changes without a launch.
type Access struct {
	// Frames are the sites whose pages may show the quiz in a frame, as origins such as https://www.larkmoor.example;
	// none means any site.
	Frames []string `json:"frames,omitempty"`

	Opens  time.Time `json:"opens,omitzero"` // no one begins before
	Closes time.Time `json:"closes,omitzero"`
	Paused bool      `json:"paused,omitempty"`
	Cap    int       `json:"cap,omitempty"` // of finished responses; 0 is none
	From   CapFrom   `json:"cap_from,omitzero"`

	Who        string `json:"who,omitempty"`        // Anyone, WithPassphrase or Invited
	Passphrase []byte `json:"passphrase,omitempty"` // bcrypt

	Confirm bool `json:"confirm,omitempty"` // who agrees confirms it by mail before anything for those who agreed is sent

	Closed    Closed            `json:"closed,omitzero"`
	ClosedFor map[string]Closed `json:"closed_for,omitempty"` // by reason, NotYet, Over or Full, where it differs
	Shared    Shared            `json:"shared,omitzero"`
	Split     *Split            `json:"split,omitempty"`
}

// CapFrom is which responses a cap counts: all, or those after some that had come already.
type CapFrom struct {
	After   int       `json:"after,omitempty"`   // so many had come, and do not count
	At      time.Time `json:"at,omitzero"`       // when it was set to count from then on
	Version int       `json:"version,omitempty"` // it counts from the launch of this version on
}

// Limit is how many responses there are at most when the last one is taken, those that do not count among them; 0 is
// any number.
func (a *Access) Limit() int {
	if a.Cap == 0 {
		return 0
	}
	return a.Cap + a.From.After
}

// Who may begin a quiz.
const (
	Anyone         = ""
	WithPassphrase = "passphrase"
	Invited        = "invited"
)

// Closed is what those get who may not begin: a page of the owner's words, or another address.
type Closed struct {
	Heading string `json:"heading,omitempty"`
	Text    string `json:"text,omitempty"` // Markdown
	URL     string `json:"url,omitempty"`
}

// Shared is what a link to the quiz looks like in a chat or a feed, and whether search engines may list it.
type Shared struct {
	Title     string `json:"title,omitempty"`
	Text      string `json:"text,omitempty"`
	Image     string `json:"image,omitempty"` // of the library
	Canonical string `json:"canonical,omitempty"`
	Listed    bool   `json:"listed,omitempty"`
}

// Split shares the traffic between the live version and another one.
type Split struct {
	A     int       `json:"a"`     // the version that was live
	B     int       `json:"b"`     // the one that is tried
	Share float64   `json:"share"` // of those who begin, that goes to B
	Since time.Time `json:"since"`
	// Before are the counts of both versions when it began: what has come since is compared.
	Before map[int]*tallies.VersionCounts `json:"before"`
}

// Why someone may not begin a quiz.
const (
	NotYet    = "not yet"
	Over      = "over"
	PausedNow = "paused"
	Full      = "full"
)

// shut says why no one may begin at a time, or "" when they may. Whether all places are taken is not looked at.
func (a *Access) shut(now time.Time) string {
	switch {
	case a.Paused:
		return PausedNow
	case !a.Opens.IsZero() && now.Before(a.Opens):
		return NotYet
	case !a.Closes.IsZero() && !now.Before(a.Closes):
		return Over
	}
	return ""
}

// ClosedAs is the page in place of a quiz that cannot be begun, by the reason.
func (a *Access) ClosedAs(why string) Closed {
	if own := a.ClosedFor[why]; own != (Closed{}) {
		return own
	}
	return a.Closed
}

// AccessOf is the access to a quiz as it has been set.
func AccessOf(q *documents.Quiz) (Access, error) {
	var a Access
	if len(q.Access) == 0 {
		return a, nil
	}
	return a, json.Unmarshal(q.Access, &a)
}

// SetAccess changes the access to a quiz by f, which sees what is stored now.
func (s *Store) SetAccess(id string, f func(*Access)) error {
	return s.BumpState(s.Transact(func(tx *gorm.DB) error { return ChangeAccess(tx, id, f) }))
}

// ChangeAccess changes the access to a quiz by f within a transaction.
func ChangeAccess(tx *gorm.DB, id string, f func(*Access)) error {
	var q documents.Quiz
	if err := tx.Select("access").Where("id = ? AND deleted_at IS NULL", id).First(&q).Error; err != nil {
		return database.NotFound(err)
	}
	a, err := AccessOf(&q)
	if err != nil {
		return err
	}
	f(&a)
	text, err := json.Marshal(a)
	if err != nil {
		return err
	}
	return tx.Model(&documents.Quiz{}).Where("id = ?", id).UpdateColumn("access", text).Error
}
