package account

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"html/template"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/pquerna/otp"
	"github.com/pquerna/otp/totp"
	"github.com/skip2/go-qrcode"

	"omphalos/app/page"
	"omphalos/app/store/database"
	"omphalos/app/store/people"
)

// What codes are made by: RFC 6238 with its usual values.
const (
	factorPeriod  = 30 // seconds
	recoveryCodes = 8
)

// proven continues after the password: to the second factor, where the account has one.
func (h *Handler) proven(c *gin.Context, a *people.Account, next string) {
	if a.Factor == "" {
		h.enter(c, a, next)
		return
	}
	token, err := h.Store.People.StartPending(a)
	if err != nil {
		page.Failed(c, err)
		return
	}
	setCookie(c, token, int(people.PendingLife/time.Second))
	if page.WantsJSON(c) {
		c.JSON(
			http.StatusUnauthorized,
			gin.H{"kind": "code", "message": "Your account needs a code. Sign in on the sign-in page."},
		)
		return
	}
	c.Redirect(http.StatusSeeOther, "/sign-in/code?next="+template.URLQueryEscaper(next))
}

// pending is the sign-in that waits for its code.
func (h *Handler) pending(c *gin.Context) (*people.Session, string) {
	token, err := c.Cookie(CookieName(c.Request))
	if err != nil {
		return nil, ""
	}
	s, err := h.Store.People.Pending(token)
	if err != nil {
		return nil, ""
	}
	return s, token
}

func (h *Handler) showCode(c *gin.Context) {
	c.Header("Cache-Control", "no-store")
	if s, _ := h.pending(c); s == nil {
		c.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	draw(c, http.StatusOK, form{Code: true, Next: c.Query("next")})
}

// code takes the code of the second factor, or one for recovery.
func (h *Handler) code(c *gin.Context) {
	s, token := h.pending(c)
	if s == nil {
		c.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	f := form{Code: true, Next: c.PostForm("next")}
	_, may, err := h.allow(c, "code "+s.Account.Email)
	if err == nil && may {
		may, err = h.tryFor("code of "+s.Account.Email, codesOfAccount, codesWithin) // from however many networks
	}
	if err == nil && !may {
		f.Message = tooMany
		draw(c, http.StatusTooManyRequests, f)
		return
	}
	ok := false
	if err == nil {
		ok, err = h.rightCode(&s.Account, c.PostForm("code"))
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	if !ok {
		h.wrongCode(c, token, f)
		return
	}
	if err := h.Store.People.EndSession(token); err != nil {
		page.Failed(c, err)
		return
	}
	h.enter(c, &s.Account, f.Next)
}

// How many codes an account is given from all networks together within a time.
const (
	codesOfAccount = 20
	codesWithin    = 15 * time.Minute
)

// wrongCode says that a code was wrong; after some of them the sign-in begins again.
func (h *Handler) wrongCode(c *gin.Context, token string, f form) {
	ended, err := h.Store.People.WrongCode(token)
	switch {
	case err != nil:
		page.Failed(c, err)
	case ended:
		setCookie(c, "", -1)
		c.Redirect(http.StatusSeeOther, "/sign-in?next="+template.URLQueryEscaper(f.Next))
	default:
		f.Message = "This code is wrong or has expired. Codes change every 30 seconds, and each works only once."
		draw(c, http.StatusUnprocessableEntity, f)
	}
}

// confirmIdentity asks anyone who is signed in for their password, and for a code where they have a second factor:
// before what would let someone else in, or lock them out. why is what is wrong, "" for nothing.
func (h *Handler) confirmIdentity(c *gin.Context) (status int, why string, err error) {
	a := Of(c)
	_, may, err := h.allow(c, a.Email)
	if err == nil && may && a.Factor != "" {
		may, err = h.tryFor("code of "+a.Email, codesOfAccount, codesWithin)
	}
	if err == nil && !may {
		return http.StatusTooManyRequests, tooMany, nil
	}
	if err == nil {
		_, err = h.check(c, a.Email, c.PostForm("password"))
	}
	if errors.Is(err, database.ErrNotFound) {
		return http.StatusUnprocessableEntity, "This password is wrong.", nil
	}
	if err != nil || a.Factor == "" {
		return 0, "", err
	}
	ok, err := h.rightCode(a, c.PostForm("code"))
	if err == nil && !ok {
		return http.StatusUnprocessableEntity, "That is not the code of this moment. Each code works once.", nil
	}
	return 0, "", err
}

// settled ends the account's other sign-ins after something that guards it has changed, and tells its owner.
func (h *Handler) settled(c *gin.Context, what string) error {
	a := Of(c)
	token, err := c.Cookie(CookieName(c.Request))
	if err == nil {
		err = h.Store.People.EndOthers(a.ID, token)
	}
	if err != nil || !h.Mail {
		return err
	}
	text := what + " It was done in " + browserOf(c.Request.UserAgent()) + ", and all other sign-ins were ended.\n\n" +
		"If it was not you, [choose another password](" + strings.TrimSuffix(h.Origin, "/") + "/forgot) now."
	return h.mail(a.Email, "Your account was changed", text, "changed:"+database.NewID())
}

// rightCode reports whether a code is the account's: of this half minute or one next to it, and not used before; or one
// for recovery, which it uses up.
func (h *Handler) rightCode(a *people.Account, code string) (bool, error) {
	code = strings.ToLower(strings.Join(strings.Fields(code), ""))
	now := h.now()
	for _, skew := range []int64{0, -1, 1} {
		at := now.Add(time.Duration(skew*factorPeriod) * time.Second)
		want, err := totp.GenerateCode(a.Factor, at)
		if err != nil {
			return false, err
		}
		if want == code {
			return h.Store.People.UseStep(a.ID, at.Unix()/factorPeriod)
		}
	}
	return h.Store.People.UseRecovery(a.ID, hashCode(code))
}

func hashCode(code string) string {
	sum := sha256.Sum256([]byte(strings.ReplaceAll(code, "-", "")))
	return hex.EncodeToString(sum[:])
}

// factorView is a second factor that is being set up, and its recovery codes, which are shown once.
type factorView struct {
	Secret string
	QR     template.URL
	Codes  []string
}

// startFactor shows a secret to be put into another device; nothing holds before a code of it was typed. The secret is
// kept here until then.
func (h *Handler) startFactor(c *gin.Context) {
	if status, why, err := h.confirmIdentity(c); err != nil {
		page.Failed(c, err)
		return
	} else if why != "" {
		h.drawOwn(c, status, view{FactorWrong: why})
		return
	}
	key, err := totp.Generate(
		totp.GenerateOpts{Issuer: "Omphalos", AccountName: Of(c).Email, Period: factorPeriod, Digits: otp.DigitsSix},
	)
	var png []byte
	if err == nil {
		err = h.Store.People.StartFactor(Of(c).ID, key.Secret())
	}
	if err == nil {
		png, err = qrcode.Encode(key.URL(), qrcode.Medium, 220)
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	qr := template.URL("data:image/png;base64," + base64.StdEncoding.EncodeToString(png))
	h.drawOwn(c, http.StatusOK, view{Factor: &factorView{Secret: key.Secret(), QR: qr}})
}

// confirmFactor takes the first code of a factor that was begun: by what is kept here, whatever the form says.
func (h *Handler) confirmFactor(c *gin.Context) {
	a := Of(c)
	_, may, err := h.allow(c, "factor "+a.Email)
	if err == nil && !may {
		h.drawOwn(c, http.StatusTooManyRequests, view{FactorWrong: tooMany})
		return
	}
	secret, want := "", ""
	if err == nil {
		secret, err = h.Store.People.NextFactor(a.ID)
	}
	now := h.now()
	if err == nil && secret != "" {
		want, err = totp.GenerateCode(secret, now)
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	if secret == "" || want != strings.Join(strings.Fields(c.PostForm("code")), "") {
		h.drawOwn(
			c,
			http.StatusUnprocessableEntity,
			view{FactorWrong: "This code is wrong or has expired. Start again, and check that the clock on your other " +
				"device is correct."},
		)
		return
	}
	codes, hashes := make([]string, recoveryCodes), make([]string, recoveryCodes)
	for i := range codes {
		text := strings.ToLower(rand.Text())
		codes[i] = text[:5] + "-" + text[5:10]
		hashes[i] = hashCode(codes[i])
	}
	err = h.Store.People.SetFactor(a.ID, secret, hashes, now.Unix()/factorPeriod)
	if err == nil {
		err = h.settled(c, "A second factor was set up for "+a.Email+".")
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	h.drawOwn(c, http.StatusOK, view{Factor: &factorView{Codes: codes}, HasFactor: true})
}

// dropFactor takes the second factor away, for who knows the password and has the factor.
func (h *Handler) dropFactor(c *gin.Context) {
	status, why, err := h.confirmIdentity(c)
	if why != "" {
		h.drawOwn(c, status, view{FactorWrong: why})
		return
	}
	if err == nil {
		err = h.Store.People.SetFactor(Of(c).ID, "", nil, 0)
	}
	if err == nil {
		err = h.settled(c, "The second factor of "+Of(c).Email+" was taken away.")
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/account?done=factor")
}
