package respond

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"omphalos/app/store"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// Preview draws a page of a draft as respondents would see it: the ending of an outcome, or with "" the first page of questions.
// in is somebody who ends there, nil where nobody is known: then texts show their fallbacks. Nothing is stored.
func (r *Room) Preview(c *gin.Context, q *store.Quiz, outcome string, in *walk.Input) error {
	d, err := quiz.ReadStored(q.Document)
	if err != nil {
		return err
	}
	tables, err := r.Store.Tables(q.ID)
	if err != nil {
		return err
	}
	nonce := store.NewID() + store.NewID()
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", "default-src 'none'; style-src 'self' 'nonce-"+nonce+"'; img-src 'self'; font-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'self'")
	h.Set("X-Frame-Options", "SAMEORIGIN")
	h.Set("Cache-Control", "no-store")
	if len(d.Outcomes) == 0 || outcome != "" && d.Outcome(outcome) == nil || outcome == "" && len(d.Questions) == 0 {
		c.String(http.StatusNotFound, "There is nothing to show yet.")
		return nil
	}
	v, err := bare(q, 0, d, tables)
	if err != nil { // unfinished: what does not depend on the rest can be shown all the same
		rest := &quiz.Document{Name: d.Name, Language: d.Language, Outcomes: d.Outcomes, Otherwise: d.Outcomes[0].ID, Settings: d.Settings, Theme: d.Theme}
		if v, err = bare(q, 0, rest, tables); err != nil {
			return err
		}
		in = nil
	}
	v.Tongues, v.nonce = tonguesOf(d), nonce
	s := v.screen("", "")
	name := "end"
	if o := v.Doc.Outcome(outcome); o != nil {
		name = v.previewEnding(r, &s, o, in)
	} else if outcome == "" && len(v.Doc.Questions) > 0 {
		s.Done, name = "120", "ask"
		g := v.groups[0]
		p := &place{Answers: map[string]walk.Answer{}, At: v.Doc.Questions[g.from].ID}
		list := v.asked(p, g)
		if len(list) == 0 {
			list = []int{g.from}
		}
		s = v.ask(s, p, list)
	} else { // its questions cannot be walked yet
		c.String(http.StatusNotFound, "The preview comes when what is listed below is mended.")
		return nil
	}
	c.Data(http.StatusOK, "text/html; charset=utf-8", v.draw(name, s))
	return nil
}

// previewEnding fills in an ending and returns the name of its template.
func (v *version) previewEnding(r *Room, s *screen, o *quiz.Outcome, in *walk.Input) string {
	source := fill.Source{Doc: v.Doc}
	if in != nil {
		res := v.walk.Walk(*in)
		said := *in
		said.Answers = map[string]walk.Answer{}
		for id, a := range in.Answers {
			if a.Text == "" { // what somebody would type is not known: the fallback shows
				said.Answers[id] = a
			}
		}
		source.Input, source.Result, source.Lead = said, res, "example"
		if v.Doc.Settings.ShowScore {
			s.Score = scores(v.Doc, res)
		}
		if v.Doc.Settings.Review == "end" {
			s.Review = v.review(&place{Answers: in.Answers, Visitor: in.Visitor, Params: in.Params}, group{0, len(v.Doc.Questions)})
		}
	}
	s.Done = "1000"
	if retakes(v.Doc) != 0 {
		s.Retake = "#"
	}
	r.ending(s, v, o, source)
	if e := o.Ending; e != nil && e.Kind == quiz.EndRedirect {
		s.To, s.Delay = r.address(v, e, source), e.Delay
		if s.Delay == 0 {
			return "sent"
		}
		return "leaving"
	}
	return "end"
}
