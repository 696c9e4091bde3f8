package messages

import (
	"errors"
	"html/template"
	"io"
	"net/url"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/responses"
	"omphalos/app/workbench"
	"omphalos/core/sheet"
)

// listView is who agreed to be written to.
type listView struct {
	On, Confirmed, Left int
	Confirm             bool // it is confirmed by mail
	Rows                []onList
	Older               template.URL // query of the next page, "" for none
}

// onList is one line of it.
type onList struct {
	deliveries.Agreed
	When, State string
}

const shownOnList = 100

func (h *Handler) list(draft *workbench.Draft, query url.Values) (*listView, error) {
	access, err := responses.AccessOf(draft.Quiz)
	if err != nil {
		return nil, err
	}
	v := &listView{Confirm: access.Confirm}
	if v.On, v.Confirmed, v.Left, err = h.Store.Deliveries.ListCounts(draft.Quiz.ID); err != nil {
		return nil, err
	}
	before, after := time.Time{}, query.Get("after")
	if nano, err := strconv.ParseInt(query.Get("before"), 10, 64); err == nil {
		before = time.Unix(0, nano)
	} else {
		after = ""
	}
	rows, err := h.Store.Deliveries.List(draft.Quiz.ID, before, after, shownOnList+1)
	if err != nil {
		return nil, err
	}
	if len(rows) > shownOnList {
		rows = rows[:shownOnList]
		last := rows[len(rows)-1]
		v.Older = template.URL(url.Values{
			"part": {"list"}, "before": {strconv.FormatInt(last.At.UnixNano(), 10)}, "after": {last.ResponseID},
		}.Encode())
	}
	for _, a := range rows {
		v.Rows = append(v.Rows, onList{a, draft.Moment(a.At), stateOf(&a, access.Confirm)})
	}
	return v, nil
}

func stateOf(a *deliveries.Agreed, confirming bool) string {
	switch {
	case a.Left != nil:
		return "left"
	case a.Confirmed != nil:
		return "confirmed"
	case confirming:
		return "Not confirmed"
	}
	return "Subscribed"
}

// export writes the whole list as CSV (RFC 4180), as it is read.
func (h *Handler) export(c *gin.Context) {
	draft := h.Bench.Load(c)
	if draft == nil {
		return
	}
	access, err := responses.AccessOf(draft.Quiz)
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Header("Content-Type", "text/csv; charset=utf-8")
	c.Header("Content-Disposition", `attachment; filename="list.csv"`)
	if err := h.write(c.Writer, draft.Quiz.ID, access.Confirm); err != nil {
		_ = c.Error(err) // the table has begun: it breaks off, and the log says why
	}
}

// write writes the table, in parts: no one's connection is held between them.
func (h *Handler) write(out io.Writer, quizID string, confirming bool) error {
	w, err := sheet.NewCSVWriter(out)
	if err == nil {
		err = w.Write([]string{"email", "name", "state", "agreed_to", "agreed_at", "source", "confirmed_at", "left_at"})
	}
	const part = 500
	for before, after, more := (time.Time{}), "", true; more && err == nil; {
		var rows []deliveries.Agreed
		rows, err = h.Store.Deliveries.List(quizID, before, after, part)
		for _, a := range rows {
			before, after = a.At, a.ResponseID
			err = errors.Join(err, w.Write(sheet.GuardAll([]string{
				a.Email, a.Name, stateOf(&a, confirming), a.Wording, a.At.UTC().Format(time.RFC3339), a.Source,
				moment(a.Confirmed), moment(a.Left),
			})))
		}
		more = len(rows) == part
	}
	return err
}

func moment(t *time.Time) string {
	if t == nil {
		return ""
	}
	return t.UTC().Format(time.RFC3339)
}
