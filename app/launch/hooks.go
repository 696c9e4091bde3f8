package launch

import (
	"bytes"
	"encoding/json"
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/app/store/deliveries"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// hooksPart are the addresses that are told of events, and what was sent to them last.
type hooksPart struct {
	Hooks  []hookView
	Events []hookEvent
	Marks  []page.Mark // outcomes that a hook can be told of alone
	Log    []deliveryView

	Messages []likeMessage // whose condition a hook can take over
}

// likeMessage is a message whose condition a hook can take over.
type likeMessage struct{ ID, Name, Sentence string }

// hookEvent is an event that can be chosen, in words.
type hookEvent struct{ Key, Says string }

var hookEvents = []hookEvent{
	{deliveries.EventFinished, "Someone finishes the quiz"},
	{deliveries.EventLead, "Someone becomes a lead (leaves an email address)"},
	{deliveries.EventDeal, "A deal changes to won, lost or open"},
	{deliveries.EventLaunched, "You launch a version"},
}

type hookView struct {
	deliveries.Hook
	State string // how it is
	Bad   bool
	Tells []string
	Only  []string // outcomes
	When  string   // its condition in the draft's words; "" for none
}

type deliveryView struct {
	deliveries.Delivery
	When, Then, To string
	Text           string
}

// shownDeliveries is how many of the newest deliveries are listed.
const shownDeliveries = 30

func (h *Handler) hooks(s *view) (*hooksPart, error) {
	list, err := h.Store.Deliveries.Hooks(s.Draft.Quiz.ID)
	if err != nil {
		return nil, err
	}
	p := &hooksPart{Events: hookEvents, Marks: s.Draft.Marks}
	to := map[string]string{}
	for _, one := range list {
		v := hookView{Hook: one, State: "on"}
		to[one.ID] = one.URL
		switch {
		case one.Off:
			v.State, v.Bad = strings.TrimSpace("off. "+one.Why), one.Why != ""
		case one.FailingSince != nil:
			v.State, v.Bad = "failing since "+s.Draft.Moment(*one.FailingSince), true
		}
		for _, e := range hookEvents {
			if one.Wants(e.Key, "") {
				v.Tells = append(v.Tells, e.Key)
			}
		}
		for _, m := range s.Draft.Marks {
			if one.Outcomes != "" && slices.Contains(strings.Split(one.Outcomes, ","), m.ID) {
				v.Only = append(v.Only, m.Name)
			}
		}
		if len(one.Condition) > 0 {
			var when rule.Condition
			if err := json.Unmarshal(one.Condition, &when); err != nil {
				return nil, err
			}
			v.When = s.Draft.Doc.Sentence(&when)
		}
		p.Hooks = append(p.Hooks, v)
	}
	for i := range s.Draft.Doc.Messages {
		if m := &s.Draft.Doc.Messages[i]; m.When != nil {
			p.Messages = append(p.Messages, likeMessage{m.ID, m.Title(), s.Draft.Doc.Sentence(m.When)})
		}
	}
	p.Log, err = h.log(s.Draft, to)
	return p, err
}

// log is what was sent last; to are the addresses of the hooks.
func (h *Handler) log(d *workbench.Draft, to map[string]string) ([]deliveryView, error) {
	list, err := h.Store.Deliveries.Newest(d.Quiz.ID, shownDeliveries)
	var out []deliveryView
	for _, one := range list {
		v := deliveryView{Delivery: one, When: d.Moment(one.At), To: to[one.HookID], Text: indented(one.Body)}
		if one.State == deliveries.DeliveryWaiting && one.Attempts > 0 {
			v.Then = d.Moment(one.Next)
		}
		out = append(out, v)
	}
	return out, err
}

// indented is JSON laid out to be read.
func indented(body []byte) string {
	var out bytes.Buffer
	if json.Indent(&out, body, "", "  ") != nil {
		return string(body)
	}
	return out.String()
}

// deliveries answers with what was sent last, for a window that waits for it.
func (h *Handler) deliveries(c *gin.Context) {
	d := h.Bench.Load(c)
	if d == nil {
		return
	}
	hooks, err := h.Store.Deliveries.Hooks(d.Quiz.ID)
	if err != nil {
		page.Failed(c, err)
		return
	}
	to := map[string]string{}
	for _, one := range hooks {
		to[one.ID] = one.URL
	}
	list, err := h.log(d, to)
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Header("Cache-Control", "no-store")
	c.Data(http.StatusOK, "text/html; charset=utf-8", page.Execute(templates, "hooklog", map[string]any{"Log": list, "ID": d.Quiz.ID}))
}

func refused(message string) error { return &edit.Error{Kind: edit.Refused, Message: message} }

// addHook stores a hook and shows its secret, which is shown this once.
func (h *Handler) addHook(c *gin.Context) {
	id := c.Param("id")
	to, err := url.Parse(strings.TrimSpace(c.PostForm("url")))
	events := slices.DeleteFunc(
		c.PostFormArray("event"),
		func(e string) bool { return !slices.Contains(deliveries.HookEvents, e) },
	)
	switch {
	case err != nil || to.Host == "" || to.Scheme != "https" && to.Scheme != "http" || to.User != nil:
		err = refused("This isn’t a complete address. Type all of it, such as https://hooks.larkmoor.example/quiz.")
	case len(events) == 0:
		err = refused("Choose at least one event to send.")
	default:
		outcomes := slices.DeleteFunc(c.PostFormArray("outcome"), func(id string) bool { return !quiz.ValidID(id) })
		hook := &deliveries.Hook{
			QuizID: id, URL: to.String(), AccountID: workbench.Actor(c).Account,
			Events: strings.Join(events, ","), Outcomes: strings.Join(outcomes, ","), Labels: c.PostForm("labels") != "",
		}
		if hook.Condition, err = h.conditionOf(id, c.PostForm("as")); err != nil {
			break
		}
		if err = h.Store.Deliveries.AddHook(hook); errors.Is(err, deliveries.ErrManyHooks) {
			err = refused("You’ve reached the limit of webhooks for this quiz. Delete one to add another.")
		} else if err == nil {
			h.secret(c, hook.URL, hook.Secret)
			return
		}
	}
	h.saved("hooks", func(*gin.Context, edit.Actor, string) error { return err })(c)
}

// conditionOf is the condition of a message, as JSON; nil where no message is named, or its condition is none.
func (h *Handler) conditionOf(quizID, message string) ([]byte, error) {
	if message == "" {
		return nil, nil
	}
	q, err := h.Store.Documents.Quiz(quizID)
	if err != nil {
		return nil, err
	}
	d, err := quiz.ReadStored(q.Document)
	if err != nil {
		return nil, err
	}
	i := d.Message(message)
	if i < 0 {
		return nil, refused("This message no longer exists. Choose another one.")
	}
	if d.Messages[i].When == nil {
		return nil, nil
	}
	return json.Marshal(d.Messages[i].When)
}

// rotateHook gives a hook a new secret and shows it this once.
func (h *Handler) rotateHook(c *gin.Context) {
	hook, err := h.Store.Deliveries.Hook(c.Param("id"), c.Param("hook"))
	var secret string
	if err == nil {
		secret, err = h.Store.Deliveries.RotateSecret(hook.QuizID, hook.ID)
	}
	if err != nil {
		h.saved("hooks", func(*gin.Context, edit.Actor, string) error { return err })(c)
		return
	}
	h.secret(c, hook.URL, secret)
}

func (h *Handler) secret(c *gin.Context, to, secret string) {
	c.Header("Cache-Control", "no-store")
	c.Data(http.StatusOK, "text/html; charset=utf-8", page.Execute(templates, "hooksecret", map[string]any{
		"ID": c.Param("id"), "URL": to, "Secret": secret, "Overlap": int(deliveries.SecretOverlap / time.Hour),
	}))
}

// hookVerbs are what is done to a hook, by the end of its address.
func (h *Handler) hookVerbs() map[string]func(*gin.Context, edit.Actor, string) error {
	return map[string]func(*gin.Context, edit.Actor, string) error{
		"test": func(c *gin.Context, _ edit.Actor, id string) error {
			return h.Store.Deliveries.TestHook(id, c.Param("hook"))
		},
		"off": func(c *gin.Context, _ edit.Actor, id string) error {
			return h.Store.Deliveries.SwitchHook(id, c.Param("hook"), true)
		},
		"on": func(c *gin.Context, _ edit.Actor, id string) error {
			return h.Store.Deliveries.SwitchHook(id, c.Param("hook"), false)
		},
		"drop": func(c *gin.Context, _ edit.Actor, id string) error {
			return h.Store.Deliveries.DropHook(id, c.Param("hook"))
		},
	}
}
