package engine

import (
	"encoding/json"
	"net/netip"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// world is an engine with one quiz that runs as "pages", and a clock to set.
type world struct {
	*testing.T
	*Engine
	s     *store.Store
	quiz  string
	clock time.Time
}

func newWorld(t *testing.T, parts string) *world {
	t.Helper()
	w := &world{T: t, clock: time.Date(2026, 3, 1, 23, 30, 0, 0, time.UTC)}
	now := func() time.Time { return w.clock }
	s, err := store.Open(t.TempDir(), store.Options{Now: now})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	w.s = s
	if w.Engine, err = New(s, Options{Now: now}); err != nil {
		t.Fatal(err)
	}
	q, err := s.Documents.CreateQuizText("Pages", []byte(`{"format":"omphalos-quiz/1","name":"Pages","scales":[{"id":"s"}],`+parts+`}`))
	require.NoError(t, err)
	w.quiz = q.ID
	w.launch("pages")
	return w
}

func (w *world) launch(slug string) {
	w.Helper()
	q, err := w.s.Documents.Quiz(w.quiz)
	require.NoError(w, err)
	_, err = quiz.Read(q.Document)
	require.NoError(w, err)
	_, err = w.s.Launch(w.quiz, 1, q.Revision, slug, 0)
	require.NoError(w, err)
}

// someone is a browser on its way.
type somebody struct {
	w       *world
	browser string
	at      string // token
	reply   *Reply
}

func (w *world) somebody(browser string) *somebody { return &somebody{w: w, browser: browser} }

func (p *somebody) visit(token string) *Visit {
	return &Visit{Slug: "pages", Token: token, Query: url.Values{}, Browser: p.browser, Address: netip.MustParseAddr("127.0.0.1")}
}

// open opens an address as Get does, and remembers the token of the page.
func (p *somebody) open(token string) *somebody {
	p.w.Helper()
	reply, err := p.w.Get(p.visit(token))
	require.NoError(p.w, err)
	return p.took(reply)
}

func (p *somebody) took(reply *Reply) *somebody {
	p.reply, p.at = reply, reply.Token
	if reply.Prepared == NotPrepared {
		p.at = reply.Screen.Token
	}
	if _, token, ok := strings.Cut(reply.To, "?w="); ok {
		p.at = token
	}
	return p
}

// send posts a form from the page that p is on.
func (p *somebody) send(fields string) *somebody {
	p.w.Helper()
	form, err := url.ParseQuery(fields)
	require.NoError(p.w, err)
	p.w.clock = p.w.clock.Add(time.Second)
	reply, err := p.w.Post(p.visit(p.at), form)
	require.NoError(p.w, err)
	return p.took(reply)
}

func (w *world) responses() []*responses.Response {
	w.Helper()
	var out []*responses.Response
	for r, err := range w.s.Responses.Reader(w.quiz, responses.All).All() {
		require.NoError(w, err)
		out = append(out, r)
	}
	return out
}

const two = `"questions":[{"id":"a","kind":"single","text":"A?","required":true,"choices":[{"id":"x","label":"X"},{"id":"y","label":"Y"}]},
	{"id":"b","kind":"short_text","text":"B, {a}?"}],
	"outcomes":[{"id":"lead","heading":"Lead {b}"},{"id":"none","heading":"None","keep":false}],"otherwise":"lead",
	"verdicts":[{"when":{"fact":"answer.b","op":"is","value":"no"},"outcome":"none"}]`

func TestTokensOfOneKindAreNoOther(t *testing.T) {
	key := make([]byte, 32)
	s, err := newSealer(key)
	require.NoError(t, err)
	long := &Place{ID: "walk", Version: 3, Began: 1, At: "q", Answers: map[string]walk.Answer{"q": {Text: strings.Repeat("long ", 200)}}}
	tokens := []token{long, &endToken{*long}, &resultToken{Version: 1, Outcome: "o"}, &retakeToken{Version: 1}, &tagToken{Event: "won"}}
	into := func() []token { return []token{&Place{}, &endToken{}, &resultToken{}, &retakeToken{}, &tagToken{}} }
	for i, made := range tokens {
		sealed, err := s.seal("quiz", made)
		require.NoError(t, err)
		for j, other := range into() {
			err := s.open("quiz", sealed, other)
			if i == j {
				require.NoError(t, err)
				require.Equal(t, made, other)
				continue
			}
			require.Error(t, err, "%s opened as %s", made.kind(), other.kind())
		}
		require.Error(t, s.open("another", sealed, into()[i]), "in another quiz")
		for k := range sealed {
			changed := []byte(sealed)
			changed[k] ^= 1
			require.Error(t, s.open("quiz", string(changed), into()[i]), "character %d", k)
		}
	}
	sealed, err := s.seal("quiz", long)
	require.NoError(t, err)
	require.Less(t, len(sealed), 600, "long ones are packed")
	for _, bad := range []string{"", "short", "not base64!", strings.Repeat("A", 100)} {
		_, err := s.openPlace("quiz", bad)
		require.Error(t, err)
	}
}

// Links that were given out before tokens were CBOR still open, and what they say is the same.
func TestEarlierTokensOpen(t *testing.T) {
	s, err := newSealer(make([]byte, 32))
	require.NoError(t, err)
	half := rule.MustNumber("0.1")
	place := Place{ID: "walk", Version: 3, Began: 1_700_000_000_000, At: "q", Language: "nl", Reached: 2,
		Visitor: walk.Visitor{Country: "IE"}, Params: map[string]string{"ref": "\xff"},
		Answers: map[string]walk.Answer{
			"n": {Number: &half}, "g": {Rows: map[string]string{"r": "c"}}, "p": {Picks: []string{"x", "y"}, Other: "z"},
		}}
	text, err := json.Marshal(place)
	require.NoError(t, err)
	nonce := make([]byte, s.aead.NonceSize())
	sealed := s.aead.Seal(nonce, nonce, append([]byte{flagJSON}, text...), additional("quiz", place))
	earlier, err := s.openPlace("quiz", encoding.EncodeToString(sealed))
	require.NoError(t, err)
	made, err := s.seal("quiz", place)
	require.NoError(t, err)
	now, err := s.openPlace("quiz", made)
	require.NoError(t, err)
	require.Equal(t, &place, now)
	now.Params["ref"] = "\ufffd" // as JSON has what is no UTF-8
	require.Equal(t, earlier, now)
}

// A copied address begins again for another browser, keeps where it came from, and no one loses an answer.
func TestACopiedAddressBeginsAnew(t *testing.T) {
	w := newWorld(t, two)
	ada, bram := w.somebody("ada"), w.somebody("bram")
	reply, err := w.Get(&Visit{Slug: "pages", Query: url.Values{"utm_source": {"fair"}}, Browser: "ada"})
	require.NoError(t, err)
	ada.took(reply)
	ada.send("a=x")
	copied := ada.at
	bram.open(copied)
	require.NotEqual(t, copied, bram.at)
	require.Equal(t, "A?", bram.reply.Screen.Title, "from the beginning")
	bram.send("a=y").send("b=bram")
	ada.open(copied)
	require.Equal(t, "B, X?", ada.reply.Screen.Title, "and goes on where it was")
	ada.send("b=ada")
	list := w.responses()
	require.Len(t, list, 2)
	for _, r := range list {
		require.Equal(t, "fair", r.Source)
	}
	// Who sends a form with another's place gets a place of their own; nothing of it is taken.
	carl := w.somebody("carl")
	carl.at = copied
	carl.send("b=stolen").open(carl.at)
	require.Equal(t, "A?", carl.reply.Screen.Title)
	require.Len(t, w.responses(), 2)
	// Two who begin at one copied first page are two walks; a form that is sent twice is one.
	first := w.somebody("dora").open("").at
	for _, browser := range []string{"dora", "emil", "emil"} {
		p := w.somebody(browser)
		p.at = first
		p.send("a=x").send("b=" + browser)
	}
	require.Len(t, w.responses(), 4)
	// Where cookies are blocked the address alone decides.
	none := w.somebody("").open("").send("a=x")
	require.Equal(t, "B, X?", w.somebody("").open(none.at).reply.Screen.Title)
}

// The ending of someone else's walk shows what a shared result would.
func TestACopiedEndingShowsNoAnswers(t *testing.T) {
	w := newWorld(t, two)
	ada := w.somebody("ada").open("").send("a=x").send("b=secret")
	end := strings.TrimPrefix(ada.reply.To, "/q/pages/end/")
	own, err := w.End(ada.visit(end))
	require.NoError(t, err)
	require.Equal(t, "Lead secret", own.Screen.Title)
	other, err := w.End(w.somebody("bram").visit(end))
	require.NoError(t, err)
	require.Equal(t, "Lead ", other.Screen.Title)
	share := strings.TrimPrefix(own.Screen.Share, "/q/pages/result/")
	for _, open := range []func(*Visit) (*Reply, error){w.Get, w.End} {
		reply, err := open(w.somebody("bram").visit(share))
		require.NoError(t, err)
		require.True(t, reply.Lost, "a share is no walk and no ending")
	}
	reply, err := w.Result(w.somebody("bram").visit(share))
	require.NoError(t, err)
	require.Equal(t, "Lead ", reply.Screen.Title)
}

// Back from an ending that keeps nothing, and another answer: now there is a lead, once.
func TestBackFromAnEndingThatKeepsNothing(t *testing.T) {
	w := newWorld(t, two)
	p := w.somebody("ada").open("").send("a=x")
	second := p.at
	p.send("b=no")
	require.Empty(t, w.responses())
	require.Contains(t, p.reply.To, "/end/")
	p.open(second).send("b=no") // sent twice: the same ending, and nothing more is counted
	require.Contains(t, p.reply.To, "/end/")
	p.open(second).send("b=yes")
	list := w.responses()
	require.Len(t, list, 1)
	require.Equal(t, "lead", list[0].Outcome)
	p.open(second).send("b=changed again")
	list = w.responses()
	require.Len(t, list, 1)
	require.Contains(t, string(list[0].Answers), "yes", "the first that is kept stays")
	counts, err := w.s.Tallies.QuizCounts(w.quiz, time.UTC)
	require.NoError(t, err)
	require.Equal(t, map[string]int{"lead": 1, "none": 0}, counts.Outcomes)
}

// Anyone who finishes a kept walk again ends where it ended, and is not asked for their contact a second time.
func TestAKeptWalkEndsWhereItEnded(t *testing.T) {
	w := newWorld(t, two+`,"contact":{"place":"after_outcome","fields":[{"id":"email","kind":"email","label":"E-mail"}]}`)
	p := w.somebody("ada").open("").send("a=x")
	second := p.at
	p.send("b=first")
	require.Contains(t, p.reply.To, "?w=", "the contact step")
	p.open(second).send("b=second")
	require.Contains(t, p.reply.To, "/end/")
	end, err := w.End(p.visit(strings.TrimPrefix(p.reply.To, "/q/pages/end/")))
	require.NoError(t, err)
	require.Equal(t, "Lead first", end.Screen.Title)
}

// A redirect is looked up in a table; a key that is not there goes to the fallback, and the owner is told.
func TestAKeyThatATableLacks(t *testing.T) {
	w := newWorld(t, `"questions":[{"id":"a","kind":"single","text":"A?","choices":[{"id":"x","label":"X"},{"id":"y","label":"Y"}]}],
		"outcomes":[{"id":"o","ending":{"kind":"redirect","lookup":{"table":"shops","key":"a","column":"link","fallback":"https://fallback.example/{a.id}"}}}],"otherwise":"o"`)
	require.NoError(t, w.s.Documents.SaveTable(w.quiz, 1, 0, &documents.Table{Name: "shops", Columns: []string{"key", "link"},
		Rows: [][]string{{"x", "https://shop.example/"}}}))
	for answer, to := range map[string]string{"x": "https://shop.example/", "y": "https://fallback.example/y"} {
		require.Equal(t, to, w.somebody(answer).open("").send("a="+answer).reply.To)
	}
	misses, err := w.s.Documents.Misses(w.quiz)
	require.NoError(t, err)
	require.Len(t, misses, 1)
	require.Equal(t, "y", misses[0].Key)
}

// What a launch, a table and a deletion change is seen by the next respondent; who is midway continues in what they
// began.
func TestNothingStaleRunsOn(t *testing.T) {
	w := newWorld(t, `"questions":[{"id":"p","kind":"single","text":"Where?","choices_from":{"table":"places","label":"name"}},{"id":"z","kind":"statement","text":"Z"}],
		"outcomes":[{"id":"o"}],"otherwise":"o"`)
	table := func(base int, name string) {
		require.NoError(t, w.s.Documents.SaveTable(w.quiz, 1, base, &documents.Table{Name: "places", Columns: []string{"key", "name"}, Rows: [][]string{{"c", name}}}))
	}
	label := func() string { return w.somebody("").open("").reply.Screen.Blocks[0].Inputs[0].Label }
	table(0, "Cologne")
	require.Equal(t, "Cologne", label())
	p := w.somebody("ada").open("").send("p=c")
	table(1, "Köln")
	require.Equal(t, "Köln", label())
	p.send("")
	list := w.responses()
	require.Len(t, list, 1)
	a, err := w.s.Responses.Answered(list[0])
	require.NoError(t, err)
	require.Equal(t, "Köln", a.Doc.Questions[0].Choices[0].Label, "as it was called when they finished")
	table(2, "Colonia")
	a, err = w.s.Responses.Answered(list[0])
	require.NoError(t, err)
	require.Equal(t, "Köln", a.Doc.Questions[0].Choices[0].Label)

	midway := w.somebody("bram").open("").send("p=c")
	rename(t, w, "Z two")
	w.launch("pages")
	require.Equal(t, 2, w.somebody("").open("").reply.Screen.S.Number)
	require.Equal(t, 1, midway.open(midway.at).reply.Source.Number)
	require.NoError(t, w.s.Documents.DeleteQuiz(w.quiz))
	_, err = w.Get(w.somebody("").visit(""))
	require.ErrorIs(t, err, database.ErrNotFound)
}

func rename(t *testing.T, w *world, text string) {
	t.Helper()
	q, err := w.s.Documents.Quiz(w.quiz)
	require.NoError(t, err)
	edited, err := quiz.Edit(q.Document, quiz.Patch{quiz.Add("/questions/1/text", text)})
	require.NoError(t, err)
	require.NoError(t, w.s.Documents.Swap(q.Revision, &documents.Next{Name: q.Name, Document: edited.Text,
		Revision: documents.Revision{QuizID: q.ID, Number: q.Revision + 1, EditID: "x", AccountID: 1, At: w.clock}, History: documents.History{QuizID: q.ID, AccountID: 1}}))
}

// Views, starts and steps are counted once each, and not for those who only look ahead.
func TestTheWayIsCounted(t *testing.T) {
	w := newWorld(t, two)
	p := w.somebody("ada").open("")
	second := p.send("a=x").at
	p.open(second).send("b=")
	back := &Visit{Slug: "pages", Token: second, Query: url.Values{}, Browser: "ada", Back: true}
	reply, err := w.Get(back)
	require.NoError(t, err)
	p.took(reply).send("a=y")
	quiet := w.somebody("").visit("")
	quiet.Quiet = true
	_, err = w.Get(quiet)
	require.NoError(t, err)
	other, err := w.s.Documents.CreateQuiz(quiz.New("Other"))
	require.NoError(t, err)
	_, err = w.s.Responses.Submit(responses.Submission{Response: &responses.Response{ID: "flush", QuizID: other.ID, At: w.clock}}) // takes the events along
	require.NoError(t, err)
	counts, err := w.s.Tallies.QuizCounts(w.quiz, time.UTC)
	require.NoError(t, err)
	require.Equal(t, []int{1, 1, 1}, []int{counts.Views, counts.Starts, counts.Finishes})
	steps, err := w.s.Tallies.StageCounts(w.quiz, tallies.StageStep)
	require.NoError(t, err)
	require.Equal(t, map[string]int{"a": 1, "b": 1}, steps)
}

// Days are those of the quiz's time zone, for today as for tallies.
func TestDaysAreTheQuizs(t *testing.T) {
	w := newWorld(t, `"settings":{"time_zone":"Pacific/Auckland"},"questions":[{"id":"q","kind":"statement","text":"Q"}],
		"outcomes":[{"id":"o"},{"id":"old"}],"otherwise":"old","verdicts":[{"when":{"fact":"today","op":"is","value":"2026-03-02"},"outcome":"o"}]`)
	w.somebody("").open("").send("") // half past eleven at night in London, the next day in Auckland
	list := w.responses()
	require.Equal(t, "o", list[0].Outcome)
	require.Equal(t, "2026-03-02", list[0].Day)
}

// Texts are bounded by characters, and what is too long is given back to be shortened.
func TestLengthsAreCharacters(t *testing.T) {
	require.Equal(t, strings.Repeat("é", 200), clip(strings.Repeat("é", 300)))
	require.Equal(t, "🌿", clip("🌿"))
	w := newWorld(t, `"questions":[{"id":"q","kind":"short_text","text":"Q"}],"outcomes":[{"id":"o"}],"otherwise":"o"`)
	p := w.somebody("").open("").send("q=" + url.QueryEscape(strings.Repeat("é", 501)))
	p.open(p.at)
	require.Equal(t, "characters", p.reply.Screen.Error.Code)
	require.Equal(t, strings.Repeat("é", 501), p.reply.Screen.Blocks[0].Inputs[0].Value)
	p.send("q=" + url.QueryEscape(strings.Repeat("é", 500)))
	var answers map[string]walk.Answer
	require.NoError(t, json.Unmarshal(w.responses()[0].Answers, &answers))
	require.Len(t, []rune(answers["q"].Text), 500)
}

// Speed is told by the millisecond: anyone who is just it was answered faster than anyone could read is set aside.
func TestSpeedIsToldByTheMillisecond(t *testing.T) {
	w := newWorld(t, two)
	for took, aside := range map[time.Duration]bool{2 * leastPerQuestion: false, 2*leastPerQuestion - time.Millisecond: true} {
		began := w.clock.UnixMilli()
		token, err := w.sealer.seal(w.quiz, &Place{ID: took.String(), Version: 1, Began: began, At: "b", Answers: map[string]walk.Answer{"a": {Picks: []string{"x"}}}})
		require.NoError(t, err)
		w.clock = w.clock.Add(took)
		v := w.somebody("").visit(token)
		v.Address = netip.MustParseAddr("192.0.2.7")
		_, err = w.Post(v, url.Values{"b": {"words"}})
		require.NoError(t, err)
		r, err := w.s.Responses.Response(took.String())
		require.NoError(t, err)
		require.Equal(t, aside, r.Suspect != "", took)
	}
}
