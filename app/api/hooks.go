package api

import (
	"context"
	"encoding/json"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/documents"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// Hook is an address that is told of events of a quiz.
type Hook struct {
	ID       string   `json:"id"`
	URL      string   `json:"url"`
	Events   []string `json:"events"`
	Quiz     string   `json:"quiz"`
	Outcomes []string `json:"outcomes" doc:"Send events only for responses with one of these outcomes; empty means all."`
	Off      bool     `json:"off"`
	Labels   bool     `json:"labels" doc:"Send the labels of questions, answers and outcomes too."`

	When any `json:"when,omitempty" doc:"A condition as in documents: only responses that meet it are sent."`
}

func (h *Handler) hooks() {
	const tag = "hooks"
	huma.Register(
		h.api,
		operation("listHooks", http.MethodGet, "/hooks", tag, "List the webhooks of a quiz, or of all quizzes"),
		h.listHooks,
	)
	huma.Register(
		h.api,
		operation(
			"makeHook",
			http.MethodPost,
			"/hooks",
			tag,
			"Create a webhook",
			answers(http.StatusCreated),
		),
		h.makeHook,
	)
	huma.Register(
		h.api,
		operation(
			"deleteHook",
			http.MethodDelete,
			"/hooks/{id}",
			tag,
			"Delete a webhook",
			answers(http.StatusNoContent),
		),
		h.deleteHook,
	)
}

func hookView(one *deliveries.Hook) Hook {
	list := func(text string) []string {
		return strings.FieldsFunc(text, func(r rune) bool { return r == ',' })
	}
	var when any
	if json.Unmarshal(one.Condition, &when) != nil {
		when = nil // there is none
	}
	return Hook{
		ID:       one.ID,
		URL:      one.URL,
		Events:   list(one.Events),
		Quiz:     one.QuizID,
		Outcomes: append([]string{}, list(one.Outcomes)...),
		Off:      one.Off,
		Labels:   one.Labels,
		When:     when,
	}
}

func (h *Handler) listHooks(ctx context.Context, in *struct {
	Quiz string `query:"quiz" maxLength:"64"`
}) (*body[List[Hook]], error) {
	list, err := h.Store.People.QuizzesOf(caller(ctx))
	if err != nil {
		return nil, h.refused(err)
	}
	out := &body[List[Hook]]{List[Hook]{Items: []Hook{}}}
	for _, q := range list {
		if in.Quiz != "" && in.Quiz != q.ID {
			continue
		}
		of, err := h.Store.Deliveries.Hooks(q.ID)
		if err != nil {
			return nil, h.refused(err)
		}
		for i := range of {
			out.Body.Items = append(out.Body.Items, hookView(&of[i]))
		}
	}
	return out, nil
}

func (h *Handler) makeHook(ctx context.Context, in *struct {
	IdempotencyKey string `header:"Idempotency-Key" maxLength:"255"`
	Body           struct {
		URL      string   `json:"url" maxLength:"2000"`
		Events   []string `json:"events" minItems:"1"`
		Quiz     string   `json:"quiz" maxLength:"64"`
		Outcomes []string `json:"outcomes,omitempty"`
		Labels   bool     `json:"labels,omitempty"`

		When any `json:"when,omitempty" doc:"A condition as documents write it."`
	}
}) (*body[madeHook], error) {
	b := &in.Body
	to, err := url.Parse(b.URL)
	if err != nil || to.Host == "" || to.Scheme != "https" && to.Scheme != "http" || to.User != nil {
		return nil, unprocessable(
			"Omphalos can’t send events to this address.",
			Fault{Pointer: "/url", Detail: "use a complete address, such as https://hooks.larkmoor.example/quiz"},
		)
	}
	for i, e := range b.Events {
		if !slices.Contains(deliveries.HookEvents, e) {
			return nil, unprocessable("This event doesn’t exist.", Fault{
				Pointer: "/events/" + strconv.Itoa(
					i,
				), Detail: "use one of " + strings.Join(deliveries.HookEvents, ", "),
			})
		}
	}
	ok, err := h.Store.People.Sees(caller(ctx), b.Quiz)
	var q *documents.Quiz
	if err == nil && ok {
		q, err = h.Store.Documents.Quiz(b.Quiz)
	}
	if database.IsNotFound(err) || err == nil && !ok {
		return nil, unprocessable(
			"This quiz doesn’t exist.",
			Fault{Pointer: "/quiz", Detail: "there is no quiz “" + b.Quiz + "”"},
		)
	}
	hook := &deliveries.Hook{
		QuizID: b.Quiz, URL: to.String(), AccountID: caller(ctx).ID,
		Events: strings.Join(b.Events, ","), Outcomes: strings.Join(b.Outcomes, ","), Labels: b.Labels,
	}
	if err == nil && b.When != nil {
		if hook.Condition, err = condition(q, b.When); err != nil {
			return nil, err
		}
	}
	if err == nil {
		err = h.Store.Deliveries.AddHook(hook)
	}
	if err == deliveries.ErrManyHooks {
		return nil, unprocessable("The quiz has reached its limit of webhooks.")
	}
	return &body[madeHook]{madeHook{hook.ID, hook.Secret}}, h.refused(err)
}

// condition reads a condition against the draft of a quiz.
func condition(q *documents.Quiz, asked any) ([]byte, error) {
	d, err := quiz.ReadStored(q.Document)
	if err != nil {
		return nil, err
	}
	text, err := json.Marshal(asked)
	if err != nil {
		return nil, err
	}
	var when rule.Condition
	if err := json.Unmarshal(text, &when); err != nil {
		return nil, unprocessable("The condition can’t be read.", Fault{Pointer: "/when", Detail: err.Error()})
	}
	if ps := d.CheckCondition(&when); len(ps) > 0 {
		return nil, unprocessable(
			"This condition doesn’t fit the quiz.",
			Fault{Pointer: "/when" + ps[0].Where, Detail: ps[0].Sentence()},
		)
	}
	return json.Marshal(&when)
}

type madeHook struct {
	ID     string `json:"id"`
	Secret string `json:"secret" doc:"Secret that signs the events (Standard Webhooks). It’s returned only once."`
}

func (h *Handler) deleteHook(ctx context.Context, in *ByID) (*struct{}, error) {
	hook, err := h.Store.Deliveries.AnyHook(in.ID)
	if err == nil {
		var ok bool
		if ok, err = h.Store.People.Sees(caller(ctx), hook.QuizID); err == nil && !ok {
			err = database.ErrNotFound
		}
	}
	if err == nil {
		err = h.Store.Deliveries.DropHook(hook.QuizID, hook.ID)
	}
	return nil, h.refused(err)
}
