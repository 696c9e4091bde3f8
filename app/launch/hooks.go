package launch

import (
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
)

// hooksPart are the addresses that are told of events, and what was sent to them last.
type hooksPart struct {
	Hooks  []hookView
	Events []hookEvent
	Marks  []page.Mark // outcomes that a hook can be told of alone
	Log    []deliveryView
}

// hookEvent is an event that can be chosen, in words.
type hookEvent struct{ Key, Says string }

var hookEvents = []hookEvent{
	{store.EventFinished, "somebody has finished"},
	{store.EventLead, "a lead: they left an e-mail address"},
	{store.EventDeal, "a deal is won, lost or open"},
	{store.EventLaunched, "a version is launched"},
}

type hookView struct {
	store.Hook
	State string // how it is
	Bad   bool
	Tells []string
	Only  []string // outcomes
}

type deliveryView struct {
	store.Delivery
	When, Then, To string
	Text           string
}

// shownDeliveries is how many of the newest deliveries are listed.
const shownDeliveries = 30

func (h *Handler) hooks(s *view) (*hooksPart, error) {
	list, err := h.Store.Hooks(s.Draft.Quiz.ID)
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
		p.Hooks = append(p.Hooks, v)
	}
	deliveries, err := h.Store.Deliveries(s.Draft.Quiz.ID, shownDeliveries)
	for _, d := range deliveries {
		v := deliveryView{Delivery: d, When: s.Draft.Moment(d.At), To: to[d.HookID], Text: string(d.Body)}
		if d.State == store.DeliveryWaiting && d.Attempts > 0 {
			v.Then = s.Draft.Moment(d.Next)
		}
		p.Log = append(p.Log, v)
	}
	return p, err
}

func refused(message string) error { return &edit.Error{Kind: edit.Refused, Message: message} }

// addHook stores a hook and shows its secret, which is shown this once.
func (h *Handler) addHook(c *gin.Context) {
	id := c.Param("id")
	to, err := url.Parse(strings.TrimSpace(c.PostForm("url")))
	events := slices.DeleteFunc(
		c.PostFormArray("event"),
		func(e string) bool { return !slices.Contains(store.HookEvents, e) },
	)
	switch {
	case err != nil || to.Host == "" || to.Scheme != "https" && to.Scheme != "http" || to.User != nil:
		err = refused("That is no address: write it whole, such as https://hooks.larkmoor.example/quiz.")
	case len(events) == 0:
		err = refused("Choose what the address is told of.")
	default:
		outcomes := slices.DeleteFunc(c.PostFormArray("outcome"), func(id string) bool { return !quiz.ValidID(id) })
		hook := &store.Hook{
			QuizID: id, URL: to.String(), AccountID: workbench.Actor(c).Account,
			Events: strings.Join(events, ","), Outcomes: strings.Join(outcomes, ","),
		}
		if err = h.Store.AddHook(hook); errors.Is(err, store.ErrManyHooks) {
			err = refused("The quiz has as many hooks as it may have. Delete one first.")
		} else if err == nil {
			h.secret(c, hook.URL, hook.Secret)
			return
		}
	}
	h.saved("hooks", func(*gin.Context, edit.Actor, string) error { return err })(c)
}

// rotateHook gives a hook a new secret and shows it this once.
func (h *Handler) rotateHook(c *gin.Context) {
	hook, err := h.Store.Hook(c.Param("id"), c.Param("hook"))
	var secret string
	if err == nil {
		secret, err = h.Store.RotateSecret(hook.QuizID, hook.ID)
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
		"ID": c.Param("id"), "URL": to, "Secret": secret, "Overlap": int(store.SecretOverlap / time.Hour),
	}))
}

// hookVerbs are what is done to a hook, by the end of its address.
func (h *Handler) hookVerbs() map[string]func(*gin.Context, edit.Actor, string) error {
	return map[string]func(*gin.Context, edit.Actor, string) error{
		"test": func(c *gin.Context, _ edit.Actor, id string) error { return h.Store.TestHook(id, c.Param("hook")) },
		"off": func(c *gin.Context, _ edit.Actor, id string) error {
			return h.Store.SwitchHook(id, c.Param("hook"), true)
		},
		"on": func(c *gin.Context, _ edit.Actor, id string) error {
			return h.Store.SwitchHook(id, c.Param("hook"), false)
		},
		"drop": func(c *gin.Context, _ edit.Actor, id string) error { return h.Store.DropHook(id, c.Param("hook")) },
	}
}
