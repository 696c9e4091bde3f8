package api

import (
	"context"
	"encoding/json"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"omphalos/app/counting"
	"omphalos/app/edit"
	"omphalos/app/store/documents"
	"omphalos/core/insight"
	"omphalos/core/quiz"
)

// List is a page of a list.
type List[T any] struct {
	Items []T    `json:"items"`
	Next  string `json:"next" doc:"The cursor of the next page; empty on the last."`
}

// Listed is a quiz among all.
type Listed struct {
	ID       string    `json:"id"`
	Name     string    `json:"name"`
	Slug     string    `json:"slug" doc:"The name of its link; empty before the first launch."`
	Version  int       `json:"version" doc:"The version that is live; 0 before the first launch."`
	Revision int       `json:"revision" doc:"The number of the draft’s last edit."`
	Edited   time.Time `json:"edited"`
}

// Version is a launched document.
type Version struct {
	Version int       `json:"version"`
	At      time.Time `json:"at"`
	Live    bool      `json:"live"`
	Again   int       `json:"again,omitempty" doc:"The version whose content it brings back."`
}

// Results are the figures of a quiz.
type Results struct {
	Views     int      `json:"views"`
	Starts    int      `json:"starts"`
	Responses int      `json:"responses"`
	Leads     int      `json:"leads" doc:"Responses with an email address."`
	Outcomes  []Result `json:"outcomes"`
}

// Result is how many ended at an outcome.
type Result struct {
	ID        string  `json:"id"`
	Name      string  `json:"name"`
	Qualified bool    `json:"qualified"`
	Count     int     `json:"count"`
	Share     float64 `json:"share"`
	Low       float64 `json:"low" doc:"The 95% interval of the share (Wilson 1927)."`
	High      float64 `json:"high"`
}

type (
	// ByID names a thing in the address.
	ByID struct {
		ID string `path:"id" maxLength:"64"`
	}
	// PageOf chooses a page of a list.
	PageOf struct {
		Cursor string `query:"cursor" doc:"The value of next from the previous page." maxLength:"300"`
		Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"100"`
	}
	made struct {
		Location string `header:"Location"`
		Body     struct {
			ID string `json:"id"`
		}
	}
	draft struct {
		ETag string `header:"ETag"`
		Body json.RawMessage
	}
	body[T any] struct{ Body T }
)

// document describes a body that is a quiz document, or a patch of one: what is in it is checked by the program's own
// rules.
func document(kind, of string) func(*huma.Operation) {
	return func(o *huma.Operation) {
		o.SkipValidateBody = true
		schema := &huma.Schema{Type: "object", Description: of}
		if kind != "application/json" {
			schema = &huma.Schema{Type: "array", Description: of, Items: &huma.Schema{Type: "object"}}
		}
		o.RequestBody = &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{kind: {Schema: schema}}}
	}
}

const aDocument = "A quiz document that follows docs/quiz.schema.json."

// returns describes an answer that is an object whose form is described elsewhere.
func returns(of string) func(*huma.Operation) {
	return func(o *huma.Operation) {
		object := &huma.MediaType{Schema: &huma.Schema{Type: "object", Description: of, AdditionalProperties: true}}
		o.Responses = map[string]*huma.Response{
			"200": {Description: "OK", Content: map[string]*huma.MediaType{"application/json": object}},
		}
	}
}

func (h *Handler) quizzes() {
	const tag = "quizzes"
	huma.Register(h.api, operation("listQuizzes", http.MethodGet, "/quizzes", tag, "List the quizzes"), h.list)
	huma.Register(h.api, operation("makeQuiz", http.MethodPost, "/quizzes", tag, "Create a quiz from a document",
		answers(http.StatusCreated), allowBody(quiz.MaxBytes+1), document("application/json", aDocument)), h.make)
	huma.Register(
		h.api,
		operation("getDraft", http.MethodGet, "/quizzes/{id}/draft", tag, "Get a draft", returns(aDocument)),
		h.draft,
	)
	huma.Register(
		h.api,
		operation("patchDraft", http.MethodPatch, "/quizzes/{id}/draft", tag,
			"Change a draft with a JSON Patch (RFC 6902)",
			also(http.StatusPreconditionFailed, http.StatusPreconditionRequired), allowBody(2<<20), returns(aDocument),
			document("application/json-patch+json", "A JSON Patch (RFC 6902). It’s applied completely or not at all.")),
		h.patch,
	)
	huma.Register(h.api, operation(
		"checkQuiz",
		http.MethodPost,
		"/quizzes/{id}/check",
		tag,
		"Calculate all outcomes of a draft, run its checks and list its problems",
		also(http.StatusServiceUnavailable),
		returns(
			"The output of omphalos check --json: outcomes, scales, verdicts, questions, edges, findings and checks.",
		),
	), h.check)
	huma.Register(h.api, operation("launchQuiz", http.MethodPost, "/quizzes/{id}/launch", tag,
		"Launch a draft as the next version", also(http.StatusConflict, http.StatusServiceUnavailable)), h.launch)
	huma.Register(h.api, operation("putLink", http.MethodPut, "/quizzes/{id}/link", tag,
		"Give the running version another link; earlier ones lead on", also(http.StatusConflict)), h.putLink)
	huma.Register(
		h.api,
		operation("listVersions", http.MethodGet, "/quizzes/{id}/versions", tag, "List the launched versions"),
		h.versions,
	)
	huma.Register(
		h.api,
		operation("getResults", http.MethodGet, "/quizzes/{id}/results", tag, "Get a quiz’s statistics"),
		h.results,
	)
}

func (h *Handler) list(ctx context.Context, in *PageOf) (*body[List[Listed]], error) {
	list, err := h.Store.People.QuizzesOf(caller(ctx))
	if err != nil {
		return nil, h.refused(err)
	}
	out := &body[List[Listed]]{List[Listed]{Items: []Listed{}}}
	found := in.Cursor == ""
	for i := range list {
		q := &list[i]
		if !found {
			found = q.ID == in.Cursor
			continue
		}
		if len(out.Body.Items) == in.Limit {
			out.Body.Next = out.Body.Items[in.Limit-1].ID
			break
		}
		one := Listed{ID: q.ID, Name: q.Name, Version: q.LiveVersion, Revision: q.Revision, Edited: toTick(q.UpdatedAt)}
		if q.Slug != nil {
			one.Slug = *q.Slug
		}
		out.Body.Items = append(out.Body.Items, one)
	}
	if !found {
		where := Fault{Parameter: "cursor", Detail: "no page ended there"}
		return nil, unprocessable("The cursor is invalid or has expired.", where)
	}
	return out, nil
}

func (h *Handler) make(ctx context.Context, in *struct {
	IdempotencyKey string `header:"Idempotency-Key" doc:"Repeating the request with the same key doesn’t create a second quiz." maxLength:"255"`
	RawBody        []byte `contentType:"application/json"`
}) (*made, error) {
	q, err := h.Editor.Create(actor(ctx), in.RawBody)
	if err != nil {
		return nil, h.refused(err)
	}
	out := &made{Location: Base + "/quizzes/" + q.ID + "/draft"}
	out.Body.ID = q.ID
	return out, nil
}

func tagOf(q *documents.Quiz) string { return strconv.Quote(strconv.Itoa(q.Revision)) }

func (h *Handler) draft(_ context.Context, in *ByID) (*draft, error) {
	q, err := h.Store.Documents.Quiz(in.ID)
	if err != nil {
		return nil, h.refused(err)
	}
	return &draft{tagOf(q), q.Document}, nil
}

// revisionOf reads an If-Match of one entity tag.
func revisionOf(match string) (int, error) {
	if match == "" {
		return 0, problem(http.StatusPreconditionRequired, "Send If-Match with the ETag you received.")
	}
	text, err := strconv.Unquote(strings.TrimSpace(match))
	n, failed := strconv.Atoi(text)
	if err != nil || failed != nil {
		return 0, problem(http.StatusPreconditionFailed, "If-Match isn’t a valid ETag for this resource.")
	}
	return n, nil
}

var errOvertaken = problem(
	http.StatusPreconditionFailed,
	"It has changed since you read it. Read it again and repeat your change.",
)

func (h *Handler) patch(ctx context.Context, in *struct {
	ByID
	IfMatch        string `header:"If-Match" doc:"The ETag of the draft that the patch applies to."`
	IdempotencyKey string `header:"Idempotency-Key" maxLength:"255"`
	RawBody        []byte `contentType:"application/json-patch+json"`
}) (*draft, error) {
	base, err := revisionOf(in.IfMatch)
	if err != nil {
		return nil, err
	}
	patch, err := quiz.ReadPatch(in.RawBody)
	if err != nil {
		return nil, h.refused(err)
	}
	made, err := h.Editor.Apply(ctx, actor(ctx), in.ID, edit.Edit{Base: base, Patch: patch, Exact: true})
	if edit.KindOf(err) == edit.Stale {
		return nil, errOvertaken
	}
	if err != nil {
		return nil, h.refused(err)
	}
	return &draft{tagOf(made.Quiz), made.Quiz.Document}, nil
}

func (h *Handler) check(ctx context.Context, in *ByID) (*body[json.RawMessage], error) {
	q, err := h.Store.Documents.Quiz(in.ID)
	if err != nil {
		return nil, h.refused(err)
	}
	d, err := quiz.Read(q.Document)
	if err != nil {
		return nil, h.refused(err)
	}
	tables, err := h.Store.Documents.Tables(in.ID)
	var p *counting.Proof
	if err == nil {
		p, err = h.Counts.ProveEven(ctx, counting.Draft{Quiz: in.ID, Doc: d, Tables: tables}, true)
	}
	var text []byte
	if err == nil {
		text, err = json.Marshal(p)
	}
	return &body[json.RawMessage]{text}, h.refused(err)
}

func (h *Handler) launch(ctx context.Context, in *struct {
	ByID
	IdempotencyKey string `header:"Idempotency-Key" maxLength:"255"`
	Body           struct {
		Slug   string `json:"slug" doc:"The name that it runs under." maxLength:"60"`
		Anyway bool   `json:"anyway,omitempty" doc:"Launch despite the errors found. Checks must still pass."`
	}
}) (*body[launched], error) {
	q, err := h.Store.Documents.Quiz(in.ID)
	if err != nil {
		return nil, h.refused(err)
	}
	v, err := h.Editor.Launch(
		ctx,
		actor(ctx),
		edit.Launch{Quiz: in.ID, Base: q.Revision, Link: in.Body.Slug, Anyway: in.Body.Anyway},
	)
	if err != nil {
		return nil, h.refused(err)
	}
	return &body[launched]{launched{v.Number, ctx.Value(serverAddress{}).(string) + "/q/" + in.Body.Slug}}, nil
}

type launched struct {
	Version int    `json:"version"`
	URL     string `json:"url"`
}

func (h *Handler) versions(_ context.Context, in *ByID) (*body[List[Version]], error) {
	q, err := h.Store.Documents.Quiz(in.ID)
	var list []documents.Version
	if err == nil {
		list, err = h.Store.Documents.Versions(in.ID)
	}
	out := &body[List[Version]]{List[Version]{Items: []Version{}}}
	for _, v := range list {
		out.Body.Items = append(out.Body.Items, Version{v.Number, toTick(v.At), v.Number == q.LiveVersion, v.Again})
	}
	return out, h.refused(err)
}

func (h *Handler) results(_ context.Context, in *ByID) (*body[Results], error) {
	q, err := h.Store.Documents.Quiz(in.ID)
	if err != nil {
		return nil, h.refused(err)
	}
	d, err := quiz.ReadStored(q.Document)
	if err != nil {
		return nil, h.refused(err)
	}
	n, err := h.Store.Tallies.QuizCounts(in.ID, d.Zone())
	if err != nil {
		return nil, h.refused(err)
	}
	out := Results{Views: n.Views, Starts: n.Starts, Responses: n.Finishes, Leads: n.Leads, Outcomes: []Result{}}
	for i := range d.Outcomes {
		o := &d.Outcomes[i]
		r := Result{ID: o.ID, Name: o.Title(), Qualified: o.Qualified, Count: n.Outcomes[o.ID]}
		if n.Finishes > 0 {
			r.Share = float64(r.Count) / float64(n.Finishes)
			r.Low, r.High = insight.Wilson(insight.Rate{Hits: r.Count, Of: n.Finishes})
		}
		out.Outcomes = append(out.Outcomes, r)
	}
	return &body[Results]{out}, nil
}

// Link is where a quiz runs.
type Link struct {
	Slug string `json:"slug" doc:"The last part of the address: small letters, digits and hyphens." maxLength:"100"`
	URL  string `json:"url,omitempty" readOnly:"true"`
}

// putLink renames the link of what runs, without a new version.
func (h *Handler) putLink(ctx context.Context, in *struct {
	ByID
	Body Link
}) (*body[Link], error) {
	q, err := h.Store.Documents.Quiz(in.ID)
	if err != nil {
		return nil, h.refused(err)
	}
	if q.LiveVersion == 0 {
		return nil, problem(http.StatusConflict, "The quiz does not run yet: launch it with the link.")
	}
	owner, err := h.Store.Documents.LinkOwner(in.Body.Slug)
	if err == nil && owner != "" && owner != q.ID {
		return nil, problem(http.StatusConflict, "Another quiz has this link.")
	}
	if err == nil {
		err = h.Editor.RenameLink(actor(ctx), q.ID, in.Body.Slug)
	}
	if err != nil {
		return nil, h.refused(err)
	}
	return &body[Link]{Link{in.Body.Slug, ctx.Value(serverAddress{}).(string) + "/q/" + in.Body.Slug}}, nil
}
