package api

import (
	"embed"
	"encoding/json"
	"net/http"
	"sort"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"omphalos/app/page"
)

//go:embed *.html
var files embed.FS

var docs = page.New(files)

// describe is the OpenAPI document.
func (h *Handler) describe(c *gin.Context) {
	text, err := json.MarshalIndent(h.api.OpenAPI(), "", "  ")
	if err != nil {
		h.failed(c, err)
		return
	}
	c.Header("Cache-Control", "no-cache")
	c.Data(http.StatusOK, "application/json; charset=utf-8", append(text, '\n'))
}

// operationView is an operation as the page tells of it.
type operationView struct {
	Method, Path, Summary, ID string
	Params                    []*huma.Param
	Statuses                  []string
}

// page shows the document to people.
func (h *Handler) page(c *gin.Context) {
	spec := h.api.OpenAPI()
	groups := map[string][]operationView{}
	for path, item := range spec.Paths {
		for method, op := range map[string]*huma.Operation{
			"GET": item.Get, "POST": item.Post, "PUT": item.Put, "PATCH": item.Patch, "DELETE": item.Delete,
		} {
			if op == nil {
				continue
			}
			d := operationView{Method: method, Path: Base + path, Summary: op.Summary, ID: op.OperationID, Params: op.Parameters}
			for status := range op.Responses {
				d.Statuses = append(d.Statuses, status)
			}
			sort.Strings(d.Statuses)
			groups[op.Tags[0]] = append(groups[op.Tags[0]], d)
		}
	}
	for _, list := range groups {
		sort.Slice(list, func(i, j int) bool { return list[i].Path+" "+list[i].Method < list[j].Path+" "+list[j].Method })
	}
	page.Render(
		c,
		http.StatusOK,
		docs,
		page.Shell{Title: "API", Body: map[string]any{"Spec": spec, "Groups": groups, "Base": h.Origin + Base}},
	)
}
