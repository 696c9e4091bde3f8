package api_test

import (
	"bytes"
	"encoding/json"
	"flag"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"os/exec"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app"
	"omphalos/app/api"
	"omphalos/app/route"
	"omphalos/app/store"
	"omphalos/app/store/database"
	"omphalos/app/store/people"
	"omphalos/app/store/responses"
	"omphalos/demo/demotest"
)

// client speaks to the whole program with a token.
type client struct {
	*testing.T
	store *store.Store
	url   string
	token string
}

func newClient(t *testing.T) *client {
	t.Helper()
	dir := t.TempDir()
	demotest.Fill(t, dir)
	s, err := store.Open(dir)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	server := httptest.NewUnstartedServer(nil)
	origin := "http://" + server.Listener.Addr().String()
	server.Config.Handler, err = app.New(s, app.Options{Origin: origin})
	require.NoError(t, err)
	server.Start()
	t.Cleanup(server.Close)
	c := &client{T: t, store: s, url: origin + api.Base}
	c.token = c.as(people.Owner, people.ScopeRead, people.ScopeWrite)
	return c
}

// as is a token of a new account with a role.
func (c *client) as(role string, scopes ...string) string {
	c.Helper()
	a := &people.Account{Email: database.NewID() + "@larkmoor.example", Role: role}
	require.NoError(c, c.store.People.MakeAccount(a, nil))
	token, err := c.store.People.AddToken(a.ID, "test", scopes)
	require.NoError(c, err)
	return token
}

type reply struct {
	status int
	head   http.Header
	body   map[string]any
	text   string
}

// ask sends a request; head are names and values in turn.
func (c *client) ask(method, path, body string, head ...string) reply {
	c.Helper()
	r, err := http.NewRequest(method, c.url+path, strings.NewReader(body))
	require.NoError(c, err)
	r.Header.Set("Authorization", "Bearer "+c.token)
	if body != "" {
		r.Header.Set("Content-Type", "application/json")
	}
	for i := 0; i < len(head); i += 2 {
		r.Header.Set(head[i], head[i+1])
	}
	w, err := http.DefaultClient.Do(r)
	require.NoError(c, err)
	defer w.Body.Close()
	var b bytes.Buffer
	_, err = b.ReadFrom(w.Body)
	require.NoError(c, err)
	out := reply{status: w.StatusCode, head: w.Header, text: b.String()}
	_ = json.Unmarshal(b.Bytes(), &out.body) // what is no object is read as text
	return out
}

const small = `{"format":"omphalos-quiz/1","name":"Small","questions":[{"id":"q","kind":"single","required":true,"text":"Which?",
	"choices":[{"id":"a","label":"A"},{"id":"b","label":"B"}]}],"outcomes":[{"id":"one","heading":"One"},{"id":"two","heading":"Two"}],
	"verdicts":[{"when":{"fact":"answer.q","op":"is","value":"a"},"outcome":"one"}],"otherwise":"two"}`

// make makes a quiz and returns its id.
func (c *client) make(document string) string {
	c.Helper()
	r := c.ask("POST", "/quizzes", document)
	require.Equal(c, 201, r.status, r.text)
	return r.body["id"].(string)
}

// pointers are the places of a problem's faults.
func (r reply) pointers() []string {
	var out []string
	list, _ := r.body["errors"].([]any)
	for _, e := range list {
		out = append(out, e.(map[string]any)["pointer"].(string))
	}
	return out
}

// The whole way from a document to a response, with what each address answers.
func TestTheWholeWay(t *testing.T) {
	c := newClient(t)
	id := c.make(small)
	d := c.ask("GET", "/quizzes/"+id+"/draft", "")
	require.Equal(t, 200, d.status)
	etag := d.head.Get("ETag")
	patch := `[{"op":"replace","path":"/name","value":"Renamed"}]`
	d = c.ask("PATCH", "/quizzes/"+id+"/draft", patch, "If-Match", etag, "Content-Type", "application/json-patch+json")
	require.Equal(t, 200, d.status, d.text)
	require.Equal(t, "Renamed", d.body["name"])
	require.NotEqual(t, etag, d.head.Get("ETag"))
	require.Equal(t, 412, c.ask("PATCH", "/quizzes/"+id+"/draft", patch, "If-Match", etag).status)
	require.Equal(t, 428, c.ask("PATCH", "/quizzes/"+id+"/draft", patch).status)
	checked := c.ask("POST", "/quizzes/"+id+"/check", "")
	require.Equal(t, 200, checked.status)
	require.Equal(t, true, checked.body["exact"])
	require.InDelta(t, 0.5, checked.body["outcomes"].([]any)[0].(map[string]any)["share"], 1e-9)
	launched := c.ask("POST", "/quizzes/"+id+"/launch", `{"slug":"small"}`)
	require.Equal(t, 200, launched.status, launched.text)
	require.EqualValues(t, 1, launched.body["version"])
	page, err := http.Get(launched.body["url"].(string))
	require.NoError(t, err)
	page.Body.Close()
	require.Equal(t, 200, page.StatusCode)
	versions := c.ask("GET", "/quizzes/"+id+"/versions", "").body["items"].([]any)
	require.Equal(t, true, versions[0].(map[string]any)["live"])

	wall, err := c.store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	seen, cursor := map[string]bool{}, ""
	last := ""
	for {
		r := c.ask("GET", "/quizzes/"+wall.ID+"/responses?limit=70&cursor="+cursor, "")
		require.Equal(t, 200, r.status, r.text)
		for _, item := range r.body["items"].([]any) {
			one := item.(map[string]any)
			require.False(t, seen[one["id"].(string)])
			require.GreaterOrEqual(t, one["at"].(string), last, "the oldest first")
			seen[one["id"].(string)], last = true, one["at"].(string)
		}
		if cursor = r.body["next"].(string); cursor == "" {
			break
		}
	}
	n, err := c.store.Responses.Reader(wall.ID, responses.Genuine).Count()
	require.NoError(t, err)
	require.Len(t, seen, n)
	newest := c.ask("GET", "/quizzes/"+wall.ID+"/responses?since="+last, "").body["items"].([]any)
	require.Len(t, newest, 1)
	response := newest[0].(map[string]any)["id"].(string)
	require.Equal(t, newest[0], any(c.ask("GET", "/responses/"+response, "").body))
	deal := c.ask("PUT", "/responses/"+response+"/deal", `{"state":"won","amount":"12400","currency":"EUR"}`)
	require.Equal(t, 200, deal.status, deal.text)
	stored, err := c.store.Responses.DealOf(response)
	require.NoError(t, err)
	require.Equal(t, "12400", stored.Amount)
	require.Equal(t, 422, c.ask("PUT", "/responses/"+response+"/deal", `{"state":"won","amount":"much"}`).status)
	results := c.ask("GET", "/quizzes/"+wall.ID+"/results", "")
	sum := 0.0
	for _, o := range results.body["outcomes"].([]any) {
		sum += o.(map[string]any)["count"].(float64)
	}
	require.Equal(t, results.body["responses"], sum)
	require.Greater(t, int(sum), n, "those of whom nothing is kept are counted too")
}

// Faults come with their places, as the rooms refuse them.
func TestFaultsHavePlaces(t *testing.T) {
	c := newClient(t)
	r := c.ask(
		"POST",
		"/quizzes",
		`{"format":"omphalos-quiz/1","name":"X","surprise":1,"questions":[],"outcomes":[],"otherwise":"x"}`,
	)
	require.Equal(t, 422, r.status)
	require.Equal(t, "application/problem+json", r.head.Get("Content-Type"))
	require.Contains(t, r.pointers(), "/surprise")
	id := c.make(small)
	etag := c.ask("GET", "/quizzes/"+id+"/draft", "").head.Get("ETag")
	unsafe := `[{"op":"add","path":"/outcomes/0/ending","value":{"kind":"redirect","url":"javascript:alert(1)"}}]`
	r = c.ask("PATCH", "/quizzes/"+id+"/draft", unsafe, "If-Match", etag)
	require.Equal(t, 422, r.status)
	require.Equal(t, []string{"/outcomes/0/ending/url"}, r.pointers())
	r = c.ask(
		"PATCH",
		"/quizzes/"+id+"/draft",
		`[{"op":"replace","path":"/questions/9/text","value":"?"}]`,
		"If-Match",
		etag,
	)
	require.Equal(t, 422, r.status, r.text)
	require.Equal(t, 422, c.ask("PATCH", "/quizzes/"+id+"/draft", `{`, "If-Match", etag).status)
	r = c.ask("POST", "/quizzes/"+id+"/launch", `{"slug":"Not a link"}`)
	require.Equal(t, 422, r.status)
	r = c.ask("POST", "/quizzes/"+id+"/launch", `{"slug":5}`)
	require.Equal(t, []string{"/slug"}, r.pointers())
	require.Equal(t, 404, c.ask("GET", "/quizzes/none/draft", "").status)
	require.Equal(t, "application/problem+json", c.ask("GET", "/nowhere", "").head.Get("Content-Type"))
	require.Equal(t, 405, c.ask("DELETE", "/quizzes", "").status)
	require.Equal(t, 422, c.ask("GET", "/quizzes?limit=0", "").status)
	r = c.ask("POST", "/hooks", `{"url":"https://x.example","events":["no.event"],"quiz":"`+id+`"}`)
	require.Equal(t, []string{"/events/0"}, r.pointers())
	require.Equal(t, 413, c.ask("POST", "/hooks", strings.Repeat("x", 70<<10)).status)
}

// A token has scopes, its account has a role, and what neither allows is refused before it is looked at.
func TestWhoMayDoWhat(t *testing.T) {
	c := newClient(t)
	id := c.make(small)
	owner := c.token
	for _, bad := range []string{"", "omp_nothing", owner + "x"} {
		c.token = bad
		r := c.ask("GET", "/quizzes", "")
		require.Equal(t, 401, r.status)
		require.Contains(t, r.head.Get("WWW-Authenticate"), "Bearer")
	}
	reader, viewer := c.as(people.Owner, people.ScopeRead), c.as(people.Viewer, people.ScopeRead, people.ScopeWrite)
	asked := 0
	for address, rule := range route.Table {
		method, pattern, _ := strings.Cut(address, " ")
		path, of := strings.CutPrefix(pattern, api.Base)
		if !of || rule.Right == route.Open {
			continue
		}
		path = regexp.MustCompile(`:\w+`).ReplaceAllString(path, id)
		for _, token := range []string{reader, viewer} {
			c.token = token
			r := c.ask(method, path, "")
			require.Equal(t, rule.Right != route.See, r.status == 403, "%s: %d", address, r.status)
			if asked++; token == reader && r.status == 403 {
				require.Contains(t, r.head.Get("WWW-Authenticate"), "insufficient_scope")
			}
		}
	}
	require.Equal(t, 40, asked)
	c.token = owner
	list, err := c.store.People.Accounts()
	require.NoError(t, err)
	require.NoError(t, c.store.People.DropAccount(list[len(list)-1].ID))
	c.token = viewer
	require.Equal(t, 401, c.ask("GET", "/quizzes", "").status, "a token goes with its account")
}

// A write of one key is made once, also when it is sent by many at once; another request of the key is refused.
func TestAKeyMakesOneQuiz(t *testing.T) {
	c := newClient(t)
	before, err := c.store.Documents.Quizzes()
	require.NoError(t, err)
	ids, mu := map[string]bool{}, sync.Mutex{}
	var all sync.WaitGroup
	for range 12 {
		all.Go(func() {
			for {
				r := c.ask("POST", "/quizzes", small, "Idempotency-Key", "one")
				if r.status == 409 { // the first is being answered
					time.Sleep(20 * time.Millisecond)
					continue
				}
				mu.Lock()
				defer mu.Unlock()
				ids[r.body["id"].(string)] = true
				return
			}
		})
	}
	all.Wait()
	require.Len(t, ids, 1)
	after, err := c.store.Documents.Quizzes()
	require.NoError(t, err)
	require.Len(t, after, len(before)+1)
	r := c.ask("POST", "/quizzes", small, "Idempotency-Key", "one")
	require.Equal(t, 201, r.status)
	require.Equal(t, "true", r.head.Get("Idempotent-Replayed"))
	require.Equal(
		t,
		422,
		c.ask("POST", "/quizzes", strings.Replace(small, "Small", "Other", 1), "Idempotency-Key", "one").status,
	)
}

// Rows are changed one by one, by many at once, and none is lost; a whole table needs its ETag.
func TestTablesByRows(t *testing.T) {
	c := newClient(t)
	id := c.make(small)
	at := "/quizzes/" + id + "/tables/regions"
	require.Equal(t, 404, c.ask("GET", at, "").status)
	r := c.ask("PUT", at, `{"columns":["region","url"],"rows":[{"region":"north","url":"https://n.example/"}]}`)
	require.Equal(t, 200, r.status, r.text)
	require.Equal(t, 428, c.ask("PUT", at, `{"columns":["region"],"rows":[]}`).status)
	require.Equal(t, 412, c.ask("PUT", at, `{"columns":["region"],"rows":[]}`, "If-Match", `"99"`).status)
	require.Equal(
		t,
		[]string{"/rows/0/uri"},
		c.ask("PUT", at, `{"columns":["region"],"rows":[{"region":"x","uri":"y"}]}`, "If-Match", r.head.Get("ETag")).
			pointers(),
	)
	var all sync.WaitGroup
	for _, key := range []string{"a", "b", "c", "d"} {
		all.Go(func() {
			for c.ask("PUT", at+"/rows/"+key, `{"url":"https://`+key+`.example/"}`).status == 409 {
			}
		})
	}
	all.Wait()
	r = c.ask("GET", at, "")
	require.Len(t, r.body["rows"], 5)
	require.Equal(t, 422, c.ask("PATCH", at+"/rows/a", `{"url":"javascript:x"}`).status)
	require.Equal(t, 404, c.ask("PATCH", at+"/rows/nowhere", `{"url":"https://x.example/"}`).status)
	for _, key := range []string{"a/b c", "50% + more?", "../..", "\"q\"#"} {
		row := at + "/rows/" + url.PathEscape(key)
		require.Equal(t, 200, c.ask("PUT", row, `{"url":"https://first.example/"}`).status, key)
		r = c.ask("PATCH", row, `{"url":"https://x.example/"}`)
		require.Contains(t, r.body["rows"], map[string]any{"region": key, "url": "https://x.example/"})
		r = c.ask("PUT", row, `{}`)
		require.Contains(t, r.body["rows"], map[string]any{"region": key, "url": ""}, "replaced whole")
		require.Equal(t, 204, c.ask("DELETE", row, "").status, key)
	}
	require.Equal(t, []string{"/uri"}, c.ask("PATCH", at+"/rows/a", `{"uri":"x"}`).pointers())
	require.Equal(t, 204, c.ask("DELETE", at+"/rows/a", "").status)
	require.Equal(t, 404, c.ask("DELETE", at+"/rows/a", "").status)
	r = c.ask("PUT", at, `{"columns":["region"],"rows":[]}`, "If-Match", c.ask("GET", at, "").head.Get("ETag"))
	require.Equal(t, 200, r.status, r.text)
}

// A running quiz gets another link without a new version; the one before leads on.
func TestTheLinkOfARunningQuiz(t *testing.T) {
	c := newClient(t)
	id := c.make(small)
	at := "/quizzes/" + id + "/link"
	require.Equal(t, 409, c.ask("PUT", at, `{"slug":"small"}`).status, "it does not run")
	require.Equal(t, 200, c.ask("POST", "/quizzes/"+id+"/launch", `{"slug":"small","anyway":true}`).status)
	r := c.ask("PUT", at, `{"slug":"smaller"}`)
	require.Equal(t, 200, r.status, r.text)
	require.True(t, strings.HasSuffix(r.body["url"].(string), "/q/smaller"))
	q, err := c.store.Documents.Quiz(id)
	require.NoError(t, err)
	require.Equal(t, "smaller", *q.Slug)
	require.Equal(t, 1, q.LiveVersion)
	require.Equal(t, 409, c.ask("PUT", at, `{"slug":"living-wall"}`).status, "another quiz has it")
	require.Equal(t, 422, c.ask("PUT", at, `{"slug":"Not A Link"}`).status)
	require.Equal(t, 404, c.ask("PUT", "/quizzes/none/link", `{"slug":"x"}`).status)
	other := c.make(small)
	require.Equal(t, 200, c.ask("POST", "/quizzes/"+other+"/launch", `{"slug":"other","anyway":true}`).status)
	require.Equal(t, 409, c.ask("PUT", "/quizzes/"+other+"/link", `{"slug":"small"}`).status, "an earlier link too")
	require.Equal(t, 200, c.ask("PUT", at, `{"slug":"small"}`).status, "its own earlier one comes back")
}

// A response says all that is kept of it; what is not known is null, and lists are lists.
func TestAResponseIsWhole(t *testing.T) {
	c := newClient(t)
	q, err := c.store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	deals, agreed := 0, 0
	for r, err := range c.store.Responses.Reader(q.ID, responses.Genuine).All() {
		require.NoError(t, err)
		if deals > 0 && agreed > 0 {
			break
		}
		deal, err := c.store.Responses.DealOf(r.ID)
		require.NoError(t, err)
		got := c.ask("GET", "/responses/"+r.ID, "")
		require.Equal(t, 200, got.status)
		require.Equal(t, []any{}, got.body["settled"])
		require.Contains(t, []any{"phone", "tablet", "computer", ""}, got.body["device"])
		require.EqualValues(t, int(r.At.Sub(r.StartedAt).Seconds()), got.body["seconds"])
		require.Equal(t, r.Country, got.body["country"])
		require.Equal(t, deal.State != "", got.body["deal"] != nil)
		require.Equal(t, r.Consent != "", got.body["consent"] != nil)
		if deal.State != "" {
			require.Equal(t, deal.State, got.body["deal"].(map[string]any)["state"])
			deals++
		}
		if r.Consent != "" {
			require.Equal(t, r.Consent, got.body["consent"].(map[string]any)["text"])
			agreed++
		}
	}
	require.Positive(t, deals)
	require.Positive(t, agreed)
}

// Hooks show their secret once.
func TestHooksByTheAPI(t *testing.T) {
	c := newClient(t)
	id := c.make(small)
	r := c.ask(
		"POST",
		"/hooks",
		`{"url":"https://hooks.larkmoor.example/q","events":["response.finished"],"quiz":"`+id+`"}`,
	)
	require.Equal(t, 201, r.status, r.text)
	require.Regexp(t, "^whsec_", r.body["secret"])
	list := c.ask("GET", "/hooks?quiz="+id, "")
	require.Len(t, list.body["items"], 1)
	require.NotContains(t, list.text, "whsec_")
	require.Equal(t, 204, c.ask("DELETE", "/hooks/"+r.body["id"].(string), "").status)
	require.Equal(t, 404, c.ask("DELETE", "/hooks/"+r.body["id"].(string), "").status)

	with := func(when string) reply {
		return c.ask("POST", "/hooks", `{"url":"https://hooks.larkmoor.example/q","events":["response.lead"],"quiz":"`+id+`","labels":true,"when":`+when+`}`)
	}
	made := with(`{"fact":"outcome","op":"is","value":"one"}`)
	require.Equal(t, 201, made.status, made.text)
	list = c.ask("GET", "/hooks?quiz="+id, "")
	item := list.body["items"].([]any)[0].(map[string]any)
	require.Equal(t, true, item["labels"])
	require.Equal(t, map[string]any{"fact": "outcome", "op": "is", "value": "one"}, item["when"])
	require.Equal(t, []string{"/when/fact"}, with(`{"fact":"answer.gone","op":"is","value":"one"}`).pointers())
	require.Equal(t, []string{"/when/all/1/op"}, with(`{"all":[{"fact":"outcome","op":"is","value":"one"},{"fact":"outcome","op":"maybe"}]}`).pointers())
	require.Equal(t, []string{"/when"}, with(`7`).pointers())
}

// Answers say how much may still be asked, and refuse more.
func TestAsksAreCounted(t *testing.T) {
	c := newClient(t)
	r := c.ask("GET", "/quizzes", "")
	require.Equal(t, `"token";q=600;w=60`, r.head.Get("RateLimit-Policy"))
	require.Regexp(t, `^"token";r=599;t=\d+$`, r.head.Get("RateLimit"))
	for r.status == 200 {
		r = c.ask("GET", "/quizzes?limit=1", "")
	}
	require.Equal(t, 429, r.status)
	require.NotEmpty(t, r.head.Get("Retry-After"))
}

// The worked example of the documentation runs as it stands there.
func TestTheExampleRuns(t *testing.T) {
	if _, err := exec.LookPath("curl"); err != nil {
		t.Fatal("curl is missing: run make test, which installs it")
	}
	c := newClient(t)
	text, err := os.ReadFile("../../docs/api.md")
	require.NoError(t, err)
	script := "set -eu\n"
	for _, block := range regexp.MustCompile("(?s)```sh\n(.*?)```").FindAllStringSubmatch(string(text), -1) {
		script += block[1] + "\n"
	}
	run := exec.Command("bash", "-c", script)
	run.Dir = t.TempDir()
	run.Env = append(os.Environ(), "BASE="+c.url, "TOKEN="+c.token)
	out, err := run.CombinedOutput()
	require.NoError(t, err, "%s", out)
	q, err := c.store.Documents.QuizBySlug("which-pot")
	require.NoError(t, err)
	require.Equal(t, 1, q.LiveVersion)
	require.Contains(t, string(q.Document), "How tall will the plant be?")
	tables, err := c.store.Documents.Tables(q.ID)
	require.NoError(t, err)
	require.Len(t, tables[0].Rows, 2)
}

var update = flag.Bool("update", false, "write docs/openapi.json anew")

// The description that is shipped is the one that the program gives, whatever its address is.
func TestTheDescriptionIsCurrent(t *testing.T) {
	c := newClient(t)
	got := strings.ReplaceAll(c.ask("GET", "/openapi.json", "").text, strings.TrimSuffix(c.url, api.Base), "")
	const file = "../../docs/openapi.json"
	if *update {
		require.NoError(t, os.WriteFile(file, []byte(got), 0o644))
	}
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	require.Equal(t, string(text), got, "go test ./app/api -update writes it; make client makes the client from it")
	for _, route := range []string{"/quizzes", "/quizzes/{id}/draft", "/responses/{id}/deal", "/hooks"} {
		require.Contains(t, got, `"`+route+`"`)
	}
	require.Equal(t, 200, c.ask("GET", "/", "").status)
}

// A client that oapi-codegen made from the description makes, launches and reads a quiz.
func TestAGeneratedClient(t *testing.T) {
	c := newClient(t)
	wall, err := c.store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	run := exec.Command("go", "run", ".")
	run.Dir = "testdata/client"
	run.Env = append(os.Environ(), "BASE="+c.url, "TOKEN="+c.token, "QUIZ="+wall.ID)
	out, err := run.CombinedOutput()
	require.NoError(t, err, "%s", out)
	require.Regexp(t, ` 1 2 100\n$`, string(out))
	q, err := c.store.Documents.QuizBySlug("generated")
	require.NoError(t, err)
	require.Equal(t, "By a generated client", q.Name)
}
