package desk

import (
	"crypto/sha256"
	"crypto/subtle"
	"encoding/hex"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"
)

// Loopback keeps other machines out, and nobody of this one: every user of it can
// reach a port there. So the server has a token, which is part of the address that
// it prints. Whoever comes with it gets it as a cookie and goes on without it in the
// address; everybody else is told how to get in.

// TokenName is the token's name in an address.
const TokenName = "token"

// cookieName is that of the token's cookie. Cookies don't know ports, so servers on
// several data folders need several.
func cookieName(token string) string {
	sum := sha256.Sum256([]byte("cookie " + token))
	return "zarf-" + hex.EncodeToString(sum[:6])
}

func same(a, b string) bool { return subtle.ConstantTimeCompare([]byte(a), []byte(b)) == 1 }

// admit lets in who has the token.
func (s *Server) admit(c *gin.Context) {
	token := s.Opt.Token
	if token == "" || strings.HasPrefix(c.Request.URL.Path, "/static/") {
		return
	}
	if q := c.Request.URL.Query(); c.Request.Method == http.MethodGet && same(q.Get(TokenName), token) {
		http.SetCookie(c.Writer, &http.Cookie{Name: cookieName(token), Value: token, Path: "/", MaxAge: 365 * 24 * 3600, HttpOnly: true, SameSite: http.SameSiteLaxMode})
		// not kept in the history, nor sent on by a link
		q.Del(TokenName)
		to := *c.Request.URL
		to.RawQuery = q.Encode()
		c.Header("Cache-Control", "no-store")
		c.Redirect(http.StatusSeeOther, to.RequestURI())
		c.Abort()
		return
	}
	if k, err := c.Cookie(cookieName(token)); err == nil && same(k, token) {
		return
	}
	if bearer, ok := strings.CutPrefix(c.GetHeader("Authorization"), "Bearer "); ok && same(bearer, token) {
		return
	}
	s.Fail(c, http.StatusUnauthorized, "This address needs its token.", "Open the whole address that was printed at the start, with the token at its end. To print it again, run “zarf address” in a terminal.")
	c.Abort()
}
