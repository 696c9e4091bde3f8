package engine

import (
	"encoding/binary"
	"encoding/json"
	"errors"
	"hash/fnv"
	"html/template"
	"net/netip"
	"net/url"
	"time"

	"golang.org/x/crypto/bcrypt"

	"omphalos/app/page"
	"omphalos/app/store/attempts"
	"omphalos/app/store/database"
	"omphalos/app/store/responses"
	"omphalos/core/quiz"
)

// Who has begun may finish, whatever is changed meanwhile; the gate is for who begins.

// passField is the passphrase on the page that asks for it; inviteParam the invitation in its link.
const (
	passField   = ".pass"
	inviteParam = "i"
)

// invitationToken names an invitation in its link.
type invitationToken struct {
	ID string `json:"i"`
}

func (invitationToken) kind() string { return "invitation" }

// Invitation is the part of a link that lets one person in.
func (e *Engine) Invitation(quizID, id string) (string, error) {
	token, err := e.sealer.seal(quizID, &invitationToken{id})
	return url.Values{inviteParam: {token}}.Encode(), err
}

// Reasons for a page in place of the quiz, as keys of its words, next to those of responses.Store.Shut.
const (
	askPassphrase   = "passphrase"
	wrongPassphrase = "passphrase_wrong"
	manyPassphrases = "passphrase_wait"
	notInvited      = "invited"
	usedInvitation  = "invitation_used"
)

var shutWords = map[string]string{
	responses.NotYet: "not_open_yet", responses.Over: "closed", responses.PausedNow: "paused", responses.Full: "full",
}

// shut is the page in place of a quiz that someone may not begin, as an error.
type shut struct {
	s   *Source
	h   *head
	why string
}

func (s shut) Error() string { return "couldn’t start the quiz: " + s.why }

// asShut answers someone who may not begin.
func asShut(r *Reply, err error) (*Reply, error) {
	var s shut
	if !errors.As(err, &s) {
		return asLost(r, err)
	}
	closed := s.h.access.ClosedAs(s.why)
	word, closes := shutWords[s.why]
	if !closes {
		word = s.why
	}
	if closes && closed.URL != "" {
		return &Reply{To: closed.URL, Away: true, Prepared: NotPrepared}, nil
	}
	screen := Screen{S: s.s, Closed: s.why, Title: s.s.Look.say(word)}
	if closes && closed.Heading+closed.Text != "" {
		screen.Title = quiz.FirstOf(closed.Heading, screen.Title)
		screen.Text = template.HTML(page.Markdown(closed.Text))
	}
	switch s.why {
	case askPassphrase, wrongPassphrase, manyPassphrases:
		screen.Title, screen.Asks = s.s.Look.say(askPassphrase), passField
		if s.why != askPassphrase {
			screen.Wrong = s.s.Look.say(s.why)
		}
	}
	return pageReply("closed", screen), nil
}

// enterAnew begins for someone who comes without a place, when they may; copied is a place of another browser.
func (e *Engine) enterAnew(h *head, v *Visit, copied *Place) (*session, error) {
	return e.admit(h, v, copied, "")
}

// admit lets someone begin, or says in an error why not. passphrase is what they typed.
func (e *Engine) admit(h *head, v *Visit, copied *Place, passphrase string) (*session, error) {
	s, err := e.source(h, h.versionFor(v))
	if err != nil {
		return nil, err
	}
	no := func(why string) (*session, error) {
		return nil, shut{s.inLanguage(s.prefers(v.Accept)), h, why}
	}
	switch why, err := e.store.Responses.Shut(h.quizID, &h.access, e.now()); {
	case err != nil:
		return nil, err
	case why != "":
		return no(why)
	}
	if h.access.Who == responses.WithPassphrase {
		why, err := e.passes(h, v, passphrase)
		if err != nil {
			return nil, err
		}
		if why != "" {
			return no(why)
		}
	}
	var invitation *responses.Invitation
	if h.access.Who == responses.Invited {
		why := ""
		if invitation, why, err = e.invited(h, v); err != nil {
			return nil, err
		}
		if why != "" {
			return no(why)
		}
	}
	out, err := e.startPlace(s, v, copied)
	if err == nil && invitation != nil {
		err = out.invite(invitation)
	}
	return out, err
}

// passes says what is wrong with a passphrase; "" when it is right.
func (e *Engine) passes(h *head, v *Visit, passphrase string) (wrong string, err error) {
	if passphrase == "" {
		return askPassphrase, nil
	}
	taken, err := e.store.Attempts.Take("passphrase "+household(v.Address).String(), perTry)
	switch {
	case err != nil:
		return "", err
	case !taken.OK:
		return manyPassphrases, nil
	case bcrypt.CompareHashAndPassword(h.access.Passphrase, []byte(passphrase)) != nil:
		return wrongPassphrase, nil
	}
	return "", nil
}

// invited finds the invitation that someone comes with, or says why there is none that works.
func (e *Engine) invited(h *head, v *Visit) (*responses.Invitation, string, error) {
	var t invitationToken
	if e.sealer.open(h.quizID, v.Query.Get(inviteParam), &t) != nil {
		return nil, notInvited, nil
	}
	i, err := e.store.Responses.Invitation(h.quizID, t.ID)
	switch {
	case errors.Is(err, database.ErrNotFound):
		return nil, notInvited, nil
	case err != nil:
		return nil, "", err
	case !i.Works():
		return nil, usedInvitation, nil
	}
	if !v.Quiet && i.OpenedAt == nil {
		err = e.store.Responses.MarkInvitation(h.quizID, i.ID, false)
	}
	return i, "", err
}

// invite gives a place what its invitation says of the person.
func (s *session) invite(i *responses.Invitation) error {
	s.p.Invite = i.ID
	var params map[string]string
	if len(i.Params) > 0 {
		if err := json.Unmarshal(i.Params, &params); err != nil {
			return err
		}
	}
	for name, value := range params {
		s.p.keepParam(name, clip(value))
	}
	if s.Doc.Contact == nil {
		return nil
	}
	for _, f := range s.Doc.Contact.Fields {
		value := map[string]string{"email": i.Email, "name": i.Name}[f.Kind]
		if value == "" {
			continue
		}
		if s.p.Known == nil {
			s.p.Known = map[string]string{}
		}
		s.p.Known[contactPrefix+f.ID] = value
	}
	return nil
}

// useInvitation notes that the invited has answered for the first time.
func (s *session) useInvitation() error {
	if s.p.Invite == "" || !s.stores {
		return nil
	}
	return s.e.store.Responses.MarkInvitation(s.QuizID, s.p.Invite, true)
}

// versionFor is the version that someone who begins gets. Where two share the traffic, one browser always gets the
// same, as long as it keeps its cookie.
func (h *head) versionFor(v *Visit) int {
	split := h.access.Split
	if split == nil {
		return h.version
	}
	browser := v.Browser
	if browser == "" {
		browser = v.Fresh
	}
	if browser == "" {
		browser = database.NewID()
	}
	sum := fnv.New64a()
	_ = binary.Write(sum, binary.BigEndian, split.Since.UnixNano()) // a hash takes everything
	sum.Write([]byte(browser))
	if float64(mixed(sum.Sum64()))/float64(1<<32)/float64(1<<32) < split.Share {
		return split.B
	}
	return split.A
}

// mixed spreads the bits of a hash evenly: FNV leaves the upper ones of short texts uneven (the finalizer of
// SplitMix64, G. Steele, D. Lea, C. Flood, OOPSLA 2014).
func mixed(x uint64) uint64 {
	x ^= x >> 30
	x *= 0xbf58476d1ce4e5b9
	x ^= x >> 27
	x *= 0x94d049bb133111eb
	return x ^ x>>31
}

// perTry is how often a passphrase is tried from one address.
var perTry = attempts.Rate{Every: 6 * time.Second, Burst: 10}

// household is an address without what one household changes by itself: it has a whole /64.
func household(from netip.Addr) netip.Addr {
	if from.Is6() {
		if p, err := from.Prefix(64); err == nil {
			return p.Addr()
		}
	}
	return from
}

// Sign is what another site's page shows of a quiz before it is opened.
type Sign struct {
	Open    bool // someone may begin now
	Name    string
	Colours Colours
}

// Sign returns that of what runs at a link. ErrNotFound where nothing runs.
func (e *Engine) Sign(slug string) (Sign, error) {
	h, s, err := e.home(slug)
	if err != nil {
		return Sign{}, err
	}
	why, err := e.store.Responses.Shut(h.quizID, &h.access, e.now())
	return Sign{Open: err == nil && why == "", Name: s.Doc.Name, Colours: ColoursOf(s.Doc)}, err
}
