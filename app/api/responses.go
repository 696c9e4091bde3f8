package api

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"omphalos/app/edit"
	"omphalos/app/store/database"
	"omphalos/app/store/responses"
	"omphalos/core/check"
	"omphalos/core/quiz"
)

// Response is what someone answered, as hooks tell it too.
type Response struct {
	ID        string            `json:"id"`
	Quiz      string            `json:"quiz"`
	Version   int               `json:"version"`
	Outcome   string            `json:"outcome"`
	Qualified bool              `json:"qualified"`
	Scores    map[string]string `json:"scores" doc:"By column, such as scale.fit."`
	Answers   map[string]any    `json:"answers" doc:"By question: a choice’s id, a list of ids, a number, a text, or an object of row id to choice id."`
	Contact   map[string]string `json:"contact" doc:"By field of the contact step."`
	Params    map[string]string `json:"params"`
	Source    string            `json:"source"`
	At        time.Time         `json:"at"`
	Seconds   int               `json:"seconds" doc:"From the first page to the end."`
	Device    string            `json:"device" doc:"phone, tablet or computer; empty where that is not known."`
	Country   string            `json:"country" doc:"ISO 3166-1, empty where that is not known."`
	Language  string            `json:"language" doc:"That the browser asked for."`
	Consent   *Consent          `json:"consent" doc:"null where none was given."`
	Deal      *Deal             `json:"deal" doc:"null where nothing is known."`
	Settled   []string          `json:"settled" doc:"Questions that were not asked, as the outcome was settled."`
}

// Consent is what someone agreed to.
type Consent struct {
	Text string    `json:"text"`
	At   time.Time `json:"at"`
}

// Deal is what came of a response.
type Deal struct {
	State    string `json:"state" enum:"won,lost,open"`
	Amount   string `json:"amount,omitempty" doc:"A decimal, such as 12400.50." maxLength:"30"`
	Currency string `json:"currency,omitempty" doc:"ISO 4217, such as EUR." maxLength:"3"`
}

func (h *Handler) responses() {
	const tag = "responses"
	huma.Register(
		h.api,
		operation(
			"listResponses",
			http.MethodGet,
			"/quizzes/{id}/responses",
			tag,
			"List the responses of a quiz, the oldest first",
		),
		h.listResponses,
	)
	huma.Register(h.api, operation("getResponse", http.MethodGet, "/responses/{id}", tag, "Get a response"), h.response)
	huma.Register(
		h.api,
		operation("putDeal", http.MethodPut, "/responses/{id}/deal", tag, "Set the deal of a response"),
		h.putDeal,
	)
}

func (h *Handler) listResponses(_ context.Context, in *struct {
	ByID
	Since time.Time `query:"since" doc:"Only responses finished at this time or later (RFC 3339)."`
	PageOf
}) (*body[List[Response]], error) {
	if _, err := h.Store.Documents.Quiz(in.ID); err != nil {
		return nil, h.refused(err)
	}
	at, err := responses.ParseCursor(in.Cursor)
	if err != nil {
		return nil, unprocessable("The cursor is invalid or has expired.", Fault{Parameter: "cursor", Detail: err.Error()})
	}
	list, err := h.Store.Responses.Reader(in.ID, responses.Genuine).Since(in.Since, at, in.Limit+1)
	if err != nil {
		return nil, h.refused(err)
	}
	out := &body[List[Response]]{List[Response]{Items: []Response{}}}
	if len(list) > in.Limit {
		list = list[:in.Limit]
		last := &list[in.Limit-1]
		out.Body.Next = responses.Cursor{At: last.At, ID: last.ID}.String()
	}
	for i := range list {
		r, err := h.read(&list[i])
		if err != nil {
			return nil, h.refused(err)
		}
		out.Body.Items = append(out.Body.Items, *r)
	}
	return out, nil
}

// read reads a response by the version that it belongs to.
func (h *Handler) read(r *responses.Response) (*Response, error) {
	a, err := h.Store.Responses.Answered(r)
	if err != nil {
		return nil, err
	}
	o := a.Doc.Outcome(a.Outcome)
	deal, err := h.Store.Responses.DealOf(r.ID)
	if err != nil {
		return nil, err
	}
	out := &Response{
		ID:        a.ID,
		Quiz:      a.QuizID,
		Version:   a.Version,
		Outcome:   a.Outcome,
		Qualified: o != nil && o.Qualified,
		Scores: filled(
			a.Scores,
		),
		Answers: plain(check.GivenAnswers(a.Doc, a.Answers)),
		Contact: filled(a.Contact),
		Params:  filled(a.Params),
		Source:  a.Source,
		At:      toTick(a.At),

		Seconds: max(0, int(a.At.Sub(a.StartedAt).Seconds())), Settled: []string{},
		Device: devices[a.Device], Country: a.Country, Language: a.Language,
	}
	if a.Consent != "" && a.ConsentAt != nil {
		out.Consent = &Consent{a.Consent, toTick(*a.ConsentAt)}
	}
	if deal.State != "" {
		out.Deal = &Deal{deal.State, deal.Amount, deal.Currency}
	}
	return out, nil
}

// devices are what devices are called here.
var devices = map[string]string{"phone": "phone", "tablet": "tablet", "desktop": "computer"}

func plain(m map[string]quiz.Given) map[string]any {
	out := make(map[string]any, len(m))
	for id, a := range m {
		out[id] = a
	}
	return out
}

func filled(m map[string]string) map[string]string {
	if m == nil {
		return map[string]string{}
	}
	return m
}

// find finds a response that the caller may see; one that nothing was kept of is not there.
func (h *Handler) find(ctx context.Context, id string) (*responses.Response, error) {
	r, err := h.Store.Responses.Response(id)
	if err != nil {
		return nil, err
	}
	if _, err := h.Store.Documents.Quiz(r.QuizID); err != nil {
		return nil, err
	}
	ok, err := h.Store.People.Sees(caller(ctx), r.QuizID)
	if err == nil && (!ok || !r.Kept) {
		err = database.ErrNotFound
	}
	return r, err
}

func (h *Handler) response(ctx context.Context, in *ByID) (*body[*Response], error) {
	r, err := h.find(ctx, in.ID)
	var out *Response
	if err == nil {
		out, err = h.read(r)
	}
	return &body[*Response]{out}, h.refused(err)
}

func (h *Handler) putDeal(ctx context.Context, in *struct {
	ByID
	Body Deal
}) (*body[Deal], error) {
	r, err := h.find(ctx, in.ID)
	if err != nil {
		return nil, h.refused(err)
	}
	d, err := edit.ReadDeal(in.Body.State, in.Body.Amount, in.Body.Currency)
	if err != nil {
		return nil, unprocessable(err.Error(), Fault{Pointer: "", Detail: err.Error()})
	}
	d.ResponseID, d.AccountID = r.ID, caller(ctx).ID
	err = h.Store.Responses.SetDeals(r.QuizID, []responses.Deal{d})
	return &body[Deal]{Deal{d.State, d.Amount, d.Currency}}, h.refused(err)
}

// toTick is a time as it is said, as finely as every database keeps it.
func toTick(at time.Time) time.Time { return at.UTC().Truncate(database.Tick) }
