package account

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"github.com/gin-gonic/gin"
	"golang.org/x/oauth2"

	"omphalos/app/page"
	"omphalos/app/store/database"
)

// Provider is another way to sign in: OpenID Connect Core 1.0, by the code flow with PKCE (RFC 7636). It signs in to
// accounts that there are; it makes none.
type Provider struct {
	Name   string // as the button says it
	Issuer string
	ID     string
	Secret string

	mu     sync.Mutex
	found  *oidc.Provider
	failed time.Time
}

// discover asks the provider once how it is spoken to; after a failure not for a while.
func (p *Provider) discover(ctx context.Context) (*oidc.Provider, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.found != nil {
		return p.found, nil
	}
	if time.Since(p.failed) < 10*time.Second {
		return nil, errors.New("the sign-in service did not answer")
	}
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	found, err := oidc.NewProvider(
		oidc.ClientContext(context.WithoutCancel(ctx), &http.Client{Timeout: 10 * time.Second}),
		p.Issuer,
	)
	if err != nil {
		p.failed = time.Now()
		return nil, err
	}
	p.found = found
	return found, nil
}

func (p *Provider) config(found *oidc.Provider, base string) *oauth2.Config {
	return &oauth2.Config{
		ClientID: p.ID, ClientSecret: p.Secret, Endpoint: found.Endpoint(),
		RedirectURL: base + "/sign-in/with/back", Scopes: []string{oidc.ScopeOpenID, "email"},
	}
}

// wayCookie holds what a sign-in elsewhere is known by when it comes back: state, nonce and verifier.
const wayCookie = "omphalos_way"

// providerRoutes adds the addresses of signing in elsewhere.
func (h *Handler) providerRoutes(g gin.IRouter) {
	g.POST("/sign-in/with", h.leave)
	g.GET("/sign-in/with/back", h.back)
}

// leave leads to the provider.
func (h *Handler) leave(c *gin.Context) {
	if h.OIDC == nil {
		page.NotFound(c)
		return
	}
	found, err := h.OIDC.discover(c.Request.Context())
	if err != nil {
		h.withFailed(c, err)
		return
	}
	state, nonce, verifier := rand.Text(), rand.Text(), oauth2.GenerateVerifier()
	http.SetCookie(c.Writer, &http.Cookie{
		Name: wayCookie, Value: state + "." + nonce + "." + verifier, Path: "/sign-in/with", HttpOnly: true,
		SameSite: http.SameSiteLaxMode, Secure: page.IsSecure(c.Request), MaxAge: 600,
	})
	to := h.OIDC.config(found, strings.TrimSuffix(h.Origin, "/")).AuthCodeURL(state, oidc.Nonce(nonce), oauth2.S256ChallengeOption(verifier))
	// A form that redirects to another site is stopped by form-action: the page continues by itself.
	page.Render(c, http.StatusOK, signInPage, page.Shell{Title: "Sign in", Body: form{Away: to, With: h.OIDC.Name}})
}

func (h *Handler) withFailed(c *gin.Context, err error) {
	if h.Log != nil {
		h.Log.Error("sign-in elsewhere", "error", err)
	}
	draw(
		c,
		http.StatusBadGateway,
		form{
			Message: "Signing in with " + h.OIDC.Name + " didn’t work. Try again, or sign in with your password.",
			With:    h.OIDC.Name,
		},
	)
}

// back takes anyone who comes from the provider.
func (h *Handler) back(c *gin.Context) {
	c.Header("Cache-Control", "no-store")
	if h.OIDC == nil {
		page.NotFound(c)
		return
	}
	way, _ := c.Cookie(wayCookie)
	http.SetCookie(c.Writer, &http.Cookie{Name: wayCookie, Path: "/sign-in/with", MaxAge: -1})
	parts := strings.Split(way, ".")
	if len(parts) != 3 || subtle.ConstantTimeCompare([]byte(parts[0]), []byte(c.Query("state"))) != 1 {
		h.withFailed(c, errors.New("the state is another one"))
		return
	}
	email, subject, err := h.claims(c, parts[1], parts[2])
	if err != nil {
		h.withFailed(c, err)
		return
	}
	a, err := h.Store.People.AccountOf(email)
	switch {
	case database.IsNotFound(err):
		draw(
			c,
			http.StatusForbidden,
			form{
				Message: "There’s no account for " + email + " here. Ask the owner to invite you.",
				With:    h.OIDC.Name,
			},
		)
	case err != nil:
		page.Failed(c, err)
	case a.Subject != "" && a.Subject != subject:
		draw(
			c,
			http.StatusForbidden,
			form{Message: "The account of " + email + " is linked to a different sign-in there.", With: h.OIDC.Name},
		)
	default:
		if err := h.Store.People.SetSubject(a.ID, subject); err != nil {
			page.Failed(c, err)
			return
		}
		h.proven(c, a, "/")
	}
}

// claims are the verified email address of someone, and what the provider knows them by.
func (h *Handler) claims(c *gin.Context, nonce, verifier string) (email, subject string, err error) {
	if why := c.Query("error"); why != "" {
		return "", "", errors.New(why)
	}
	ctx := c.Request.Context()
	found, err := h.OIDC.discover(ctx)
	if err != nil {
		return "", "", err
	}
	token, err := h.OIDC.config(found, strings.TrimSuffix(h.Origin, "/")).Exchange(ctx, c.Query("code"), oauth2.VerifierOption(verifier))
	if err != nil {
		return "", "", err
	}
	raw, ok := token.Extra("id_token").(string)
	if !ok {
		return "", "", errors.New("there is no ID token")
	}
	id, err := found.Verifier(&oidc.Config{ClientID: h.OIDC.ID}).Verify(ctx, raw)
	if err != nil {
		return "", "", err
	}
	var claims struct {
		Email    string `json:"email"`
		Verified bool   `json:"email_verified"`
	}
	if err := id.Claims(&claims); err != nil {
		return "", "", err
	}
	if id.Nonce != nonce || claims.Email == "" || !claims.Verified {
		return "", "", fmt.Errorf("the ID token belongs to another sign-in or has no verified email address")
	}
	return claims.Email, h.OIDC.Issuer + " " + id.Subject, nil
}
