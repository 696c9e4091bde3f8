package edit

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"golang.org/x/crypto/bcrypt"

	"omphalos/app/store"
	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/app/store/responses"
	"omphalos/core/fill"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/sheet"
)

// maxFrames is how many sites may be named: the list stands in a header of every page.
const maxFrames = 20

// SetFrames stores which sites may show a quiz in a frame, one a line; none means any.
func (e *Editor) SetFrames(who Actor, quizID, text string) error {
	if who.Account == 0 {
		return errNoActor
	}
	sites, err := readFrames(text)
	if err != nil {
		return err
	}
	return e.changeAccess(quizID, func(a *responses.Access) { a.Frames = sites })
}

// SetConfirm stores whether who agrees to be written to confirms it by mail.
func (e *Editor) SetConfirm(who Actor, quizID string, confirm bool) error {
	if who.Account == 0 {
		return errNoActor
	}
	return e.changeAccess(quizID, func(a *responses.Access) { a.Confirm = confirm })
}

// readFrames reads sites as origins: scheme and host, whatever page of the site was copied.
func readFrames(text string) ([]string, error) {
	var out []string
	for i, line := range strings.Fields(text) {
		if !strings.Contains(line, "://") {
			line = "https://" + line
		}
		u, err := url.Parse(line)
		if err == nil {
			_, err = fill.ParseAddress(u.Scheme + "://" + u.Host)
		}
		if err != nil || u.User != nil {
			return nil, refused(quiz.Problems{{
				Message: fmt.Sprintf("line %d: %q isn’t a website address", i+1, line),
				Mend:    "Type one address per line, such as https://www.larkmoor.example.",
			}})
		}
		out = append(out, u.Scheme+"://"+u.Host)
	}
	if len(out) > maxFrames {
		return nil, refused(quiz.Problems{{Message: fmt.Sprintf("list up to %d sites, or none to allow "+
			"any site", maxFrames)}})
	}
	return out, nil
}

// AccessForm is who may begin and when, as it is typed.
type AccessForm struct {
	Opens, Closes string // as a form's datetime-local has it, in the quiz's time zone; "" is not set
	Paused        bool
	Cap           string // "" is none
	CapFrom       string // one of the CapFrom constants
	Who           string
	Passphrase    string // "" leaves the one that is set
	Closed        responses.Closed
	ClosedFor     map[string]responses.Closed // by reason; an empty one is as Closed
}

// What a cap counts, as it is chosen.
const (
	CapFromKept   = ""       // as it is set
	CapFromAll    = "all"    // every response
	CapFromNow    = "now"    // those from now on
	CapFromLaunch = "launch" // those from the launch of the live version on
)

// leastPassphrase is how many characters a passphrase has at least.
const leastPassphrase = 6

// localTime is what a form's datetime-local writes (HTML Standard, 2.3.5.5).
const localTime = "2006-01-02T15:04"

// SetAccess stores who may begin a quiz and when; times are in zone.
func (e *Editor) SetAccess(who Actor, quizID string, f AccessForm, zone *time.Location) error {
	if who.Account == 0 {
		return errNoActor
	}
	opens, err := readTime(f.Opens, "opens", zone)
	if err != nil {
		return err
	}
	closes, err := readTime(f.Closes, "closes", zone)
	if err != nil {
		return err
	}
	if !opens.IsZero() && !closes.IsZero() && !closes.After(opens) {
		return say("The closing time is before the opening time.", "Choose a later closing time.")
	}
	most, err := readCap(f.Cap)
	if err != nil {
		return err
	}
	for _, page := range append(slices.Collect(maps.Values(f.ClosedFor)), f.Closed) {
		if _, err := fill.ParseAddress(page.URL); page.URL != "" && err != nil {
			return refused(quiz.Problems{fill.AddressProblem("", err)})
		}
	}
	maps.DeleteFunc(f.ClosedFor, func(_ string, page responses.Closed) bool { return page == responses.Closed{} })
	hash, err := f.hash()
	if err != nil {
		return err
	}
	from, err := e.capFrom(quizID, f.CapFrom)
	if err != nil {
		return err
	}
	var missing bool
	err = e.changeAccess(quizID, func(a *responses.Access) {
		if missing = f.Who == responses.WithPassphrase && hash == nil && len(a.Passphrase) == 0; missing {
			return
		}
		a.Opens, a.Closes, a.Paused, a.Cap, a.Who = opens, closes, f.Paused, most, f.Who
		a.Closed, a.ClosedFor = f.Closed, f.ClosedFor
		if f.CapFrom != CapFromKept {
			a.From = from
		}
		if most == 0 {
			a.From = responses.CapFrom{}
		}
		switch {
		case f.Who != responses.WithPassphrase:
			a.Passphrase = nil
		case hash != nil:
			a.Passphrase = hash
		}
	})
	if missing {
		return say("There’s no passphrase yet.", "Type a passphrase.")
	}
	return err
}

// capFrom is which responses a cap counts, by the responses that there are now.
func (e *Editor) capFrom(quizID, chosen string) (responses.CapFrom, error) {
	var out responses.CapFrom
	if chosen != CapFromNow && chosen != CapFromLaunch {
		return out, nil
	}
	all, err := e.store.Responses.Places(quizID)
	if err != nil {
		return out, err
	}
	if chosen == CapFromNow {
		return responses.CapFrom{After: all, At: e.now().UTC()}, nil
	}
	q, err := e.store.Documents.Quiz(quizID)
	if err != nil {
		return out, err
	}
	counts, err := e.store.Tallies.VersionCounts(quizID)
	if err != nil {
		return out, err
	}
	out = responses.CapFrom{After: all, Version: q.LiveVersion}
	if live := counts[q.LiveVersion]; live != nil {
		out.After -= live.Finishes
	}
	return out, nil
}

// readCap reads how many responses are taken at most; 0 is any number.
func readCap(text string) (int, error) {
	text = strings.TrimSpace(text)
	if text == "" {
		return 0, nil
	}
	most, err := strconv.Atoi(text)
	if err != nil || most < 0 {
		return 0, say(
			fmt.Sprintf("%q isn’t a valid response limit.", text),
			"Type a whole number, or leave the field empty for no limit.",
		)
	}
	return most, nil
}

// hash is that of a passphrase that was typed; nil where the one that is set stays, or none is asked for.
func (f *AccessForm) hash() ([]byte, error) {
	switch f.Who {
	case responses.Anyone, responses.Invited:
		return nil, nil
	case responses.WithPassphrase:
		if f.Passphrase == "" {
			return nil, nil
		}
		if len([]rune(f.Passphrase)) < leastPassphrase || len(f.Passphrase) > 72 {
			return nil, say(
				"The passphrase has the wrong length.",
				fmt.Sprintf("Use %d to 72 characters.", leastPassphrase),
			)
		}
		return bcrypt.GenerateFromPassword([]byte(f.Passphrase), bcrypt.DefaultCost)
	}
	return nil, say("No one is chosen under “Who can take the quiz”.", "Choose one of the three options.")
}

func (e *Editor) changeAccess(quizID string, f func(*responses.Access)) error {
	return ofStore(e.store.Responses.SetAccess(quizID, f))
}

// say is a refusal in words alone.
func say(message, mend string) error {
	return refused(quiz.Problems{{Message: strings.TrimSuffix(message, "."), Mend: mend}})
}

func readTime(text, what string, zone *time.Location) (time.Time, error) {
	if text == "" {
		return time.Time{}, nil
	}
	t, err := time.ParseInLocation(localTime, text, zone)
	if err != nil {
		return t, say(
			fmt.Sprintf("%q isn’t a valid time for “%s at”.", text, what),
			"Type a date and time, such as 2027-03-01T09:00.",
		)
	}
	return t, nil
}

// LocalTime writes a time as a form's datetime-local has it; "" for none.
func LocalTime(t time.Time, zone *time.Location) string {
	if t.IsZero() {
		return ""
	}
	return t.In(zone).Format(localTime)
}

// SetShared stores what a link to a quiz looks like elsewhere.
func (e *Editor) SetShared(who Actor, quizID string, s responses.Shared) error {
	if who.Account == 0 {
		return errNoActor
	}
	s.Title, s.Text = strings.TrimSpace(s.Title), strings.TrimSpace(s.Text)
	if s.Canonical = strings.TrimSpace(s.Canonical); s.Canonical != "" {
		a, err := fill.ParseAddress(s.Canonical)
		if err != nil {
			return refused(quiz.Problems{fill.AddressProblem("", err)})
		}
		if len(a.Names()) > 0 {
			return say("The canonical address contains a placeholder in braces", "Type the plain address, without { }.")
		}
	}
	return e.changeAccess(quizID, func(a *responses.Access) { a.Shared = s })
}

// Invite reads a list of people as CSV, with columns for name and email and any others, which become parameters, and
// invites them: by an email that letter writes, if it is not nil.
func (e *Editor) Invite(who Actor, quizID, text string, letter responses.Letter) error {
	if who.Account == 0 {
		return errNoActor
	}
	list, err := readInvitations(text)
	if err != nil {
		return err
	}
	err = e.store.Responses.Invite(quizID, list, letter)
	if errors.Is(err, database.ErrFull) {
		return say(
			fmt.Sprintf("A quiz can have up to %d invitations.", responses.MaxInvitations),
			"Revoke some invitations, or duplicate the quiz.",
		)
	}
	if errors.Is(err, responses.ErrLetters) {
		return say(
			fmt.Sprintf("These emails are larger than %d MB in total.", responses.MostLetters>>20),
			"Shorten the text, or invite people in several lists.",
		)
	}
	return ofStore(err)
}

// readInvitations reads people: with a first line that names the columns, or without one as name and email address, or
// the address alone.
func readInvitations(text string) ([]responses.Invitation, error) {
	data := []byte(strings.TrimSpace(text))
	rows, faults := sheet.NewCSV(data, sheet.Separator(data)).All(0)
	if len(faults) > 0 {
		return nil, say(fmt.Sprintf("line %d: %s", faults[0].Line, faults[0].Message), "")
	}
	columns := invitationHead(rows)
	if columns != nil {
		rows[0] = nil
	}
	var out []responses.Invitation
	for i, row := range rows {
		if len(strings.TrimSpace(strings.Join(row, ""))) == 0 {
			continue
		}
		one := responses.Invitation{}
		params := map[string]string{}
		for j, cell := range row {
			cell = strings.TrimSpace(cell)
			name := ""
			if columns != nil && j < len(columns) {
				name = columns[j]
			}
			switch {
			case name == "email", columns == nil && strings.Contains(cell, "@"):
				one.Email = cell
			case name == "name", columns == nil && one.Name == "":
				one.Name = cell
			case name != "" && cell != "":
				params[name] = cell
			}
		}
		if one.Email != "" && !kind.ValidEmail(one.Email) {
			return nil, say(
				fmt.Sprintf("line %d: %q isn’t an email address", i+1, one.Email),
				"Use the form name@example.org.",
			)
		}
		if one.Name+one.Email == "" {
			return nil, say(
				fmt.Sprintf("line %d has no name and no email address", i+1),
				"Add a name or an email address.",
			)
		}
		if len(params) > 0 {
			one.Params, _ = json.Marshal(params) // texts always have a form
		}
		out = append(out, one)
	}
	if len(out) == 0 {
		return nil, say("the list is empty", "Type one person per line: a name and an email address.")
	}
	return out, nil
}

// invitationHead are the names of the columns, where the first line names them.
func invitationHead(rows [][]string) []string {
	if len(rows) == 0 || len(rows[0]) == 0 || strings.Contains(strings.Join(rows[0], ""), "@") {
		return nil
	}
	known := false
	var out []string
	for _, cell := range rows[0] {
		name := strings.ToLower(strings.TrimSpace(cell))
		switch strings.ReplaceAll(name, "-", "") {
		case "email", "mail", "email address":
			name = "email"
		}
		known = known || name == "email" || name == "name"
		out = append(out, name)
	}
	if !known {
		return nil
	}
	return out
}

// AddPlace stores somewhere that a quiz is put.
func (e *Editor) AddPlace(who Actor, p *documents.Place) error {
	if who.Account == 0 {
		return errNoActor
	}
	p.Name = strings.TrimSpace(p.Name)
	if p.Name == "" {
		return say("the link has no name", "Type a name, such as “Spring newsletter”.")
	}
	if p.Source = strings.TrimSpace(p.Source); p.Source == "" {
		p.Source = LinkName(p.Name)
	}
	p.Medium, p.Campaign = strings.TrimSpace(p.Medium), strings.TrimSpace(p.Campaign)
	err := e.store.Documents.AddPlace(p)
	if errors.Is(err, database.ErrFull) {
		return say(
			fmt.Sprintf("you already have %d tracked links", documents.MaxPlaces),
			"Remove one you no longer use.",
		)
	}
	return ofStore(err)
}

// Choose ends the sharing of the traffic: one of the two versions gets all of it.
func (e *Editor) Choose(who Actor, quizID string, number int) error {
	if who.Account == 0 {
		return errNoActor
	}
	err := e.store.Choose(quizID, number)
	if errors.Is(err, store.ErrNoSplit) {
		return say("This split test has already ended.", "Check the list of versions.")
	}
	return ofStore(err)
}

// StartSplit lets another version share the traffic with the live one; percent of those who begin go to it.
func (e *Editor) StartSplit(who Actor, quizID string, version, percent int) error {
	if who.Account == 0 {
		return errNoActor
	}
	if percent < 1 || percent > 99 {
		return say("one of the two versions would get no respondents", "Choose a share from 1% to 99%.")
	}
	q, err := e.store.Documents.Quiz(quizID)
	if err != nil {
		return ofStore(err)
	}
	if q.LiveVersion == 0 || q.LiveVersion == version {
		return say("there’s no second version to test", "Choose a version that isn’t live.")
	}
	return ofStore(e.store.StartSplit(quizID, version, float64(percent)/100))
}
