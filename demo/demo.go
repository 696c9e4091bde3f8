// Package demo fills an empty database with the quizzes and responses of Larkmoor Botanics, an invented company.
package demo

import (
	"embed"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"omphalos/app/engine"
	"omphalos/app/store"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
	"omphalos/standins/larkmoor"
)

//go:embed *.json
var files embed.FS

// Owner signs in to the demonstration.
const Owner = "ada@larkmoor.example"

// example is a quiz of the demonstration.
type example struct {
	file      string
	slug      string
	responses int
	taste     map[string][]int // weights of answers by question id, where they are not even
	earlier   string           // JSON Patch that makes of the document what its first version was; "" where it has one alone
}

// quizzes lists what the demonstration has.
var quizzes = []example{
	{"living-wall.json", "living-wall", 400, map[string][]int{
		"area":     {3, 5, 4},
		"light":    {2, 5, 3, 3},
		"decides":  {4, 4, 3},
		"budget":   {3, 5, 4},
		"deadline": {5, 4, 3},
		"country":  {5, 4, 3, 2},
	}, ""},
	{"windowsill.json", "windowsill", 900, map[string][]int{
		"light": {3, 5, 3},
		"water": {2, 5, 6, 3},
		"room":  {2, 5, 3, 3},
	}, `[{"op": "replace", "path": "/questions/0/text", "value": "How bright is it where the plant will stand?"},
		{"op": "replace", "path": "/questions/1/choices/2/votes", "value": {"blade": 3}}]`},
	{"watering.json", "watering", 600, map[string][]int{
		"when":   {3, 7, 3},
		"yellow": {4, 6, 2},
		"winter": {2, 7, 3},
		"cactus": {5, 4, 3},
	}, ""},
}

// Document returns the quiz of the demonstration that is reached by a slug.
func Document(slug string) (*quiz.Document, error) {
	text, err := files.ReadFile(slug + ".json")
	if err != nil {
		return nil, err
	}
	return quiz.Read(text)
}

// Fill makes the owner with the password, the quizzes and their responses, if there is no owner yet.
// Addresses of the stand-ins in the documents are made to begin with standins.
func Fill(s *store.Store, standins, password string, now time.Time) error {
	has, err := s.People.HasOwner()
	if err != nil {
		return err
	}
	if has {
		return nil // with the password of the first time
	}
	owner, err := s.People.CreateOwner(Owner, password)
	if err != nil {
		return err
	}
	for n, q := range slices.Backward(quizzes) { // the first is the one edited last
		g := &generator{Rand: rand.New(rand.NewPCG(2026, uint64(n))), taste: q.taste, now: now}
		id, err := makeQuiz(s, owner.ID, g, &q, standins)
		if err != nil {
			return fmt.Errorf("%s: %w", q.file, err)
		}
		if n > 0 {
			continue
		}
		err = s.Deliveries.AddHook(&deliveries.Hook{
			QuizID: id, URL: standins + "/receiver", Secret: larkmoor.HookSecret, AccountID: owner.ID,
			Events: deliveries.EventFinished + "," + deliveries.EventLead + "," + deliveries.EventDeal,
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// makeQuiz makes a quiz with its tables, versions and responses, and returns its id.
func makeQuiz(s *store.Store, owner uint, g *generator, q *example, standins string) (id string, err error) {
	text, err := files.ReadFile(q.file)
	if err != nil {
		return "", err
	}
	text = []byte(strings.ReplaceAll(string(text), "http://127.0.0.1:8081", standins))
	d, err := quiz.Read(text)
	if err != nil {
		return "", err
	}
	first, err := firstVersion(text, q.earlier)
	if err != nil {
		return "", err
	}
	stored, err := s.Documents.CreateQuizText(d.Name, first.Text)
	if err != nil {
		return "", err
	}
	for _, t := range tables(q.slug, standins) {
		if err := s.Documents.SaveTable(stored.ID, owner, 0, &t); err != nil {
			return "", err
		}
	}
	if _, err := s.Launch(stored.ID, owner, 0, q.slug, 0); err != nil {
		return "", err
	}
	versions := []*quiz.Document{first.Document, first.Document}
	if q.earlier != "" {
		if err := launchNext(s, stored.ID, text); err != nil {
			return "", err
		}
		versions[1] = d
	}
	return stored.ID, g.fill(s, stored.ID, versions, q.responses)
}

// generator makes responses from a seed: the same ones every time, but for their dates.
type generator struct {
	*rand.Rand
	taste map[string][]int
	now   time.Time
}

var (
	firstNames = strings.Fields(
		"Orla Mira Jun Ines Noor Pavel Tessa Bram Aoife Lior Sanne Emre Katya Odd Faye Rui Wout Anja Tomas Nell",
	)
	lastNames = strings.Fields(
		"Quill Tolk Halloran Varga Siddon Ost Amsel Brandt Fenner Marsh " +
			"Kettle Loam Winter Sedge Bracken Tarn Yarrow Holm Reed Thorn",
	)
	companies = strings.Fields("fenhall nordkai glasswerk vargaco steinhof siddon ostbau mistral larchwood quayside")
	sources   = []string{"newsletter", "newsletter", "search", "search", "search", "", "", "fair-qr"}
	devices   = []string{"phone", "desktop", "phone", "phone", "desktop", "tablet", "desktop"}
	ways      = []string{
		tallies.WayLink,
		tallies.WayPage,
		tallies.WayLink,
		tallies.WayOver,
		tallies.WayQR,
		tallies.WayPage,
		tallies.WayEdge,
		tallies.WayLink,
	}
	languages = []string{"en", "en", "en", "de", "en", "nl", "en", "en", "fr", "en", "de"}
)

// fill submits n responses spread over the last 60 days, many at once, as they share the wait for the disk.
//
// docs are the first version, which ran until changeDay, and what it is now; the same where it was never changed.
func (g *generator) fill(s *store.Store, quizID string, docs []*quiz.Document, n int) error {
	var walks []*walk.Compiled
	for _, d := range docs {
		c, err := walk.New(d)
		if err != nil {
			return err
		}
		walks = append(walks, c)
	}
	two := docs[0] != docs[1]
	var deals []responses.Deal
	work, wait := submitting(s)
	for i := range n {
		at := g.now.Add(-time.Duration(g.Float64() * float64(60*24*time.Hour))).UTC()
		version := 1
		if two && at.After(g.now.Add(-changeDay)) {
			version = 2
		}
		r, err := g.response(s, quizID, version, walks[version-1], i, at)
		if err != nil {
			return err
		}
		if r.Kept && r.Email != "" {
			deals = g.deal(deals, r)
		}
		work <- r
	}
	close(work)
	if err := wait(); err != nil {
		return err
	}
	return s.Responses.SetDeals(quizID, deals)
}

// changeDay is how long ago a quiz of two versions was changed.
const changeDay = 25 * 24 * time.Hour

// firstVersion makes of a document what it was first.
func firstVersion(text []byte, earlier string) (*quiz.Edited, error) {
	if earlier == "" {
		d, err := quiz.Read(text)
		return &quiz.Edited{Document: d, Text: text}, err
	}
	patch, err := quiz.ReadPatch([]byte(earlier))
	if err != nil {
		return nil, err
	}
	return quiz.Edit(text, patch)
}

// submitting takes responses until the channel is closed; wait says whether all were stored.
func submitting(s *store.Store) (work chan<- *responses.Submission, wait func() error) {
	list := make(chan *responses.Submission)
	var all errgroup.Group
	for range 2 * clients {
		all.Go(func() (err error) {
			for r := range list {
				if _, failed := s.Responses.Submit(*r); failed != nil {
					err = failed
				}
			}
			return err
		})
	}
	return list, all.Wait
}

// clients is how many wait for the disk together.
const clients = 256

// response makes someone who finishes the walk, and as many who look and go.
func (g *generator) response(
	s *store.Store,
	quizID string,
	version int,
	c *walk.Compiled,
	i int,
	at time.Time,
) (*responses.Submission, error) {
	d := c.Doc
	took := time.Duration(45+g.IntN(150)) * time.Second
	finished := engine.Finished{
		ID:      fmt.Sprintf("demo%08x%04x", g.Uint32(), i),
		QuizID:  quizID,
		Version: version,
		Began:   at.Add(-took),
		At:      at,
		Day:     at.Format(time.DateOnly),
		Input:   walk.Input{Answers: map[string]walk.Answer{}, Params: map[string]string{}},
		Source:  sources[g.IntN(len(sources))],
	}
	finished.Input.Visitor = walk.Visitor{Device: devices[i%len(devices)], Language: languages[i%len(languages)]}
	for j := range d.Questions {
		finished.Input.Answers[d.Questions[j].ID] = g.answer(&d.Questions[j])
	}
	if d.Contact != nil && d.Contact.Place != quiz.ContactNone && (!d.Contact.Optional || g.IntN(5) < 2) {
		first, last := firstNames[g.IntN(len(firstNames))], lastNames[g.IntN(len(lastNames))]
		finished.Name = first + " " + last
		finished.Email = strings.ToLower(first) + "@" + companies[g.IntN(len(companies))] + ".example"
		finished.Contact = map[string]string{"name": finished.Name, "email": finished.Email}
		if d.Contact.Consent != nil {
			finished.Consent = d.Contact.Consent.Text
		}
	}
	finished.Way = ways[i%len(ways)]
	if finished.Source != "" {
		finished.Input.Params["utm_source"] = finished.Source
	}
	res := c.Walk(finished.Input)
	g.came(s, finished, res.Path)
	if g.IntN(3) > 0 { // as many again, or so, look and go
		g.came(s, finished, res.Path[:g.IntN(len(res.Path))])
	}
	return engine.Response(d, res, finished)
}

// deal adds what came of a lead, where it is known: large walls are bought, anyone who decides; others hardly.
func (g *generator) deal(list []responses.Deal, r *responses.Submission) []responses.Deal {
	area := r.Given["area"].Picks
	if len(area) == 0 || g.IntN(3) == 0 {
		return list
	}
	d := responses.Deal{ResponseID: r.ID, State: responses.DealLost}
	chance := map[string]float64{"small": 0.06, "medium": 0.22, "large": 0.55}[area[0]]
	switch x := g.Float64(); {
	case x < chance:
		d.State, d.Currency = responses.DealWon, "EUR"
		d.Amount = fmt.Sprint(2000 + 100*g.IntN(180))
	case x > 0.9:
		d.State = responses.DealOpen
	}
	return append(list, d)
}

// came tallies someone who came as far as a path: of these some finish.
func (g *generator) came(s *store.Store, f engine.Finished, path []string) {
	e := tallies.Event{QuizID: f.QuizID, Version: f.Version, Day: f.Day, Source: f.Source,
		Device: f.Input.Visitor.Device, Language: f.Input.Visitor.Language, Way: f.Way, Stage: tallies.StageView}
	s.Responses.Tally(e)
	if len(path) > 0 {
		e.Stage = tallies.StageStart
		s.Responses.Tally(e)
	}
	pause := f.At.Sub(f.Began) / time.Duration(len(f.Input.Answers)+1)
	for i, id := range path {
		e.Stage, e.Place, e.After = tallies.StageStep, id, tallies.Lasting(pause*time.Duration(i+1))
		s.Responses.Tally(e)
	}
}

func (g *generator) answer(q *quiz.Question) walk.Answer {
	if !q.Required && g.IntN(6) == 0 {
		return walk.Answer{}
	}
	about := kind.Of(q).About()
	switch {
	case kind.OfOne(q):
		return walk.Answer{Picks: []string{q.Choices[g.weighted(g.taste[q.ID], len(q.Choices))].ID}}
	case about.Many:
		least, most := q.Picks()
		want := least + g.IntN(most-least+1)
		var a walk.Answer
		for _, i := range g.Perm(len(q.Choices))[:want] {
			if q.Choices[i].Exclusive { // nothing goes with it
				return walk.Answer{Picks: []string{q.Choices[i].ID}}
			}
			a.Picks = append(a.Picks, q.Choices[i].ID)
		}
		if !about.Ordered {
			slices.SortFunc(a.Picks, func(x, y string) int { return q.Choice(x) - q.Choice(y) })
		}
		return a
	case about.Range:
		span := q.To.Sub(*q.From).Float()
		low := g.Float64() * g.Float64() // small ones are commoner
		n := q.From.Add(rule.Int(int64(low * span)))
		return walk.Answer{Number: &n}
	case about.Rows:
		a := walk.Answer{Rows: map[string]string{}}
		for _, row := range q.Rows {
			a.Rows[row.ID] = q.Choices[g.IntN(len(q.Choices))].ID
		}
		return a
	case about.Typed && !about.Personal && !about.Day:
		return walk.Answer{Text: "A word about " + strings.ToLower(lastNames[g.IntN(len(lastNames))])}
	}
	return walk.Answer{}
}

// weighted picks a position by integer weights; with none it is even.
func (g *generator) weighted(weights []int, n int) int {
	total := 0
	for _, w := range weights {
		total += w
	}
	if total == 0 || len(weights) != n {
		return g.IntN(n)
	}
	at := g.IntN(total)
	for i, w := range weights {
		if at -= w; at < 0 {
			return i
		}
	}
	return n - 1
}
