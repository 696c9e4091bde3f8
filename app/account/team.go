package account

import (
	"embed"
	"errors"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/delivery"
	"omphalos/app/page"
	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/documents"
	"omphalos/app/store/people"
	"omphalos/core/kind"
)

//go:embed team.html
var teamFile embed.FS

var teamPage = page.New(teamFile)

// teamView is the page of the people who work here.
type teamView struct {
	People  []member
	Invites []invitationView
	Quizzes []documents.Quiz
	Roles   []role
	Link    string // of an invitation that was just made; it is shown this once
	For     string // whom it is for
	Mailed  bool
	Message string // what is wrong
	Done    bool
}

// role is one that can be given, in words.
type role struct{ Key, Says string }

var roles = []role{
	{people.Editor, "Editor: edits and launches quizzes, views and exports leads"},
	{people.Viewer, "Viewer: views quizzes, statistics and leads"},
	{people.Owner, "Owner: everything, including the team"},
}

type member struct {
	people.Account
	Self     bool
	Chosen   []string // ids of the quizzes that they see
	Seen     string   // when they were last here, "" for never
	Sessions int
}

// Sees reports whether a quiz is among those that were chosen.
func (m member) Sees(id string) bool { return slices.Contains(m.Chosen, id) }

type invitationView struct {
	people.Invite
	Until string
}

// teamRoutes adds the addresses of the people who work here.
func (h *Handler) teamRoutes(g gin.IRouter) {
	g.GET("/team", func(c *gin.Context) { h.team(c, http.StatusOK, teamView{Done: c.Query("done") != ""}) })
	g.POST("/team/invite", h.invite)
	g.POST(
		"/team/invites/:invite/drop",
		h.teamDone(func(c *gin.Context) error { return h.Store.People.DropInvite(c.Param("invite")) }),
	)
	g.POST("/team/:account/rights", h.teamDone(h.setRights))
	g.POST("/team/:account/delete", h.teamDone(h.dropAccount))
	g.POST("/team/:account/sessions/end", h.teamDone(func(c *gin.Context) error {
		return h.Store.People.EndSessions(h.member(c))
	}))
}

func (h *Handler) team(c *gin.Context, status int, v teamView) {
	list, err := h.Store.People.Accounts()
	if err == nil {
		v.Quizzes, err = h.Store.Documents.Quizzes()
	}
	for _, a := range list {
		if err != nil {
			break
		}
		m := member{Account: a, Self: a.ID == Of(c).ID}
		var sessions []people.Session
		if sessions, err = h.Store.People.Sessions(a.ID); err == nil && len(sessions) > 0 {
			m.Seen, m.Sessions = moment(sessions[0].SeenAt), len(sessions)
		}
		if err == nil {
			m.Chosen, err = h.Store.People.ChosenQuizzes(a.ID)
		}
		v.People = append(v.People, m)
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	invites, err := h.Store.People.Invites()
	if err != nil {
		page.Failed(c, err)
		return
	}
	for _, i := range invites {
		v.Invites = append(v.Invites, invitationView{i, moment(i.ExpiresAt)})
	}
	v.Roles = roles
	c.Header("Cache-Control", "no-store")
	page.Render(
		c,
		status,
		teamPage,
		page.Shell{Title: "Team", Scripts: []string{"copied.js"}, Account: Of(c).Email, Body: v},
	)
}

func moment(t time.Time) string { return t.UTC().Format("2 Jan 2006, 15:04 UTC") }

// teamDone answers a form with the page, and with what is wrong on it.
func (h *Handler) teamDone(do func(c *gin.Context) error) gin.HandlerFunc {
	return func(c *gin.Context) {
		err := do(c)
		switch {
		case errors.Is(err, database.ErrNotFound):
			page.NotFound(c)
		case wrongTeam(err) != "":
			h.team(c, http.StatusUnprocessableEntity, teamView{Message: wrongTeam(err)})
		case err != nil:
			page.Failed(c, err)
		default:
			c.Redirect(http.StatusSeeOther, "/team?done=1")
		}
	}
}

// wrongTeam says what anyone who owns the program did that cannot be; "" for a failure of another kind.
func wrongTeam(err error) string {
	refusals := []error{people.ErrLastOwner, people.ErrEmailTaken, people.ErrNoSuchRole, people.ErrOnlyChosen}
	for _, known := range refusals {
		if errors.Is(err, known) {
			return page.Sentence(known)
		}
	}
	return ""
}

func (h *Handler) member(c *gin.Context) uint {
	id, _ := strconv.ParseUint(c.Param("account"), 10, 32) // 0 is no one
	return uint(id)
}

func (h *Handler) setRights(c *gin.Context) error {
	a, err := h.Store.People.Account(h.member(c))
	if err != nil {
		return err
	}
	c.Set(JournalDetail, a.Email+" is "+c.PostForm("role"))
	return h.Store.People.SetRights(a.ID, c.PostForm("role"), c.PostForm("some") != "", c.PostFormArray("quiz"))
}

// JournalDetail is the key in a request's context of what its line in the journal says besides.
const JournalDetail = "journal"

func (h *Handler) dropAccount(c *gin.Context) error {
	a, err := h.Store.People.Account(h.member(c))
	if err != nil {
		return err
	}
	c.Set(JournalDetail, a.Email)
	return h.Store.People.DropAccount(a.ID)
}

// invite makes a link by which someone makes an account, and mails it where mail leaves.
func (h *Handler) invite(c *gin.Context) {
	email := strings.TrimSpace(c.PostForm("email"))
	if !kind.ValidEmail(email) {
		h.team(
			c,
			http.StatusUnprocessableEntity,
			teamView{Message: "Enter an email address, such as name@example.org."},
		)
		return
	}
	i := &people.Invite{
		Email: email, Role: c.PostForm("role"), Some: c.PostForm("some") != "",
		Quizzes: strings.Join(c.PostFormArray("quiz"), ","), By: Of(c).ID,
	}
	token, err := h.Store.People.InvitePerson(i)
	if why := wrongTeam(err); why != "" {
		h.team(c, http.StatusUnprocessableEntity, teamView{Message: why})
		return
	}
	link := page.Address(c.Request, h.Origin) + "/join/" + token // mailed only where Origin is known
	if err == nil && h.Mail {
		text := "You’re invited to work on quizzes as " + i.Role + ".\n\n" +
			"[Create your account](" + link + ")\n\nThe link works once, for seven days."
		err = h.mail(email, "You’re invited to Omphalos", text, "invite:"+i.ID)
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Set(JournalDetail, email+" as "+i.Role)
	h.team(c, http.StatusOK, teamView{Link: link, For: email, Mailed: h.Mail})
}

// mail puts a mail of the program on its way. Its links are of Origin, which is known where mail leaves.
func (h *Handler) mail(to, subject, markdown, cause string) error {
	content, err := delivery.Note(subject, markdown, h.Origin).JSON()
	if err != nil {
		return err
	}
	return h.Store.Deliveries.QueueMail(&deliveries.Mail{MessageID: cause, Recipients: to, Content: content})
}
