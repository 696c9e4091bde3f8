package home

import (
	"cmp"
	"errors"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/store/documents"
)

// choice is which quizzes are listed, and in which order.
type choice struct {
	State string // a key of states
	Tag   string // "" is any
	Sort  string // a key of orders
}

// link leads to another choice.
type link struct {
	Title   string
	Count   int
	Current bool
	Query   template.URL
}

// states are what quizzes can be listed by; the first one is usual.
var states = []struct {
	key, title string
	holds      func(l *line) bool
}{
	{"", "All", func(l *line) bool { return l.Quiz.ArchivedAt == nil }},
	{"live", "Live", func(l *line) bool { return l.Quiz.ArchivedAt == nil && l.Quiz.LiveVersion > 0 }},
	{"draft", "Drafts", func(l *line) bool { return l.Quiz.ArchivedAt == nil && l.Quiz.LiveVersion == 0 }},
	{"archived", "Archived", func(l *line) bool { return l.Quiz.ArchivedAt != nil }},
}

// orders are what they can be sorted by; the first one is usual. Lines come with the last edited first.
var orders = []struct {
	key, title string
	compare    func(a, b *line) int
}{
	{"", "Live first", func(a, b *line) int { return cmp.Compare(min(1, b.Quiz.LiveVersion), min(1, a.Quiz.LiveVersion)) }},
	{"edited", "Last edited", func(_, _ *line) int { return 0 }},
	{"name", "Name", func(a, b *line) int { return cmp.Compare(strings.ToLower(a.Quiz.Name), strings.ToLower(b.Quiz.Name)) }},
	{"finishes", "Most finishes", func(a, b *line) int { return cmp.Compare(b.finishes(), a.finishes()) }},
	{"leads", "Most leads", func(a, b *line) int { return cmp.Compare(b.leadCount(), a.leadCount()) }},
	{"created", "Newest", func(a, b *line) int { return b.Quiz.CreatedAt.Compare(a.Quiz.CreatedAt) }},
}

func (l *line) finishes() int {
	if l.Counts == nil {
		return 0
	}
	return l.Counts.Finishes
}

func (l *line) leadCount() int {
	if l.Counts == nil {
		return 0
	}
	return l.Counts.Leads
}

func readChoice(c *gin.Context) choice {
	return choice{State: c.Query("state"), Tag: c.Query("tag"), Sort: c.Query("sort")}
}

// query is the address of a choice; what is usual is left out.
func (c choice) query() template.URL {
	q := url.Values{}
	for name, value := range map[string]string{"state": c.State, "tag": c.Tag, "sort": c.Sort} {
		if value != "" {
			q.Set(name, value)
		}
	}
	return template.URL("?" + q.Encode())
}

// arrange leaves the lines that are chosen, in their order, and says what else can be chosen.
func (v *view) arrange() {
	v.Any = len(v.Lines) > 0
	state, order := states[0], orders[0]
	tagged := map[string]int{}
	for _, s := range states {
		to := v.Chosen
		to.State = s.key
		one := link{Title: s.title, Current: s.key == v.Chosen.State, Query: to.query()}
		for i := range v.Lines {
			if s.holds(&v.Lines[i]) {
				one.Count++
			}
		}
		if one.Current {
			state = s
		}
		if one.Count > 0 || one.Current || s.key == "" {
			v.States = append(v.States, one)
		}
	}
	for i := range v.Lines {
		for _, tag := range v.Lines[i].Quiz.TagList() {
			if !slices.ContainsFunc(v.AllTags, func(other string) bool { return strings.EqualFold(tag, other) }) {
				v.AllTags = append(v.AllTags, tag)
			}
			if state.holds(&v.Lines[i]) {
				tagged[strings.ToLower(tag)]++
			}
		}
	}
	slices.SortFunc(v.AllTags, func(a, b string) int { return cmp.Compare(strings.ToLower(a), strings.ToLower(b)) })
	for _, tag := range v.AllTags {
		to, current := v.Chosen, strings.EqualFold(tag, v.Chosen.Tag)
		if to.Tag = tag; current {
			to.Tag = "" // a second click takes it off
		}
		if n := tagged[strings.ToLower(tag)]; n > 0 || current {
			v.Tags = append(v.Tags, link{Title: tag, Count: n, Current: current, Query: to.query()})
		}
	}
	for _, o := range orders {
		to := v.Chosen
		to.Sort = o.key
		one := link{Title: o.title, Current: o.key == v.Chosen.Sort, Query: to.query()}
		if v.Sorts = append(v.Sorts, one); one.Current {
			order = o
		}
	}
	v.Lines = slices.DeleteFunc(v.Lines, func(l line) bool {
		has := func(tag string) bool { return strings.EqualFold(tag, v.Chosen.Tag) }
		return !state.holds(&l) || v.Chosen.Tag != "" && !slices.ContainsFunc(l.Quiz.TagList(), has)
	})
	slices.SortStableFunc(v.Lines, func(a, b line) int { return order.compare(&a, &b) })
}

// Sorted is the title of the order that is chosen.
func (v *view) Sorted() string {
	for _, s := range v.Sorts {
		if s.Current {
			return s.Title
		}
	}
	return orders[0].title
}

// archive puts a quiz aside, or back.
func (h *Handler) archive(aside bool) gin.HandlerFunc {
	return func(c *gin.Context) {
		if err := h.Store.Documents.Archive(c.Param("id"), aside); err != nil {
			page.Failed(c, err)
			return
		}
		to := "/"
		if aside {
			to += "?" + url.Values{"archived": {c.Param("id")}}.Encode()
		}
		c.Redirect(http.StatusSeeOther, to)
	}
}

func (h *Handler) tag(c *gin.Context) {
	err := h.Store.Documents.SetTags(c.Param("id"), c.PostForm("tags"))
	if errors.Is(err, documents.ErrTags) {
		again := url.Values{"tagged": {c.Param("id")}, "typed": {c.PostForm("tags")}}
		c.Redirect(http.StatusSeeOther, "/?"+again.Encode())
		return
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/")
}
