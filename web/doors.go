package web

import (
	"context"
	"net"
	"net/http"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"

	"deftledger/app/act"
)

// Limits of what is sent. An operation that needs more says so (does).
const (
	usualBody  = 512 << 10
	secretBody = 4 << 10 // of who is not signed in yet
	// atOnce is how many requests of one address are answered at the same time, event
	// streams among them; more wait for nobody and are refused.
	atOnce = 200
)

// addressOf is where a request comes from. Behind a proxy on this machine that is what the
// proxy says; nobody else is believed.
func addressOf(r *http.Request) string {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		host = r.RemoteAddr
	}
	if ip := net.ParseIP(host); ip != nil && ip.IsLoopback() {
		all := strings.Split(r.Header.Get("X-Forwarded-For"), ",")
		if last := net.ParseIP(strings.TrimSpace(all[len(all)-1])); last != nil {
			return last.String()
		}
	}
	return host
}

type encryptedKey struct{}

// encrypted says whether a request came by TLS, to us or to a proxy on this machine.
func encrypted(r *http.Request) bool {
	if r.TLS != nil {
		return true
	}
	host, _, _ := net.SplitHostPort(r.RemoteAddr)
	ip := net.ParseIP(host)
	return ip != nil && ip.IsLoopback() && r.Header.Get("X-Forwarded-Proto") == "https"
}

// doors counts the requests of each address and refuses those above the limit.
type doors struct {
	mu     sync.Mutex
	inside map[string]int
}

func (d *doors) limit(c *gin.Context) {
	from := addressOf(c.Request)
	d.mu.Lock()
	full := d.inside[from] >= atOnce
	if !full {
		d.inside[from]++
	}
	d.mu.Unlock()
	if full {
		problem(c.Writer, &act.Refusal{Kind: act.TooOften, Message: "Too many requests of this address at once. Try again in a moment."})
		c.Abort()
		return
	}
	defer func() {
		d.mu.Lock()
		defer d.mu.Unlock()
		if d.inside[from]--; d.inside[from] == 0 {
			delete(d.inside, from)
		}
	}()
	ctx := act.WithAddress(c.Request.Context(), from)
	if encrypted(c.Request) {
		ctx = context.WithValue(ctx, encryptedKey{}, true)
		c.Writer.Header().Set("Strict-Transport-Security", "max-age=31536000")
	}
	c.Request = c.Request.WithContext(ctx)
	c.Next()
}

// openTo are the operations of whoever is not signed in; all others are refused before
// anything of what they send is read.
var openTo = map[string]bool{"sign-in": true, "me": true, "unlock": true, "sign-out": true}
