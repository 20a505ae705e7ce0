package web

import (
	"encoding/json"
	"errors"
	"log/slog"
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"deftledger/app/act"
	"deftledger/app/sharing"
)

// fhirStatuses are the HTTP statuses of refusals as FHIR R4 has them, and outcomes the codes of what is wrong.
var (
	fhirStatuses = map[act.Kind]int{act.Invalid: http.StatusBadRequest, act.Missing: http.StatusNotFound, act.Forbidden: http.StatusForbidden, act.Unproven: http.StatusUnauthorized, act.TooOften: http.StatusTooManyRequests}
	outcomes     = map[act.Kind]string{act.Invalid: "invalid", act.Missing: "not-found", act.Forbidden: "forbidden", act.Unproven: "login", act.TooOften: "throttled"}
)

// fhirInterface serves charts to other programs, read-only, by tokens (FHIR R4, http). It has no cookie and no session.
func (s *server) fhirInterface(r *gin.Engine) {
	refuse := func(c *gin.Context, err error) {
		var no *act.Refusal
		if !errors.As(err, &no) {
			slog.Error("the FHIR interface failed", "error", err)
			no = &act.Refusal{Kind: act.Broken, Message: "Something went wrong here."}
		}
		status, known := fhirStatuses[no.Kind]
		if !known {
			status = statuses[no.Kind]
		}
		code := outcomes[no.Kind]
		if code == "" {
			code = "exception"
		}
		switch no.Kind {
		case act.Unproven:
			c.Header("WWW-Authenticate", `Bearer realm="fhir"`)
		case act.TooOften:
			c.Header("Retry-After", "1")
		}
		writeFHIR(c, status, sharing.Outcome(code, no.Message))
	}
	base := func(c *gin.Context) string {
		scheme := "http"
		if encrypted(c.Request) {
			scheme = "https"
		}
		return scheme + "://" + c.Request.Host + "/fhir"
	}
	client := func(c *gin.Context) (sharing.Client, bool) {
		token, ok := strings.CutPrefix(c.GetHeader("Authorization"), "Bearer ")
		if !ok {
			refuse(c, act.Refuse(act.Unproven, "A bearer token of this practice is needed."))
			return sharing.Client{}, false
		}
		found, err := s.app.Sharing.Known(c, strings.TrimSpace(token))
		if err != nil {
			refuse(c, err)
			return found, false
		}
		return found, true
	}
	search := func(c *gin.Context, params url.Values) {
		who, ok := client(c)
		if !ok {
			return
		}
		q, err := sharing.NewQuery(c.Param("kind"), params)
		if err != nil {
			refuse(c, act.Refuse(act.Invalid, "%s.", strings.ToUpper(err.Error()[:1])+err.Error()[1:]))
			return
		}
		found, besides, err := s.app.Sharing.SearchOver(c, who, q)
		if err != nil {
			refuse(c, err)
			return
		}
		writeFHIR(c, http.StatusOK, q.Page(base(c), found, besides))
	}
	r.GET("/fhir/metadata", func(c *gin.Context) {
		writeFHIR(c, http.StatusOK, s.app.Sharing.Capability(base(c)))
	})
	r.GET("/fhir/:kind", func(c *gin.Context) { search(c, c.Request.URL.Query()) })
	r.POST("/fhir/:kind/_search", func(c *gin.Context) {
		if err := c.Request.ParseForm(); err != nil {
			refuse(c, act.Refuse(act.Invalid, "The search cannot be read."))
			return
		}
		search(c, c.Request.Form)
	})
	r.GET("/fhir/:kind/:id", func(c *gin.Context) {
		who, ok := client(c)
		if !ok {
			return
		}
		kind := c.Param("kind")
		if kind == "Binary" {
			how, body, err := s.app.Sharing.BytesOver(c, who, c.Param("id"))
			if err != nil {
				refuse(c, err)
				return
			}
			c.Header("X-Content-Type-Options", "nosniff")
			c.Header("Content-Disposition", "attachment")
			c.Header("Cache-Control", "no-store")
			c.Data(http.StatusOK, how, body)
			return
		}
		if !sharing.Serves(kind) {
			refuse(c, act.Refuse(act.Missing, "%s is not served here.", kind))
			return
		}
		found, err := s.app.Sharing.ReadOver(c, who, kind, c.Param("id"))
		if err != nil {
			refuse(c, err)
			return
		}
		writeFHIR(c, http.StatusOK, found.Body)
	})
}

func writeFHIR(c *gin.Context, status int, body any) {
	c.Header("Content-Type", "application/fhir+json; charset=utf-8")
	c.Header("Cache-Control", "no-store")
	c.Status(status)
	_ = json.NewEncoder(c.Writer).Encode(body)
}
