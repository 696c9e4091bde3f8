package api

import (
	"errors"
	"net/http"
	"regexp"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"omphalos/app/counting"
	"omphalos/app/edit"
	"omphalos/app/store/database"
	"omphalos/core/quiz"
)

// Problem is what went wrong, as RFC 9457 has it. Faults of a document come with their places.
type Problem struct {
	Type   string  `json:"type" doc:"Always about:blank; use the status to tell errors apart."`
	Title  string  `json:"title"`
	Status int     `json:"status"`
	Detail string  `json:"detail,omitempty"`
	Errors []Fault `json:"errors,omitempty" doc:"All errors, each with its location."`
}

// Fault is one thing that is wrong, and where.
type Fault struct {
	Pointer   string `json:"pointer" doc:"JSON Pointer (RFC 6901) into the body or the document; empty for the whole."`
	Detail    string `json:"detail"`
	Parameter string `json:"parameter,omitempty" doc:"The parameter of the address or header that is wrong."`
}

// Error is the sentence.
func (p *Problem) Error() string { return quiz.FirstOf(p.Detail, p.Title) }

// GetStatus is the status that answers it.
func (p *Problem) GetStatus() int { return p.Status }

// ContentType is that of RFC 9457.
func (p *Problem) ContentType(string) string { return "application/problem+json" }

func problem(status int, detail string, faults ...Fault) *Problem {
	return &Problem{Type: "about:blank", Title: http.StatusText(status), Status: status, Detail: detail, Errors: faults}
}

// unprocessable is what is said of a request that can be read and not done.
func unprocessable(detail string, faults ...Fault) *Problem {
	return problem(http.StatusUnprocessableEntity, detail, faults...)
}

func init() {
	huma.DefaultArrayNullable = false // a list that is empty is a list
	huma.NewError = func(status int, message string, errs ...error) huma.StatusError {
		p := problem(status, message)
		for _, err := range errs {
			var detail huma.ErrorDetailer
			switch {
			case errors.As(err, &detail):
				d := detail.ErrorDetail()
				p.Errors = append(p.Errors, faultAt(d.Location, d.Message))
			case err != nil:
				p.Errors = append(p.Errors, Fault{Detail: err.Error()})
			}
		}
		return p
	}
}

var listIndex = regexp.MustCompile(`\[(\d+)\]`)

// faultAt makes a place such as body.rows[2].url a pointer, and one in the address or a header its name.
func faultAt(location, message string) Fault {
	where, rest, _ := strings.Cut(location, ".")
	if where != "body" {
		return Fault{Detail: message, Parameter: quiz.FirstOf(rest, where)}
	}
	rest = listIndex.ReplaceAllString(rest, ".$1")
	var at string
	for _, part := range strings.Split(rest, ".") {
		if part != "" {
			at += "/" + part
		}
	}
	return Fault{Pointer: at, Detail: message}
}

// refused answers what the edits, the store and the count may fail with.
func (h *Handler) refused(err error) error {
	var p *Problem
	var ps quiz.Problems
	var failed *edit.Error
	switch {
	case err == nil:
		return nil
	case errors.As(err, &p):
		return p
	case errors.As(err, &failed):
		return h.ofEdit(failed)
	case errors.As(err, &ps):
		return unprocessable("The document has errors.", faultsOf(ps)...)
	case errors.Is(err, database.ErrNotFound):
		return problem(http.StatusNotFound, "Nothing with this name exists.")
	case counting.GivenUp(err):
		return problem(http.StatusServiceUnavailable, "Calculating this quiz took too long. Try again in a minute.")
	}
	if h.Log != nil {
		h.Log.Error("api", "error", err)
	}
	return problem(http.StatusInternalServerError, "Something went wrong on the server. Nothing was changed.")
}

func (h *Handler) ofEdit(e *edit.Error) error {
	status := edit.Status(e)
	if e.Kind == edit.Gone {
		status = http.StatusNotFound
	}
	return problem(status, e.Message, faultsOf(e.Problems)...)
}

func faultsOf(ps quiz.Problems) []Fault {
	var out []Fault
	for _, p := range ps {
		out = append(out, Fault{Pointer: p.Where, Detail: p.Sentence()})
	}
	return out
}

// fail answers before an operation is reached.
func fail(c *gin.Context, p *Problem) {
	c.Header("Content-Type", "application/problem+json")
	c.AbortWithStatusJSON(p.Status, p)
}

// Lost answers an address of the API that there is none of, or a method that it does not take; false for an address of
// another part of the program.
func Lost(c *gin.Context, status int) bool {
	if !strings.HasPrefix(c.Request.URL.Path, Base+"/") {
		return false
	}
	fail(c, problem(status, "This API address doesn’t exist: "+Base+"See /openapi.json for all addresses."))
	return true
}
