package respond

import (
	"encoding/json"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// finish stores the response and leads to the outcome. A walk that has finished before keeps its first response and ends
// where that one ended.
func (r *Room) finish(c *gin.Context, v *version, p *place, reply *contactReply) {
	if first, err := r.Store.Response(p.ID); err == nil {
		if first.Kept {
			var answers map[string]walk.Answer
			if json.Unmarshal(first.Answers, &answers) == nil {
				p.Answers = answers
			}
		}
		r.lead(c, v, p)
		return
	}
	res := v.walk.Walk(p.input())
	now := time.Now()
	began := time.Unix(p.Began, 0)
	f := Finished{ID: p.ID, QuizID: v.QuizID, Version: v.Number, Began: began, At: now, Input: p.input(), Source: p.Source}
	f.Suspect = r.guard.suspect(r.Locator.Address(c.Request), p.Source == trapped, now.Sub(began), len(res.Path))
	if p.Source == trapped {
		f.Source = ""
	}
	if reply != nil {
		f.Name, f.Email, f.Contact, f.Consent = reply.Name, reply.Email, reply.Fields, reply.Consent
	}
	response, err := Response(v.own.Doc, res, f)
	if err == nil {
		err = r.Store.Submit(response)
	}
	if err != nil {
		page.Fail(c, http.StatusServiceUnavailable, "Your answers could not be stored", "Please go back and send them again.")
		return
	}
	if v.asksContact(res, quiz.ContactAfter) {
		r.goTo(c, v, p.at(atAfter))
		return
	}
	r.lead(c, v, p)
}

// after adds the contact step that stands after the outcome to the response, and leads on.
func (r *Room) after(c *gin.Context, v *version, p *place, reply *contactReply) {
	if reply != nil {
		contact, err := json.Marshal(reply.Fields)
		if err == nil {
			add := &store.Response{ID: p.ID, Name: reply.Name, Email: reply.Email, Contact: contact, Consent: reply.Consent}
			if reply.Consent != "" {
				at := time.Now().UTC()
				add.ConsentAt = &at
			}
			err = r.Store.AddContact(add)
		}
		if err != nil {
			page.Fail(c, http.StatusServiceUnavailable, "This could not be stored", "Please go back and send it again.")
			return
		}
		p.Thanks = true
	}
	r.lead(c, v, p)
}

// lead sends the respondent on: to the address of a redirect, else to the ending page.
func (r *Room) lead(c *gin.Context, v *version, p *place) {
	res := v.walk.Walk(p.input())
	o := v.Doc.Outcome(res.Outcome)
	if o != nil && o.Ending != nil && o.Ending.Kind == quiz.EndRedirect && o.Ending.Delay == 0 {
		source := fill.Source{Doc: v.Doc, Input: p.input(), Result: res, Lead: p.ID}
		if to := r.address(v, o.Ending, source); to != "" {
			c.Header("Referrer-Policy", "no-referrer")
			c.Redirect(http.StatusSeeOther, to)
			return
		}
	}
	token, err := r.sealer.seal(v.QuizID, p.at(atEnd))
	if err != nil {
		page.Fail(c, http.StatusInternalServerError, "Your result cannot be shown", "Your answers are stored.")
		return
	}
	c.Redirect(http.StatusSeeOther, "/q/"+v.Slug+"/end/"+token)
}

// address is where a redirect leads: from its table, else its own address; "" when neither can be filled. What a table does not
// have is noted for its owner.
func (r *Room) address(v *version, e *quiz.Ending, source fill.Source) string {
	fill1 := func(template string) string {
		if template == "" {
			return ""
		}
		a, err := fill.ParseAddress(template)
		if err != nil {
			return ""
		}
		to, err := a.Fill(source.Lookup)
		if err != nil {
			return ""
		}
		return to
	}
	if l := e.Lookup; l != nil {
		key := v.key(l.Key, source)
		if t := v.Tables[l.Table]; t != nil {
			if row := t.Row(key); row != nil {
				if to := fill1(v.cell(t, row, l.Column)); to != "" {
					return to
				}
			}
		}
		r.missed(v, l.Table, quiz.FirstOf(key, "(blank)"))
		if to := fill1(l.Fallback); to != "" {
			return to
		}
	}
	return fill1(e.URL)
}

// key is what a table is asked for: the id of an answer, else the value of a name.
func (v *version) key(name string, source fill.Source) string {
	for _, n := range []string{name + ".id", name} {
		if values, known := source.Lookup(n); known && len(values) > 0 {
			return values[0]
		}
	}
	return ""
}

// missed leaves a line for the owner: a table was asked for a key that it does not have. A preview asks for nobody.
func (r *Room) missed(v *version, table, key string) {
	if v.nonce == "" {
		_ = r.Store.Missed(v.QuizID, table, key) // the respondent goes on all the same
	}
}
