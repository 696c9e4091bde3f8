package app

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/require"

	"omphalos/app/delivery"
	"omphalos/app/store"
	"omphalos/app/store/database"
	"omphalos/app/store/people"
	"omphalos/demo"
)

// gate is the program with mail, and a clock that is moved by hand.
type gate struct {
	*testing.T
	*desk
	at time.Time
}

func newGate(t *testing.T) *gate {
	t.Helper()
	g := &gate{T: t, at: time.Now()}
	s, err := store.Open(t.TempDir(), store.Options{Now: func() time.Time { return g.at }})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	_, err = s.People.CreateOwner(demo.Owner, password)
	require.NoError(t, err)
	mail, err := delivery.Read(delivery.Flags{Server: "smtp://127.0.0.1:1", From: "hello@larkmoor.example"})
	require.NoError(t, err)
	h, err := New(s, Options{OneClick: "click", Mail: mail, Origin: "https://quiz.example", Now: func() time.Time { return g.at }})
	require.NoError(t, err)
	g.desk = &desk{TB: t, h: h, Store: s, cookie: send(h, "GET", "/demo/click", nil, nil).Result().Cookies()[0]}
	return g
}

// post sends a form; the cookie that comes back is the one to continue with, the one that was sent where none does.
func (g *gate) post(path string, cookie *http.Cookie, pairs ...string) (*httptest.ResponseRecorder, *http.Cookie) {
	form := url.Values{}
	for i := 0; i < len(pairs); i += 2 {
		form.Add(pairs[i], pairs[i+1])
	}
	w := g.ask("POST", path, form.Encode(), cookie)
	for _, c := range w.Result().Cookies() {
		cookie = c
	}
	return w, cookie
}

// link is the first address of a kind in the mails that wait.
func (g *gate) link(kind string) string {
	g.T.Helper()
	var found string
	require.Eventually(g.T, func() bool {
		list, err := g.Store.Deliveries.DueMails(50)
		require.NoError(g.T, err)
		for _, m := range list {
			if at := regexp.MustCompile(`https://quiz\.example(/` + kind + `/[A-Za-z0-9_-]+)`).FindStringSubmatch(string(m.Content)); at != nil {
				found = at[1]
			}
		}
		return found != ""
	}, 5*time.Second, 10*time.Millisecond)
	return found
}

// Whatever someone writes into Host stands in no mail: its links lead to the address that the server was told, and
// without one nothing with a link is mailed.
func TestNoMailLeadsWhereARequestSays(t *testing.T) {
	mail, err := delivery.Read(delivery.Flags{Server: "smtp://127.0.0.1:1", From: "hello@larkmoor.example"})
	require.NoError(t, err)
	for _, origin := range []string{"https://quiz.example", ""} {
		s, err := store.Open(t.TempDir())
		require.NoError(t, err)
		t.Cleanup(func() { require.NoError(t, s.Close()) })
		_, err = s.People.CreateOwner(demo.Owner, password)
		require.NoError(t, err)
		h, err := New(s, Options{OneClick: "click", Mail: mail, Origin: origin})
		require.NoError(t, err)
		cookie := send(h, "GET", "/demo/click", nil, nil).Result().Cookies()[0]
		for path, form := range map[string]url.Values{"/forgot": {"email": {demo.Owner}}, "/team/invite": {"email": {"ben@larkmoor.example"}, "role": {"editor"}}} {
			w := send(h, "POST", path, form, func(r *http.Request) {
				r.Host = "evil.example"
				r.Header.Set("X-Forwarded-Host", "evil.example")
				r.AddCookie(cookie)
			})
			require.Equal(t, http.StatusOK, w.Code, path)
		}
		mails := func() string {
			list, err := s.Deliveries.DueMails(50)
			require.NoError(t, err)
			all := ""
			for _, m := range list {
				all += string(m.Content)
			}
			return all
		}
		if origin == "" {
			time.Sleep(300 * time.Millisecond) // a reset is mailed next to its answer
			require.Empty(t, mails())
			continue
		}
		require.Eventually(t, func() bool {
			all := mails()
			return strings.Contains(all, origin+"/reset/") && strings.Contains(all, origin+"/join/")
		}, 5*time.Second, 20*time.Millisecond)
		require.NotContains(t, mails(), "evil.example")
	}
}

// Someone is invited by mail, makes an account with the rights of the invitation, and the link works once.
func TestAnInvitationMakesAnAccount(t *testing.T) {
	g := newGate(t)
	w, _ := g.post("/team/invite", g.cookie, "email", "bob@larkmoor.example", "role", "viewer")
	require.Equal(t, 200, w.Code)
	link := g.link("join")
	require.Contains(t, w.Body.String(), link, "it is shown too")
	require.Contains(t, g.ask("GET", link, "", nil).Body.String(), "bob@larkmoor.example")
	w, _ = g.post(link, nil, "password", "1234567890")
	require.Equal(t, 422, w.Code)
	w, bob := g.post(link, nil, "password", "fern wall pot 9")
	require.Equal(t, 303, w.Code)
	require.Equal(t, 200, g.ask("GET", "/", "", bob).Code)
	require.Equal(t, 403, g.ask("GET", "/team", "", bob).Code)
	w, _ = g.post(link, nil, "password", "fern wall pot 9")
	require.Equal(t, 404, w.Code)
	a, err := g.Store.People.AccountOf("bob@larkmoor.example")
	require.NoError(t, err)
	require.Equal(t, people.Viewer, a.Role)
	w, _ = g.post("/team/invite", g.cookie, "email", "bob@larkmoor.example", "role", "editor")
	require.Equal(t, 422, w.Code, "there is such an account")
	g.post("/team/invite", g.cookie, "email", "cy@larkmoor.example", "role", "editor")
	token, err := g.Store.People.InvitePerson(&people.Invite{Email: "dee@larkmoor.example", Role: people.Editor})
	require.NoError(t, err)
	g.at = g.at.Add(8 * 24 * time.Hour)
	require.Equal(t, 404, g.ask("GET", "/join/"+token, "", nil).Code, "its time is over")
}

// A forgotten password is chosen again by a mailed link; what is said does not tell whether there is such an account.
func TestAForgottenPassword(t *testing.T) {
	g := newGate(t)
	known, _ := g.post("/forgot", nil, "email", demo.Owner)
	link := g.link("reset")
	unknown, _ := g.post("/forgot", nil, "email", "eve@larkmoor.example")
	require.Equal(t, strings.ReplaceAll(known.Body.String(), demo.Owner, "X"), strings.ReplaceAll(unknown.Body.String(), "eve@larkmoor.example", "X"))
	require.Equal(t, known.Code, unknown.Code)
	w, fresh := g.post(link, nil, "password", "fern wall pot 9")
	require.Equal(t, 303, w.Code)
	require.Equal(t, 200, g.ask("GET", "/", "", fresh).Code)
	require.Equal(t, 303, g.ask("GET", "/", "", g.cookie).Code, "other sign-ins have ended")
	w, _ = g.post(link, nil, "password", "another one of those")
	require.Equal(t, 404, w.Code, "once")
	w, _ = g.post("/sign-in", nil, "email", demo.Owner, "password", "fern wall pot 9")
	require.Equal(t, 303, w.Code)
	g.post("/forgot", nil, "email", demo.Owner)
	next := g.link("reset")
	g.at = g.at.Add(2 * time.Hour)
	require.Equal(t, 404, g.ask("GET", next, "", nil).Code, "its time is over")
}

// With a second factor the password alone opens nothing; a code works once, a recovery code too, and the sign-in begins
// with a token that was not there before it.
func TestASecondFactor(t *testing.T) {
	g := newGate(t)
	w, _ := g.post("/account/factor", g.cookie)
	require.Equal(t, 422, w.Code, "it asks for the password")
	_, other := g.post("/sign-in", nil, "email", demo.Owner, "password", password)
	page, _ := g.post("/account/factor", g.cookie, "password", password)
	secret := regexp.MustCompile(`data-factorsecret>([A-Z2-7]+)<`).FindStringSubmatch(page.Body.String())[1]
	w, _ = g.post("/account/factor/confirm", g.cookie, "code", "000000")
	require.Equal(t, 422, w.Code)
	own, err := totp.GenerateCode("JBSWY3DPEHPK3PXP", g.at)
	require.NoError(t, err)
	for _, secret := range []string{"JBSWY3DPEHPK3PXP", ""} { // of anyone who has the window open
		w, _ = g.post("/account/factor/confirm", g.cookie, "secret", secret, "code", own)
		require.Equal(t, 422, w.Code, "the secret is the server's")
	}
	code := func() string {
		text, err := totp.GenerateCode(secret, g.at)
		require.NoError(t, err)
		return text
	}
	settled := code()
	w, _ = g.post("/account/factor/confirm", g.cookie, "code", settled)
	require.Equal(t, 200, w.Code)
	_, codes, _ := strings.Cut(w.Body.String(), "data-recovery")
	codes, _, _ = strings.Cut(codes, "</ul>")
	var recovery []string
	for _, one := range regexp.MustCompile(`<li>([a-z0-9]{5}-[a-z0-9]{5})</li>`).FindAllStringSubmatch(codes, -1) {
		recovery = append(recovery, one[1])
	}
	require.Len(t, recovery, 8, "each by itself")
	require.Equal(t, 303, g.ask("GET", "/", "", other).Code, "other sign-ins have ended")
	require.Equal(t, 200, g.ask("GET", "/", "", g.cookie).Code)
	mails, err := g.Store.Deliveries.DueMails(50)
	require.NoError(t, err)
	require.Contains(t, string(mails[len(mails)-1].Content), "A second factor was set up")
	_, waits := g.post("/sign-in", nil, "email", demo.Owner, "password", password)
	w, _ = g.post("/sign-in/code", waits, "code", settled)
	require.Equal(t, 422, w.Code, "the code that set it up works no second time")

	g.at = g.at.Add(time.Minute)
	w, waits = g.post("/sign-in", nil, "email", demo.Owner, "password", password)
	require.Equal(t, "/sign-in/code?next=", w.Header().Get("Location"))
	require.Equal(t, 303, g.ask("GET", "/", "", waits).Code, "the password alone opens nothing")
	w, _ = g.post("/sign-in/code", waits, "code", "123456")
	require.Equal(t, 422, w.Code)
	used := code()
	w, in := g.post("/sign-in/code", waits, "code", used)
	require.Equal(t, 303, w.Code)
	require.NotEqual(t, waits.Value, in.Value)
	require.Equal(t, 200, g.ask("GET", "/", "", in).Code)
	require.Equal(t, 303, g.ask("GET", "/", "", waits).Code, "what waited signs in to nothing")
	_, waits = g.post("/sign-in", nil, "email", demo.Owner, "password", password)
	w, _ = g.post("/sign-in/code", waits, "code", used)
	require.Equal(t, 422, w.Code, "a code works once")
	w, _ = g.post("/sign-in/code", waits, "code", " "+strings.ToUpper(recovery[0]))
	require.Equal(t, 303, w.Code)
	_, waits = g.post("/sign-in", nil, "email", demo.Owner, "password", password)
	w, _ = g.post("/sign-in/code", waits, "code", recovery[0])
	require.Equal(t, 422, w.Code, "a recovery code too")
	g.at = g.at.Add(10 * time.Minute)
	w, _ = g.post("/sign-in/code", waits, "code", code())
	require.Equal(t, "/sign-in", w.Header().Get("Location"), "it waited too long")
	for range 12 {
		g.post("/sign-in/code", waits, "code", "111111")
	}
	g.at = g.at.Add(20 * time.Minute)
	w, _ = g.post("/account/factor/drop", in, "password", "wrong", "code", code())
	require.Equal(t, 422, w.Code)
	w, _ = g.post("/account/factor/drop", in, "password", password)
	require.Equal(t, 422, w.Code, "the password alone is not enough")
	w, _ = g.post("/account/password", in, "password", password, "next", "four plants in a row", "again", "four plants in a row")
	require.Equal(t, 422, w.Code, "nor for another password")
	w, _ = g.post("/account/factor/drop", in, "password", password, "code", code())
	require.Equal(t, 303, w.Code)
}

// A new password ends the tokens of other programs where that is asked for, and says so by mail.
func TestANewPasswordAndTheTokens(t *testing.T) {
	g := newGate(t)
	a, err := g.Store.People.AccountOf(demo.Owner)
	require.NoError(t, err)
	in, now := g.cookie, password
	for i, ends := range []bool{false, true} {
		token, err := g.Store.People.AddToken(a.ID, "sheet", []string{people.ScopeRead})
		require.NoError(t, err)
		next := fmt.Sprint("four plants in a row ", i)
		form := []string{"password", now, "next", next, "again", next}
		if ends {
			form = append(form, "tokens", "yes")
		}
		var w *httptest.ResponseRecorder
		w, in = g.post("/account/password", in, form...)
		require.Equal(t, 303, w.Code)
		_, _, err = g.Store.People.TokenOf(token)
		require.Equal(t, ends, database.IsNotFound(err))
		now = next
	}
	mails, err := g.Store.Deliveries.DueMails(50)
	require.NoError(t, err)
	require.Len(t, mails, 2)
	require.Contains(t, string(mails[0].Content), "was changed")
}

// Codes cannot be tried without end.
func TestCodesAreNotGuessed(t *testing.T) {
	g := newGate(t)
	a, err := g.Store.People.AccountOf(demo.Owner)
	require.NoError(t, err)
	require.NoError(t, g.Store.People.SetFactor(a.ID, "JBSWY3DPEHPK3PXP", nil, 0))
	_, waits := g.post("/sign-in", nil, "email", demo.Owner, "password", password)
	for i := range people.MostCodes {
		w, _ := g.post("/sign-in/code", waits, "code", "000000")
		require.Equal(t, i == people.MostCodes-1, w.Code == http.StatusSeeOther, "the last one ends it")
	}
	right, err := totp.GenerateCode("JBSWY3DPEHPK3PXP", g.at)
	require.NoError(t, err)
	w, _ := g.post("/sign-in/code", waits, "code", right)
	require.Equal(t, "/sign-in", w.Header().Get("Location"), "whoever guesses begins anew")

	// From however many networks, with the password known.
	last := 0
	for i := range 30 {
		token, err := g.Store.People.StartPending(a)
		require.NoError(t, err)
		w := send(g.h, "POST", "/sign-in/code", url.Values{"code": {"000000"}}, func(r *http.Request) {
			r.RemoteAddr = fmt.Sprintf("198.51.100.%d:99", i+1)
			r.AddCookie(&http.Cookie{Name: waits.Name, Value: token})
		})
		last = w.Code
	}
	require.Equal(t, http.StatusTooManyRequests, last)
}

// Sign-ins are listed and ended one by one; a bcrypt hash of an earlier program still fits, and is made again.
func TestSignInsAreListed(t *testing.T) {
	g := newGate(t)
	_, other := g.post("/sign-in", nil, "email", demo.Owner, "password", password)
	body := g.ask("GET", "/account", "", g.cookie).Body.String()
	end := regexp.MustCompile(`/account/sessions/\w+/end`).FindAllString(body, -1)
	require.Len(t, end, 1, "not the one that looks")
	g.post(end[0], g.cookie)
	require.Equal(t, 303, g.ask("GET", "/", "", other).Code)
	require.Equal(t, 200, g.ask("GET", "/", "", g.cookie).Code)
	w, _ := g.post("/account/tokens", g.cookie, "name", "ledger", "write", "yes")
	token := regexp.MustCompile(`omp_[A-Za-z0-9_-]+`).FindString(w.Body.String())
	require.NotEmpty(t, token)
	body = g.ask("GET", "/account", "", g.cookie).Body.String()
	require.NotContains(t, body, token, "it is shown once")
	require.Contains(t, body, "never used")
}
