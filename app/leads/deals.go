package leads

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/app/store/database"
	"omphalos/app/store/responses"
	"omphalos/app/workbench"
	"omphalos/core/sheet"
)

// setDeal stores what came of one response.
func (h *Handler) setDeal(c *gin.Context) {
	id := c.Param("id")
	back, err := url.ParseQuery(c.PostForm("query")) // anyone who is filtered stays so
	if err != nil {
		back = url.Values{}
	}
	back.Set("lead", c.Param("lead"))
	d, err := edit.ReadDeal(c.PostForm("state"), c.PostForm("amount"), c.PostForm("currency"))
	if err != nil {
		back.Set("refused", err.Error())
	} else {
		d.ResponseID, d.AccountID = c.Param("lead"), workbench.Actor(c).Account
		if err := h.Store.Responses.SetDeals(id, []responses.Deal{d}); err != nil {
			page.Failed(c, err)
			return
		}
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+id+"/leads?"+back.Encode())
}

// dealsPreview is what a pasted list of deals would do.
type dealsPreview struct {
	Matched  int
	Problems []string
	Payload  string // JSON of the deals that match
	Done     int
}

// mostDeals is how many deals come in at once.
const mostDeals = 20_000

// readDeals reads a list of deals: a response's id or an email address, the state, an amount and a currency.
func (h *Handler) readDeals(quizID, text string) (*dealsPreview, error) {
	p := &dealsPreview{}
	data := []byte(strings.TrimSpace(text))
	rows, faults := sheet.NewCSV(data, sheet.Separator(data)).All(4 * mostDeals)
	for _, f := range faults {
		p.Problems = append(p.Problems, fmt.Sprintf("line %d: %s", f.Line, f.Message))
	}
	var deals []responses.Deal
	for i, row := range rows {
		cells := append(slices.Clone(row), "", "", "", "")
		key := strings.TrimSpace(cells[0])
		if key == "" || i == 0 && slices.Contains([]string{"id", "email", "e-mail"}, strings.ToLower(key)) {
			continue
		}
		d, err := edit.ReadDeal(cells[1], cells[2], cells[3])
		if err != nil {
			p.Problems = append(p.Problems, fmt.Sprintf("line %d: %v", i+1, err))
			continue
		}
		if d.ResponseID, err = h.Store.Responses.Match(quizID, key); err != nil {
			return nil, err
		}
		if d.ResponseID == "" {
			p.Problems = append(p.Problems, fmt.Sprintf("line %d: no response has the ID or email address “%s”", i+1, key))
			continue
		}
		deals = append(deals, d)
	}
	p.Matched = len(deals)
	payload, err := json.Marshal(deals)
	p.Payload = string(payload)
	return p, err
}

// previewDeals shows what a list would do.
func (h *Handler) previewDeals(c *gin.Context) {
	d := h.Bench.Load(c)
	if d == nil {
		return
	}
	p, err := h.readDeals(d.Quiz.ID, c.PostForm("deals"))
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Data(
		http.StatusOK,
		"text/html; charset=utf-8",
		page.Execute(templates, "dealspreview", map[string]any{"P": p, "ID": d.Quiz.ID}),
	)
}

// takeDeals stores a list that was previewed.
func (h *Handler) takeDeals(c *gin.Context) {
	id := c.Param("id")
	var list []responses.Deal
	if err := json.Unmarshal([]byte(c.PostForm("payload")), &list); err != nil || len(list) > mostDeals {
		page.Fail(c, http.StatusBadRequest, "Couldn’t read the list", "Go back and paste it again.")
		return
	}
	for i := range list {
		d, err := edit.ReadDeal(list[i].State, list[i].Amount, list[i].Currency)
		if err != nil {
			page.Fail(c, http.StatusBadRequest, "Couldn’t read the list", "Go back and paste it again.")
			return
		}
		d.ResponseID, d.AccountID = list[i].ResponseID, workbench.Actor(c).Account
		list[i] = d
	}
	err := h.Store.Responses.SetDeals(id, list)
	if errors.Is(err, database.ErrNotFound) {
		page.Fail(c, http.StatusConflict, "Some of these responses no longer exist", "Go back and paste the list again.")
		return
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+id+"/leads?view=won")
}
