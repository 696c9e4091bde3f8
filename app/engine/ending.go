package engine

import (
	"errors"
	"html/template"
	"strconv"
	"strings"

	"omphalos/app/kinds"
	"omphalos/app/page"
	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/core/chart"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// Event is what an ending hands to the page around it and to the owner's tag.
type Event struct {
	Quiz    string `json:"quiz"`
	Name    string `json:"event"`
	Outcome string `json:"outcome"`
	Lead    string `json:"lead,omitempty"`
	Tag     string `json:"-"` // address of the frame that runs the owner's tag
}

// ScoreLine is a scale and its value, as shown.
type ScoreLine struct {
	Name, Value string
}

// End shows the ending page of a visit. One of another browser shows what a shared result would.
func (e *Engine) End(v *Visit) (*Reply, error) {
	h, src, err := e.home(v.Slug)
	if err != nil {
		return nil, err
	}
	token, err := e.held(h.quizID, v.Token)
	if err != nil && !errors.Is(err, errToken) {
		return nil, err
	}
	p, err := e.sealer.openEnd(h.quizID, token)
	if err != nil {
		return asLost(nil, lost{src.inLanguage(src.prefers(v.Accept))})
	}
	s, err := e.resume(h, src, v, p, "")
	if err != nil {
		return nil, err
	}
	if !p.isOf(v.Browser) {
		res := s.walk.Walk(s.input(p))
		return s.shared(&resultToken{Version: p.Version, Outcome: res.Outcome, Scores: s.shownScores(res)})
	}
	return s.end()
}

func (s *session) end() (*Reply, error) {
	p := s.p
	res := s.walk.Walk(s.input(p))
	o := s.Doc.Outcome(res.Outcome)
	source := s.filled(res)
	screen := Screen{S: s.Source, Done: "1000", Thanks: p.Thanks}
	s.ending(&screen, o, source)
	if s.Doc.Settings.ShowScore {
		screen.Score = scores(s.Doc, res)
	}
	if s.Doc.Settings.Review == "end" {
		screen.Review = s.review(p, group{0, len(s.Doc.Questions)})
	}
	if err := s.links(&screen, o, res); err != nil {
		return nil, err
	}
	if e := o.Ending; e != nil && e.Kind == quiz.EndRedirect {
		screen.To, _ = s.address(e, source)
		screen.Delay, screen.Kit = e.Delay, p.Kit
		switch {
		case !s.stores && e.Delay == 0:
			return pageReply("sent", screen), nil
		case screen.To != "":
			return pageReply("leaving", screen), nil
		}
	}
	return pageReply("end", screen), nil
}

// links are the ways on from an ending: again, to show it to others, and the event for the page around and for the
// owner's tag.
func (s *session) links(screen *Screen, o *quiz.Outcome, res *walk.Result) error {
	if !s.stores {
		screen.Retake = s.Home
		return nil
	}
	p, seal := s.p, s.e.sealer.seal
	if n := retakes(s.Doc); n < 0 || p.Takes < n {
		token, err := seal(s.QuizID, &retakeToken{
			Version: s.Number, Takes: p.Takes, Language: p.Language,
			Source: p.Source, Way: p.way(), Kit: p.Kit, Params: p.Params,
		})
		if err != nil {
			return err
		}
		screen.Retake = s.Home + "?again=" + token
	}
	if o.Keeps() {
		token, err := seal(
			s.QuizID,
			&resultToken{Version: s.Number, Outcome: res.Outcome, Language: p.Language, Scores: s.shownScores(res)},
		)
		if err != nil {
			return err
		}
		screen.Share = s.Home + "/result/" + token
	}
	slug := strings.TrimPrefix(s.Home, "/q/")
	screen.Event = &Event{Quiz: slug, Name: o.Event, Outcome: o.ID}
	if o.Keeps() {
		screen.Event.Lead = p.ID
	}
	if s.Doc.Settings.Tag != "" && o.Event != "" {
		token, err := seal(
			s.QuizID,
			&tagToken{Version: s.Number, Event: o.Event, Outcome: o.ID, Lead: screen.Event.Lead},
		)
		if err != nil {
			return err
		}
		screen.Event.Tag = s.Home + "/tag/" + token
	}
	return nil
}

// shownScores are the scores of a result as others see them: names and values in turn, nothing where scores are not
// shown.
func (s *Source) shownScores(res *walk.Result) []string {
	if !s.Doc.Settings.ShowScore {
		return nil
	}
	var out []string
	for _, line := range scores(s.Doc, res) {
		out = append(out, line.Name, line.Value)
	}
	return out
}

// retakes is how often a quiz may be taken again: -1 always.
func retakes(d *quiz.Document) int {
	if d.Settings.Retakes == nil {
		return -1
	}
	return *d.Settings.Retakes
}

// ending fills in what an ending says and offers.
func (s *Source) ending(screen *Screen, o *quiz.Outcome, source fill.Source) {
	screen.Outcome = o
	budget := fill.NewBudget(fill.MostOnPage)
	screen.Title = fill.TextWithin(budget, quiz.FirstOf(o.Heading, o.Title()), source.Reading, fill.Plain)
	screen.Text = page.FilledMarkdown(o.Text, budget, source.Reading)
	screen.Picture = pictureOf(o.Image, o.Alt, o.Credit)
	if o.Ending == nil {
		return
	}
	for _, b := range o.Ending.Buttons {
		if to := source.Address(b.URL); to != "" {
			screen.Buttons = append(
				screen.Buttons,
				quiz.Button{Label: fill.TextWithin(budget, b.Label, source.Reading, fill.Plain), URL: to},
			)
		}
	}
	if source.Result != nil {
		screen.Charts = s.charts(o.Ending, source.Result)
	}
	if o.Ending.Kind == quiz.EndProducts && source.Result != nil {
		screen.Products, _ = s.products(o.Ending, source)
	}
}

// Chart is a drawing with the same figures as a table.
type Chart struct {
	Drawing template.HTML
	Axes    []chart.Axis
	Beside  bool
}

func (s *Source) charts(e *quiz.Ending, res *walk.Result) []Chart {
	var out []Chart
	for i := range e.Charts {
		c := chart.Of(s.Doc, &e.Charts[i], res)
		if len(c.Axes) == 0 {
			continue
		}
		c.RTL = s.Look.Direction == "rtl"
		out = append(out, Chart{
			Drawing: template.HTML(c.SVG(s.Look.say("others"))), // its texts are escaped
			Axes:    c.Axes,
			Beside:  c.Beside,
		})
	}
	return out
}

func scores(d *quiz.Document, res *walk.Result) []ScoreLine {
	var out []ScoreLine
	for i := range d.Scales {
		line := ScoreLine{Name: d.Scales[i].Title(), Value: res.Scales[i].Round(2).String()}
		most := res.Percents[i].Most
		if most.Sign() > 0 && res.Scales[i].Cmp(most) <= 0 && d.Scales[i].Start.Sign() == 0 {
			line.Value += " / " + most.Round(2).String()
		}
		out = append(out, line)
	}
	return out
}

// Product is a card from the catalogue.
type Product struct {
	Name, Price, Sale, Link string
	Picture                 *kinds.Picture
}

// products are the cards of an ending: those that it lists, and those whose conditions hold. What the catalogue does
// not have is returned too.
func (s *Source) products(e *quiz.Ending, source fill.Source) (out []Product, missed []tableMiss) {
	t := s.Tables[documents.Catalogue]
	for _, sku := range fill.Products(s.Doc, e, s.walk.Facts(source.Input)) {
		var row []string
		if t != nil {
			row = t.Row(sku)
		}
		if row == nil {
			missed = append(missed, tableMiss{documents.Catalogue, sku})
			continue
		}
		out = append(out, s.product(t, row, source))
	}
	return out, missed
}

func (s *Source) product(t *documents.Table, row []string, source fill.Source) Product {
	return Product{
		Name:    quiz.FirstOf(s.cell(t, row, "name"), row[0]),
		Price:   fill.Price(s.cell(t, row, "price"), s.Doc.Settings.Currency, s.Doc.Language),
		Sale:    fill.Price(s.cell(t, row, "sale"), s.Doc.Settings.Currency, s.Doc.Language),
		Link:    source.Address(s.cell(t, row, "link")),
		Picture: pictureOf(s.cell(t, row, "picture"), "", ""),
	}
}

// Result shows a result to others: the outcome and its scores, and nothing of who got it.
func (e *Engine) Result(v *Visit) (*Reply, error) {
	h, src, err := e.home(v.Slug)
	if err != nil {
		return nil, err
	}
	var t resultToken
	if err := e.sealer.open(h.quizID, v.Token, &t); err != nil {
		return asLost(nil, lost{src.inLanguage(src.prefers(v.Accept))})
	}
	p := &Place{Version: t.Version, At: atEnd, Language: t.Language}
	s, err := e.resume(h, src, v, p, "")
	if err != nil {
		return nil, err
	}
	return s.shared(&t)
}

func (s *session) shared(t *resultToken) (*Reply, error) {
	o := s.Doc.Outcome(t.Outcome)
	if o == nil {
		return asLost(nil, lost{s.Source})
	}
	screen := Screen{S: s.Source, Result: true}
	s.ending(&screen, o, fill.Source{Doc: s.Doc}) // without a walk every name is blank: texts show their fallbacks
	screen.Buttons, screen.Products = nil, nil
	for i := 0; i+1 < len(t.Scores); i += 2 {
		screen.Score = append(screen.Score, ScoreLine{t.Scores[i], t.Scores[i+1]})
	}
	screen.Retake = s.Home
	return pageReply("end", screen), nil
}

// Tag is the owner's own HTML and the event that it is told of; store.ErrNotFound where there is none.
func (e *Engine) Tag(v *Visit) (tag string, event Event, err error) {
	h, err := e.head(v.Slug)
	if err != nil {
		return "", Event{}, err
	}
	var t tagToken
	if err := e.sealer.open(h.quizID, v.Token, &t); err != nil {
		return "", Event{}, database.ErrNotFound
	}
	s, err := e.source(h, t.Version)
	if err == nil && strings.TrimSpace(s.Doc.Settings.Tag) == "" {
		err = database.ErrNotFound
	}
	if err != nil {
		return "", Event{}, err
	}
	return s.Doc.Settings.Tag, Event{Name: t.Event, Outcome: t.Outcome, Lead: t.Lead}, nil
}

// Style is the theme's own style sheet of a version, which its stamp names; store.ErrNotFound where it has none.
func (e *Engine) Style(slug, stamp string) (string, error) {
	h, err := e.head(slug)
	if err != nil {
		return "", err
	}
	number, _, _ := strings.Cut(stamp, "-")
	version, err := strconv.Atoi(number)
	if err != nil {
		return "", database.ErrNotFound
	}
	s, err := e.source(h, version)
	if err == nil && s.Look.Style == "" {
		err = database.ErrNotFound
	}
	if err != nil {
		return "", err
	}
	return s.Look.Style, nil
}
