package app

import (
	"crypto/rand"
	"crypto/rsa"
	"encoding/json"
	"html"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"testing"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/stretchr/testify/require"

	"omphalos/app/account"
	"omphalos/demo"
)

// provider is an OpenID Connect provider that says of everyone what it is told to.
type provider struct {
	*httptest.Server
	key    *rsa.PrivateKey
	nonce  string
	claims map[string]any
	form   url.Values // of the last exchange of a code
}

func newProvider(t *testing.T) *provider {
	t.Helper()
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	require.NoError(t, err)
	p := &provider{key: key}
	answer := func(w http.ResponseWriter, v any) {
		w.Header().Set("Content-Type", "application/json")
		require.NoError(t, json.NewEncoder(w).Encode(v))
	}
	mux := http.NewServeMux()
	mux.HandleFunc("/.well-known/openid-configuration", func(w http.ResponseWriter, _ *http.Request) {
		answer(w, map[string]any{
			"issuer": p.URL, "authorization_endpoint": p.URL + "/authorize", "token_endpoint": p.URL + "/token", "jwks_uri": p.URL + "/keys",
			"id_token_signing_alg_values_supported": []string{"RS256"},
		})
	})
	mux.HandleFunc("/keys", func(w http.ResponseWriter, _ *http.Request) {
		answer(w, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{{Key: &key.PublicKey, KeyID: "k", Algorithm: "RS256", Use: "sig"}}})
	})
	mux.HandleFunc("/token", func(w http.ResponseWriter, r *http.Request) {
		require.NoError(t, r.ParseForm())
		p.form = r.Form
		claims := map[string]any{
			"iss": p.URL, "aud": "omphalos", "sub": "ada-1", "exp": time.Now().Add(time.Hour).Unix(), "iat": time.Now().Unix(),
			"nonce": p.nonce, "email": demo.Owner, "email_verified": true,
		}
		for name, v := range p.claims {
			claims[name] = v
		}
		text, err := json.Marshal(claims)
		require.NoError(t, err)
		signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.RS256, Key: jose.JSONWebKey{Key: key, KeyID: "k"}}, nil)
		require.NoError(t, err)
		signed, err := signer.Sign(text)
		require.NoError(t, err)
		id, err := signed.CompactSerialize()
		require.NoError(t, err)
		answer(w, map[string]any{"access_token": "a", "token_type": "Bearer", "id_token": id})
	})
	p.Server = httptest.NewServer(mux)
	t.Cleanup(p.Close)
	return p
}

// Someone with an account signs in elsewhere, by the code flow with PKCE; a state, nonce, key, address or person that
// is another one signs in no one.
func TestSigningInElsewhere(t *testing.T) {
	p := newProvider(t)
	d := newDesk(t, false)
	h, err := New(d.Store, Options{Origin: "https://quiz.example", OIDC: &account.Provider{Name: "Larkmoor", Issuer: p.URL, ID: "omphalos", Secret: "s"}})
	require.NoError(t, err)
	require.Contains(t, send(h, "GET", "/sign-in", nil, nil).Body.String(), "Sign in with Larkmoor")
	try := func(claims map[string]any, change func(back url.Values, p *provider)) *httptest.ResponseRecorder {
		t.Helper()
		page := send(h, "POST", "/sign-in/with", nil, nil)
		cookie := page.Result().Cookies()[0]
		at := hrefOf(t, page.Body.String(), p.URL)
		require.Equal(t, "S256", at.Query().Get("code_challenge_method"))
		require.Equal(t, "https://quiz.example/sign-in/with/back", at.Query().Get("redirect_uri"))
		p.nonce, p.claims = at.Query().Get("nonce"), claims
		back := url.Values{"state": {at.Query().Get("state")}, "code": {"c"}}
		if change != nil {
			change(back, p)
		}
		return send(h, "GET", "/sign-in/with/back?"+back.Encode(), nil, func(r *http.Request) { r.AddCookie(cookie) })
	}
	w := try(nil, nil)
	require.Equal(t, http.StatusSeeOther, w.Code, w.Body.String())
	require.NotEmpty(t, p.form.Get("code_verifier"))
	in := w.Result().Cookies()
	require.Equal(t, http.StatusOK, send(h, "GET", "/", nil, func(r *http.Request) { r.AddCookie(in[len(in)-1]) }).Code)

	for name, w := range map[string]*httptest.ResponseRecorder{
		"state":    try(nil, func(back url.Values, _ *provider) { back.Set("state", "x") }),
		"nonce":    try(nil, func(_ url.Values, p *provider) { p.nonce = "x" }),
		"error":    try(nil, func(back url.Values, _ *provider) { back.Set("error", "access_denied") }),
		"audience": try(map[string]any{"aud": "other"}, nil),
		"expired":  try(map[string]any{"exp": time.Now().Add(-time.Hour).Unix()}, nil),
		"verified": try(map[string]any{"email_verified": false}, nil),
		"nobody":   try(map[string]any{"email": "eve@larkmoor.example", "sub": "eve"}, nil),
		"another":  try(map[string]any{"sub": "mallory"}, nil),
	} {
		require.GreaterOrEqual(t, w.Code, 400, name)
	}
	a, err := d.Store.People.AccountOf(demo.Owner)
	require.NoError(t, err)
	require.NoError(t, d.Store.People.SetFactor(a.ID, "JBSWY3DPEHPK3PXP", nil, 0))
	w = try(nil, nil)
	require.Contains(t, w.Header().Get("Location"), "/sign-in/code", "the second factor is asked for all the same")
}

// hrefOf is the address of the link to a site in a page.
func hrefOf(t *testing.T, page, site string) *url.URL {
	t.Helper()
	m := regexp.MustCompile(`href="(` + regexp.QuoteMeta(site) + `[^"]*)"`).FindStringSubmatch(page)
	require.NotNil(t, m)
	u, err := url.Parse(html.UnescapeString(m[1]))
	require.NoError(t, err)
	return u
}
