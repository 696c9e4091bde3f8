package respond

import (
	"html/template"
	"net/http"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// event is what an ending hands to the page around it and to the owner's tag.
type event struct {
	Name    string `json:"event"`
	Outcome string `json:"outcome"`
	Lead    string `json:"lead,omitempty"`
	Tag     string `json:"-"` // address of the frame that runs the owner's tag
}

type scoreLine struct {
	Name, Value string
}

// end shows the ending page.
func (r *Room) end(c *gin.Context) {
	v, p := r.find(c, c.Param("place"))
	if v == nil {
		return
	}
	if p.At != atEnd {
		r.goTo(c, v, *p)
		return
	}
	res := v.walk.Walk(p.input())
	o := v.Doc.Outcome(res.Outcome)
	source := fill.Source{Doc: v.Doc, Input: p.input(), Result: res, Lead: p.ID}
	s := v.screen("", "1000")
	s.Thanks = p.Thanks
	r.ending(&s, v, o, source)
	if v.Doc.Settings.ShowScore {
		s.Score = scores(v.Doc, res)
	}
	if v.Doc.Settings.Review == "end" {
		s.Review = v.review(p, group{0, len(v.Doc.Questions)})
	}
	if n := retakes(v.Doc); n < 0 || p.Takes < n {
		if token, err := r.sealer.seal(v.QuizID, place{Version: v.Number, Takes: p.Takes, Language: p.Language}); err == nil {
			s.Retake = "/q/" + v.Slug + "?again=" + token
		}
	}
	shared := place{Version: v.Number, At: atResult, Outcome: res.Outcome, Language: p.Language}
	for _, line := range s.Score {
		shared.Scores = append(shared.Scores, line.Name, line.Value)
	}
	if token, err := r.sealer.seal(v.QuizID, shared); err == nil && o.Keeps() {
		s.Share = "/q/" + v.Slug + "/result/" + token
	}
	if o.Event != "" {
		s.Event = &event{Name: o.Event, Outcome: o.ID}
		if o.Keeps() {
			s.Event.Lead = p.ID
		}
		if v.Doc.Settings.Tag != "" {
			s.Event.Tag = "/q/" + v.Slug + "/tag/" + c.Param("place")
		}
	}
	if e := o.Ending; e != nil && e.Kind == quiz.EndRedirect {
		if s.To = r.address(v, e, source); s.To != "" {
			s.Delay = e.Delay
			r.write(c, http.StatusOK, v.draw("leaving", s))
			return
		}
	}
	r.write(c, http.StatusOK, v.draw("end", s))
}

// ending fills in what an ending says and offers.
func (r *Room) ending(s *screen, v *version, o *quiz.Outcome, source fill.Source) {
	s.Outcome = o
	s.Title = fill.Text(quiz.FirstOf(o.Heading, o.Title()), source.Lookup, fill.Plain)
	s.Text = page.Markdown(fill.Text(o.Text, source.Lookup, fill.EscapeMarkdown))
	s.Picture = pictureOf(o.Image, o.Alt, o.Credit)
	if o.Ending == nil {
		return
	}
	for _, b := range o.Ending.Buttons {
		if address, err := fill.ParseAddress(b.URL); err == nil {
			if to, err := address.Fill(source.Lookup); err == nil {
				s.Buttons = append(s.Buttons, quiz.Button{Label: fill.Text(b.Label, source.Lookup, fill.Plain), URL: to})
			}
		}
	}
	if o.Ending.Kind == quiz.EndProducts && source.Result != nil {
		s.Products = r.products(v, o.Ending, source)
	}
}

func scores(d *quiz.Document, res *walk.Result) []scoreLine {
	var out []scoreLine
	for i := range d.Scales {
		line := scoreLine{Name: d.Scales[i].Title(), Value: res.Scales[i].Round(2).String()}
		if most := res.Percents[i].Most; most.Sign() > 0 && res.Scales[i].Cmp(most) <= 0 && d.Scales[i].Start.Sign() == 0 {
			line.Value += " / " + most.Round(2).String()
		}
		out = append(out, line)
	}
	return out
}

// product is a card from the catalogue.
type product struct {
	Name, Price, Sale, Link string
	Picture                 *picture
}

// Catalogue is the name of the table that products come from, with these columns.
const Catalogue = "catalogue"

// CatalogueColumns are the columns of the catalogue; the first is the key.
var CatalogueColumns = []string{"sku", "name", "picture", "price", "sale", "link"}

// products are the cards of an ending: those that it lists, and those whose conditions hold.
func (r *Room) products(v *version, e *quiz.Ending, source fill.Source) []product {
	skus := append([]string{}, e.Products...)
	if rec := v.Doc.Recommendations; rec != nil {
		facts := v.walk.Facts(source.Input)
		for _, line := range rec.Lines {
			if line.When == nil || line.When.Holds(facts) {
				skus = append(skus, line.Product)
				if rec.Mode != "all" {
					break
				}
			}
		}
		if rec.Limit > 0 && len(skus) > rec.Limit {
			skus = skus[:rec.Limit]
		}
	}
	t := v.Tables[Catalogue]
	seen := map[string]bool{}
	var out []product
	for _, sku := range skus {
		if seen[sku] {
			continue
		}
		seen[sku] = true
		var row []string
		if t != nil {
			row = t.Row(sku)
		}
		if row == nil {
			r.missed(v, Catalogue, sku)
			continue
		}
		p := product{Name: quiz.FirstOf(v.cell(t, row, "name"), sku), Price: v.cell(t, row, "price"), Sale: v.cell(t, row, "sale")}
		p.Picture = pictureOf(v.cell(t, row, "picture"), "", "")
		if a, err := fill.ParseAddress(v.cell(t, row, "link")); err == nil {
			if to, err := a.Fill(source.Lookup); err == nil {
				p.Link = to
			}
		}
		out = append(out, p)
	}
	return out
}

// result shows a result to others: the outcome and its scores, and nothing of who got it.
func (r *Room) result(c *gin.Context) {
	v, p := r.find(c, c.Param("place"))
	if v == nil {
		return
	}
	o := v.Doc.Outcome(p.Outcome)
	if p.At != atResult || o == nil {
		r.lost(c, v)
		return
	}
	s := v.screen("", "")
	r.ending(&s, v, o, fill.Source{Doc: v.Doc}) // without a walk every name is blank: texts show their fallbacks
	s.Buttons, s.Products = nil, nil
	for i := 0; i+1 < len(p.Scores); i += 2 {
		s.Score = append(s.Score, scoreLine{p.Scores[i], p.Scores[i+1]})
	}
	s.Retake = "/q/" + v.Slug
	r.write(c, http.StatusOK, v.draw("end", s))
}

var tagPage = template.Must(template.New("tag").Parse(`<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Tag</title></head><body><script>window.quizEvent = {{.Event}};</script>
{{.Tag}}
</body></html>`))

// tag is the frame in which the owner's tag runs: sealed off from the pages, with no cookies and no storage of theirs.
func (r *Room) tag(c *gin.Context) {
	v, p := r.find(c, c.Param("place"))
	if v == nil {
		return
	}
	res := v.walk.Walk(p.input())
	o := v.Doc.Outcome(res.Outcome)
	if p.At != atEnd || o == nil || o.Event == "" || v.Doc.Settings.Tag == "" {
		c.Status(http.StatusNotFound)
		return
	}
	e := event{Name: o.Event, Outcome: o.ID}
	if o.Keeps() {
		e.Lead = p.ID
	}
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", "sandbox allow-scripts; default-src http: https: data:; script-src http: https: 'unsafe-inline'; style-src http: https: 'unsafe-inline'; frame-ancestors *")
	h.Del("X-Frame-Options")
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("Cache-Control", "no-store")
	c.Status(http.StatusOK)
	h.Set("Content-Type", "text/html; charset=utf-8")
	_ = tagPage.Execute(c.Writer, map[string]any{"Event": e, "Tag": template.HTML(v.Doc.Settings.Tag)}) // the owner's own, in a sealed frame
}
