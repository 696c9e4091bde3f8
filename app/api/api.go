// Package api lets other programs do what the rooms do, through the same packages, described by OpenAPI 3.1.
package api

import (
	"log/slog"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"

	"omphalos/app/counting"
	"omphalos/app/edit"
	"omphalos/app/store"
)

// Handler answers the API.
type Handler struct {
	Store  *store.Store
	Editor *edit.Editor
	Counts *counting.Counts
	Origin string // address of the server, "" where that is not known
	Now    func() time.Time
	Log    *slog.Logger // may be nil

	api huma.API
}

// Base is where the API stands.
const Base = "/api/v1"

// security is what every operation needs: a token.
var security = []map[string][]string{{"token": {}}}

// Routes adds the addresses of the API.
func (h *Handler) Routes(r *gin.Engine) {
	open := r.Group(Base)
	open.GET("/openapi.json", h.describe)
	open.GET("/", h.page)
	g := r.Group(Base, h.authenticate, h.limit, h.repeat)
	config := huma.DefaultConfig("Omphalos", "1")
	config.OpenAPIPath, config.DocsPath, config.SchemasPath = "", "", ""
	config.CreateHooks = nil // no $schema in answers
	config.Info.Description = "Quizzes, their tables, versions and responses. " +
		"Everything you can do in the app, a program can do with a token."
	config.Info.Contact = &huma.Contact{Name: "the administrator of this server"}
	config.Info.License = &huma.License{Name: "as the program’s", Identifier: "LicenseRef-omphalos"}
	config.Servers = []*huma.Server{{URL: strings.TrimSuffix(h.Origin, "/") + Base}}
	config.Security = security
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"token": {
			Type:        "http",
			Scheme:      "bearer",
			Description: "An account’s token. Create it under Account or with omphalos token.",
		},
	}
	config.Tags = []*huma.Tag{
		{Name: "quizzes", Description: "Quizzes: drafts and launched versions."},
		{Name: "responses", Description: "Responses, and the deals that came from them."},
		{Name: "tables", Description: "Lookup tables. Changes take effect without a launch."},
		{Name: "hooks", Description: "Webhooks: addresses that receive events."},
	}
	h.api = humagin.NewWithGroup(r, g, config)
	h.quizzes()
	h.responses()
	h.tables()
	h.hooks()
}

// operation is one address of the API with what it may answer.
func operation(id, method, path, tag, summary string, change ...func(*huma.Operation)) huma.Operation {
	o := huma.Operation{
		OperationID: id,
		Method:      method,
		Path:        path,
		Tags:        []string{tag},
		Summary:     summary,
		Description: summary + ".",
		Errors: []int{
			http.StatusUnauthorized,
			http.StatusForbidden,
			http.StatusUnprocessableEntity,
			http.StatusTooManyRequests,
		},
	}
	if strings.Contains(path, "{") {
		o.Errors = append(o.Errors, http.StatusNotFound)
	}
	for _, c := range change {
		c(&o)
	}
	return o
}

func also(statuses ...int) func(*huma.Operation) {
	return func(o *huma.Operation) { o.Errors = append(o.Errors, statuses...) }
}

func answers(status int) func(*huma.Operation) {
	return func(o *huma.Operation) { o.DefaultStatus = status }
}

// allowBody lets an operation take a body of so many bytes, however long that takes within the server's own bound.
func allowBody(bytes int64) func(*huma.Operation) {
	return func(o *huma.Operation) { o.MaxBodyBytes, o.BodyReadTimeout = bytes, -1 }
}
