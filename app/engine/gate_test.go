package engine

import (
	"net/netip"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/bcrypt"

	"omphalos/app/store"
	"omphalos/app/store/database"
	"omphalos/app/store/responses"
)

// gated is a quiz of one question that runs, on a clock.
type gated struct {
	*Engine
	t    testing.TB
	s    *store.Store
	quiz string
	now  time.Time
	mu   sync.Mutex
}

func newGated(t testing.TB) *gated {
	t.Helper()
	g := &gated{t: t, now: time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)}
	clock := func() time.Time { g.mu.Lock(); defer g.mu.Unlock(); return g.now }
	s, err := store.Open(t.TempDir(), store.Options{Now: clock})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	g.s = s
	g.Engine, err = New(s, Options{Patient: true, Now: clock})
	require.NoError(t, err)
	q, err := s.Documents.CreateQuizText("Gate", []byte(`{"format": "omphalos-quiz/1", "name": "Gate", "params": ["region"], "questions": [{"id": "a", "kind": "single", "text": "Which?",
		"required": true, "choices": [{"id": "x", "label": "X"}, {"id": "y", "label": "Y"}]}], "outcomes": [{"id": "o", "heading": "Done", "qualified": true}], "otherwise": "o",
		"contact": {"place": "none", "fields": [{"id": "mail", "kind": "email"}]}}`))
	require.NoError(t, err)
	g.quiz = q.ID
	_, err = s.Launch(q.ID, 1, 0, "gate", 0)
	require.NoError(t, err)
	return g
}

func (g *gated) set(f func(*responses.Access)) {
	g.t.Helper()
	require.NoError(g.t, g.s.Responses.SetAccess(g.quiz, f))
}

func (g *gated) visit(browser, token, query string) *Visit {
	values, err := url.ParseQuery(query)
	require.NoError(g.t, err)
	return &Visit{Slug: "gate", Token: token, Query: values, Browser: browser, Address: netip.MustParseAddr("203.0.113.7")}
}

// get opens the link; why is the page in place of the quiz, "" for none.
func (g *gated) get(browser, query string) (token, why string) {
	g.t.Helper()
	r, err := g.Get(g.visit(browser, "", query))
	require.NoError(g.t, err)
	return r.Screen.Token, r.Screen.Closed
}

// finish answers; it returns where that leads.
func (g *gated) finish(browser, token string) (string, error) {
	r, err := g.Post(g.visit(browser, token, ""), url.Values{"a": {"x"}, ".shown": {"a"}})
	if err != nil {
		return "", err
	}
	return r.To, nil
}

func TestOpeningAndClosing(t *testing.T) {
	g := newGated(t)
	g.set(func(a *responses.Access) { a.Opens, a.Closes = g.now.Add(time.Hour), g.now.Add(2*time.Hour) })
	_, why := g.get("b", "")
	require.Equal(t, responses.NotYet, why)
	g.now = g.now.Add(time.Hour)
	begun, why := g.get("b", "")
	require.Empty(t, why)
	g.now = g.now.Add(time.Hour)
	_, why = g.get("c", "")
	require.Equal(t, responses.Over, why)
	to, err := g.finish("b", begun)
	require.NoError(t, err)
	require.Contains(t, to, "/end/", "who has begun may finish")
	sign, err := g.Sign("gate")
	require.NoError(t, err)
	require.False(t, sign.Open)

	g.set(func(a *responses.Access) {
		*a = responses.Access{Paused: true, Closed: responses.Closed{Heading: "Back in spring", Text: "See *you*."}}
	})
	r, err := g.Get(g.visit("d", "", ""))
	require.NoError(t, err)
	require.Equal(t, "Back in spring", r.Screen.Title)
	require.Contains(t, string(r.Screen.Text), "<em>you</em>")
	// A reason can have a page of its own; the others stay with the common one.
	soon := responses.Closed{Heading: "Opens in May"}
	a := responses.Access{Closed: responses.Closed{Heading: "Back in spring"}, ClosedFor: map[string]responses.Closed{responses.NotYet: soon, responses.Full: {}}}
	require.Equal(t, soon, a.ClosedAs(responses.NotYet))
	require.Equal(t, "Back in spring", a.ClosedAs(responses.Over).Heading)
	require.Equal(t, "Back in spring", a.ClosedAs(responses.Full).Heading, "an empty page is none")
	g.set(func(a *responses.Access) {
		a.Paused, a.Opens = false, time.Now().Add(1000*time.Hour)
		a.ClosedFor = map[string]responses.Closed{responses.NotYet: soon}
	})
	r, err = g.Get(g.visit("d", "", ""))
	require.NoError(t, err)
	require.Equal(t, "Opens in May", r.Screen.Title)
	g.set(func(a *responses.Access) { a.Paused, a.Opens = true, time.Time{} })
	g.set(func(a *responses.Access) { a.Closed = responses.Closed{URL: "https://www.larkmoor.example/"} })
	r, err = g.Get(g.visit("d", "", ""))
	require.NoError(t, err)
	require.Equal(t, "https://www.larkmoor.example/", r.To)
}

// A cap of 10 under 50 at once takes exactly 10, whichever finish first; a finish that is sent twice takes one place.
func TestTheLastPlaceIsGivenOnce(t *testing.T) {
	g := newGated(t)
	g.set(func(a *responses.Access) { a.Cap = 10 })
	tokens := map[string]string{}
	for i := range 50 {
		browser := "b" + string(rune('A'+i))
		token, why := g.get(browser, "")
		require.Empty(t, why)
		tokens[browser] = token
	}
	var all sync.WaitGroup
	var mu sync.Mutex
	ended := 0
	for browser, token := range tokens {
		for range 2 {
			all.Go(func() {
				to, err := g.finish(browser, token)
				mu.Lock()
				defer mu.Unlock()
				if err != nil {
					t.Error(err)
				} else if strings.Contains(to, "/end/") {
					ended++
				} else if to != "/q/gate" {
					t.Error(to)
				}
			})
		}
	}
	all.Wait()
	n, err := g.s.Responses.Places(g.quiz)
	require.NoError(t, err)
	require.Equal(t, 10, n)
	require.Equal(t, 20, ended, "each of the ten is told of the ending both times")
	_, why := g.get("late", "")
	require.Equal(t, responses.Full, why)
}

// A cap that counts from now on leaves out who came before; it takes as many as it says.
func TestACapThatCountsFromNow(t *testing.T) {
	g := newGated(t)
	take := func(browser string) string {
		token, why := g.get(browser, "")
		if why == "" {
			_, err := g.finish(browser, token)
			require.NoError(t, err)
		}
		return why
	}
	for _, b := range []string{"a", "b", "c"} {
		require.Empty(t, take(b))
	}
	g.set(func(a *responses.Access) { a.Cap = 2 })
	require.Equal(t, responses.Full, take("d"), "all three count")
	g.set(func(a *responses.Access) { a.From = responses.CapFrom{After: 3} })
	require.Empty(t, take("e"))
	require.Empty(t, take("f"))
	require.Equal(t, responses.Full, take("g"))
	sign, err := g.Sign("gate")
	require.NoError(t, err)
	require.False(t, sign.Open)
}

func TestAPassphrase(t *testing.T) {
	g := newGated(t)
	hash, err := bcrypt.GenerateFromPassword([]byte("moss & fern"), bcrypt.MinCost)
	require.NoError(t, err)
	g.set(func(a *responses.Access) { a.Who, a.Passphrase = responses.WithPassphrase, hash })
	_, why := g.get("b", "")
	require.Equal(t, askPassphrase, why)
	try := func(text string) *Reply {
		r, err := g.Post(g.visit("b", "", ""), url.Values{passField: {text}})
		require.NoError(t, err)
		return r
	}
	require.Equal(t, wrongPassphrase, try("moss").Screen.Closed)
	in := try("moss & fern")
	require.Contains(t, in.To, "/q/gate?w=")
	place, err := url.Parse(in.To)
	require.NoError(t, err)
	to, err := g.finish("b", place.Query().Get("w"))
	require.NoError(t, err)
	require.Contains(t, to, "/end/")
	for range perTry.Burst {
		try("guess")
	}
	require.Equal(t, manyPassphrases, try("moss & fern").Screen.Closed, "tries are limited")
	g.now = g.now.Add(time.Minute)
	require.Contains(t, try("moss & fern").To, "/q/gate?w=")
}

// An invitation lets one person in, once: it tells how far they came, brings its columns along, and is used or revoked
// permanently.
func TestInvitations(t *testing.T) {
	g := newGated(t)
	g.set(func(a *responses.Access) { a.Who = responses.Invited })
	require.NoError(t, g.s.Responses.Invite(g.quiz, []responses.Invitation{
		{Name: "Orla", Email: "orla@fenhall.example", Params: []byte(`{"region": "west"}`)}, {Name: "Rui"},
	}, nil))
	list, err := g.s.Responses.Invitations(g.quiz)
	require.NoError(t, err)
	_, why := g.get("b", "")
	require.Equal(t, notInvited, why)
	_, why = g.get("b", "i=guess")
	require.Equal(t, notInvited, why)
	link, err := g.Invitation(g.quiz, list[0].ID)
	require.NoError(t, err)
	state := func() string {
		i, err := g.s.Responses.Invitation(g.quiz, list[0].ID)
		require.NoError(t, err)
		return i.State()
	}
	require.Equal(t, "not opened", state())
	first, why := g.get("phone", link)
	require.Empty(t, why)
	require.Equal(t, "opened", state())
	second, why := g.get("desk", link)
	require.Empty(t, why, "until it is answered it can be opened again")
	to, err := g.finish("phone", first)
	require.NoError(t, err)
	require.Contains(t, to, "/end/")
	require.Equal(t, "finished", state())
	to, err = g.finish("desk", second)
	require.NoError(t, err)
	require.True(t, strings.HasPrefix(to, "/q/gate?i="), to)
	used, err := url.Parse(to)
	require.NoError(t, err)
	_, why = g.get("desk", used.RawQuery)
	require.Equal(t, usedInvitation, why)
	r, err := g.s.Responses.Reader(g.quiz, responses.Genuine).After(responses.Cursor{}, 10)
	require.NoError(t, err)
	require.Len(t, r, 1)
	require.JSONEq(t, `{"region": "west"}`, string(r[0].Params))

	link, err = g.Invitation(g.quiz, list[1].ID)
	require.NoError(t, err)
	require.NoError(t, g.s.Responses.RevokeInvitation(g.quiz, list[1].ID))
	_, why = g.get("b", link)
	require.Equal(t, usedInvitation, why)
}

// Two versions share the traffic as asked; one browser always gets the same; who has begun stays in their version; and
// the counts are those since it began.
func TestTwoVersionsShareTheTraffic(t *testing.T) {
	g := newGated(t)
	for _, b := range []string{"before1", "before2"} {
		token, _ := g.get(b, "")
		_, err := g.finish(b, token)
		require.NoError(t, err)
	}
	midway, _ := g.get("midway", "")
	g.mu.Lock()
	g.now = g.now.Add(time.Minute)
	g.mu.Unlock()
	v, err := g.s.Launch(g.quiz, 1, 0, "gate", 0.5)
	require.NoError(t, err)
	require.Equal(t, 2, v.Number)
	_, err = g.finish("midway", midway)
	require.NoError(t, err)
	q, err := g.s.Documents.Quiz(g.quiz)
	require.NoError(t, err)
	require.Equal(t, 1, q.LiveVersion)
	versions := map[string]int{}
	of := func(token string) int {
		p, err := g.sealer.openPlace(g.quiz, token)
		require.NoError(t, err)
		return p.Version
	}
	const walks = 200
	b := 0
	for i := range walks {
		browser := "w" + strings.Repeat("x", i%7) + string(rune('A'+i))
		token, why := g.get(browser, "")
		require.Empty(t, why)
		versions[browser] = of(token)
		if of(token) == 2 {
			b++
		}
		again, _ := g.get(browser, "")
		require.Equal(t, of(token), of(again))
		to, err := g.finish(browser, token)
		require.NoError(t, err)
		require.Contains(t, to, "/end/")
	}
	require.InDelta(t, walks/2, b, 40, "about half") // six standard deviations are 42
	access, err := responses.AccessOf(q)
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		counts, err := g.s.Tallies.VersionCounts(g.quiz)
		require.NoError(t, err)
		return counts[1].Since(access.Split.Before[1]).Starts+counts[2].Since(access.Split.Before[2]).Starts == walks
	}, 10*time.Second, 50*time.Millisecond)
	counts, err := g.s.Tallies.VersionCounts(g.quiz)
	require.NoError(t, err)
	require.Equal(t, walks-b, counts[1].Since(access.Split.Before[1]).Finishes)
	require.Equal(t, b, counts[2].Since(access.Split.Before[2]).Finishes)
	require.Equal(t, walks-b+3, counts[1].Finishes, "two before, and the one midway")
	require.Equal(t, walks-b+3, counts[1].Starts)

	require.NoError(t, g.s.Responses.Recount(g.quiz))
	again, err := g.s.Tallies.VersionCounts(g.quiz)
	require.NoError(t, err)
	require.Equal(t, counts, again)

	require.ErrorIs(t, g.s.Choose(g.quiz, 7), store.ErrNoSplit)
	require.NoError(t, g.s.Choose(g.quiz, 2))
	token, _ := g.get("later", "")
	require.Equal(t, 2, of(token))
}

// Back to an earlier version: a new one with its content. Anyone who is midway finishes the version that they began.
func TestGoingBackAVersionWhileSomebodyIsMidway(t *testing.T) {
	g := newGated(t)
	_, err := g.s.Launch(g.quiz, 1, 0, "gate", 0)
	require.NoError(t, err)
	midway, _ := g.get("b", "")
	v, err := g.s.LaunchAgain(g.quiz, 1, 1)
	require.NoError(t, err)
	require.Equal(t, 3, v.Number)
	require.Equal(t, 1, v.Again)
	_, err = g.finish("b", midway)
	require.NoError(t, err)
	token, _ := g.get("c", "")
	_, err = g.finish("c", token)
	require.NoError(t, err)
	counts, err := g.s.Tallies.VersionCounts(g.quiz)
	require.NoError(t, err)
	require.Equal(t, 1, counts[2].Finishes)
	require.Equal(t, 1, counts[3].Finishes)
	_, err = g.s.LaunchAgain(g.quiz, 1, 9)
	require.ErrorIs(t, err, database.ErrNotFound)
}
