// Package web is the HTTP face of the application: routes, sessions, events, the
// interface's files and the API description. It holds no rules of the job.
package web

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"encoding/json"
	"errors"
	"io/fs"
	"log/slog"
	"net/http"
	"net/url"
	"regexp"
	"runtime/debug"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"

	"deftledger/app"
	"deftledger/app/act"
	orders "deftledger/app/order"
	"deftledger/app/printing"
	"deftledger/app/session"
	"deftledger/app/sharing"
	"deftledger/store"
)

func init() { gin.SetMode(gin.ReleaseMode) }

const cookieName = "deftledger_session"

// New builds the handler. files is the built interface.
func New(a *app.App, files fs.FS) http.Handler {
	r := gin.New()
	r.Use(recoverer, headers, (&doors{inside: map[string]int{}}).limit, limitBody)
	s := &server{a}
	describe(r, s)
	s.fhirInterface(r)
	r.GET("/api/events", s.events)
	r.GET("/api/notes/:id/pdf", s.file(pdfFile, func(c *gin.Context, who act.Actor) ([]byte, error) {
		return a.Paper.NotePDF(c, who, c.Param("id"), c.Query("section"))
	}))
	for format, kind := range map[string]fileKind{"json": {"application/fhir+json", `attachment; filename="claim.json"`},
		"csv": {"text/csv; charset=utf-8", `attachment; filename="claim.csv"`}} {
		r.GET("/api/notes/:id/claim."+format, s.file(kind, func(c *gin.Context, who act.Actor) ([]byte, error) {
			return a.Assess.BillingFile(c, who, c.Param("id"), format)
		}))
	}
	r.GET("/api/rulebook/:rule/file", s.file(fileKind{"application/yaml; charset=utf-8", `attachment; filename="rule.yaml"`}, func(c *gin.Context, who act.Actor) ([]byte, error) {
		text, err := a.Reminder.RuleFile(c, who, c.Param("rule"))
		return []byte(text), err
	}))
	r.GET("/api/practice/runs/:id/csv", s.file(fileKind{"text/csv; charset=utf-8", `attachment; filename="recall.csv"`}, func(c *gin.Context, who act.Actor) ([]byte, error) {
		text, err := a.Reminder.RecallCSV(c, who, c.Param("id"))
		return []byte(text), err
	}))
	r.GET("/api/patients/:id/reminders/:rule/leaflet.pdf", s.file(pdfFile, func(c *gin.Context, who act.Actor) ([]byte, error) {
		return a.Reminder.LeafletPDF(c, who, c.Param("id"), c.Param("rule"))
	}))
	r.GET("/api/patients/:id/immunizations.hl7", s.file(fileKind{"text/plain; charset=utf-8", `attachment; filename="immunizations.hl7"`}, func(c *gin.Context, who act.Actor) ([]byte, error) {
		return a.Registry.File(c, who, c.Param("id"))
	}))
	r.GET("/api/patients/:id/reminders.json", s.file(fileKind{"application/fhir+json", `attachment; filename="reminders.json"`}, func(c *gin.Context, who act.Actor) ([]byte, error) {
		return a.Reminder.RemindersFHIR(c, who, c.Param("id"))
	}))
	r.GET("/api/rulebook/:rule/plan.json", s.file(fileKind{"application/fhir+json", `attachment; filename="plan.json"`}, func(c *gin.Context, who act.Actor) ([]byte, error) {
		return a.Reminder.PlanFHIR(c, who, c.Param("rule"))
	}))
	r.GET("/api/tellings/:id/letter.pdf", s.file(pdfFile, func(c *gin.Context, who act.Actor) ([]byte, error) {
		id := c.Param("id")
		if id == "all" {
			id = ""
		}
		return s.app.Packet.Letters(c, who, id)
	}))
	for name, x := range map[string]struct {
		kind fileKind
		make func(*printing.Acts, context.Context, act.Actor, string) ([]byte, error)
	}{
		"results.pdf":  {pdfFile, (*printing.Acts).PDF},
		"results.json": {fileKind{"application/fhir+json", `attachment; filename="results.json"`}, (*printing.Acts).FHIR},
		"results.csv":  {fileKind{"text/csv; charset=utf-8", `attachment; filename="results.csv"`}, (*printing.Acts).CSV},
	} {
		r.GET("/api/printings/:id/"+name, s.file(x.kind, func(c *gin.Context, who act.Actor) ([]byte, error) {
			return x.make(s.app.Printing, c, who, c.Param("id"))
		}))
	}
	r.GET("/api/practice/recalls/:id/letters.pdf", s.file(pdfFile, func(c *gin.Context, who act.Actor) ([]byte, error) {
		return a.Recall.Letters(c, who, c.Param("id"))
	}))
	r.GET(attachedPath, s.fileOf(func(c *gin.Context, who act.Actor) (fileKind, []byte, error) {
		kind, data, err := a.Result.Attached(c, who, c.Param("id"), c.Param("sum"))
		how := fileKind{kind, "inline"}
		if kind == "application/octet-stream" { // nothing the browser may open
			how.disposition = `attachment; filename="attached.bin"`
		}
		return how, data, err
	}))
	r.GET("/api/records/:id/files/:place", s.fileOf(func(c *gin.Context, who act.Actor) (fileKind, []byte, error) {
		place, err := strconv.Atoi(c.Param("place"))
		if err != nil {
			place = -1
		}
		kind, data, err := a.Record.File(c, who, c.Param("id"), place)
		return fileKind{kind, map[bool]string{true: "inline", false: `attachment; filename="record.bin"`}[kind == "application/pdf"]}, data, err
	}))
	r.GET("/api/documents/:id", s.file(pdfFile, func(c *gin.Context, who act.Actor) ([]byte, error) {
		return a.Paper.Document(c, who, c.Param("id"))
	}))
	for name, print := range map[string]func(*orders.Acts, context.Context, act.Actor, string) ([]byte, error){"requisition": (*orders.Acts).Requisition,
		"labels": (*orders.Acts).Labels} {
		r.GET("/api/orders/:id/"+name+".pdf", s.file(pdfFile, func(c *gin.Context, who act.Actor) ([]byte, error) {
			return print(s.app.Order, c, who, c.Param("id"))
		}))
	}
	r.GET("/api/referrals/:id/sheet.pdf", s.file(pdfFile, func(c *gin.Context, who act.Actor) ([]byte, error) {
		return a.Referral.SheetPDF(c, who, c.Param("id"))
	}))
	r.GET("/api/referrals/:id/letter.pdf", s.file(pdfFile, func(c *gin.Context, who act.Actor) ([]byte, error) {
		return a.Referral.LetterPDF(c, who, c.Param("id"))
	}))
	r.GET("/api/prescriptions/:id/paper.pdf", s.file(pdfFile, func(c *gin.Context, who act.Actor) ([]byte, error) {
		return a.Prescribe.PrintPDF(c, who, c.Param("id"))
	}))
	r.GET("/api/cards/:id", s.file(pdfFile, func(c *gin.Context, who act.Actor) ([]byte, error) {
		return a.Registration.Card(c, who, c.Param("id"))
	}))
	s.static(r, files)
	guard := http.NewCrossOriginProtection()
	guard.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		problem(w, &act.Refusal{Kind: act.Forbidden, Message: "This request came from another site and was refused."})
	}))
	return guard.Handler(r)
}

// Description returns the OpenAPI description of the API as indented JSON.
func Description() ([]byte, error) {
	r := gin.New()
	api := describe(r, &server{})
	return json.MarshalIndent(api.OpenAPI(), "", " ")
}

type server struct{ app *app.App }

type actorKey struct{}

// windowName is how a screen names itself, so that it hears of its own acts as its own.
var windowName = regexp.MustCompile(`^[0-9a-f-]{36}$`)

type signedIn struct {
	who   act.Actor
	staff store.Staff
	err   error
}

func recoverer(c *gin.Context) {
	defer func() {
		if p := recover(); p != nil {
			slog.Error("a request failed unexpectedly", "route", c.FullPath(), "panic", p, "stack", string(debug.Stack()))
			problem(c.Writer, &act.Refusal{Kind: act.Broken,
				Message: "Something went wrong here. What you typed is kept in this window; try again."})
			c.Abort()
		}
	}()
	c.Next()
}

func headers(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	h.Set("X-Frame-Options", "DENY")
	if strings.HasPrefix(c.Request.URL.Path, "/api/") {
		h.Set("Cache-Control", "no-store")
		h.Set("Content-Security-Policy", "default-src 'none'; frame-ancestors 'none'")
	}
	if c.FullPath() == attachedPath {
		h.Set("X-Frame-Options", "SAMEORIGIN")
		h.Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'self'")
	}
	c.Next()
}

func limitBody(c *gin.Context) {
	limit := int64(2 << 20)
	if strings.HasPrefix(c.Request.URL.Path, "/api/forms") {
		limit = largeForm + 1<<10 // the route itself says what is too large
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, limit)
	c.Next()
}

// statuses are the HTTP statuses of the kinds of refusal.
var statuses = map[act.Kind]int{
	act.Broken: http.StatusInternalServerError, act.Invalid: http.StatusUnprocessableEntity, act.Missing: http.StatusNotFound,
	act.Conflict: http.StatusConflict, act.Forbidden: http.StatusForbidden, act.Unproven: http.StatusUnauthorized,
	act.Locked:   http.StatusLocked,
	act.TooLarge: http.StatusRequestEntityTooLarge, act.TooOften: http.StatusTooManyRequests, act.Unreachable: http.StatusBadGateway,
}

// problem writes an RFC 9457 answer.
func problem(w http.ResponseWriter, r *act.Refusal) { problemAs(w, statuses[r.Kind], r) }

func problemAs(w http.ResponseWriter, status int, r *act.Refusal) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	out := map[string]any{"title": http.StatusText(status), "status": status, "detail": r.Message, "type": kind(r)}
	if r.Of != "" {
		out["instance"] = instance(r)
	}
	_ = json.NewEncoder(w).Encode(out)
}

func kind(r *act.Refusal) string {
	if r.Code == "" {
		return "about:blank"
	}
	return "deftledger:" + r.Code
}

// instance is the address of what the refusal is about, opaque; "" for none.
func instance(r *act.Refusal) string {
	if r.Of == "" {
		return ""
	}
	return "/api/patients/" + url.PathEscape(r.Of)
}

// refusal turns an error of the application into an answer; what is not meant for
// the user is logged without its data.
func refusal(err error) *act.Refusal {
	var r *act.Refusal
	if errors.As(err, &r) {
		return r
	}
	slog.Error("an act failed", "error", err)
	return &act.Refusal{Kind: act.Broken,
		Message: "It could not be done and nothing was changed. What you typed is kept in this window; try again."}
}

func answer(err error) error {
	if err == nil {
		return nil
	}
	r := refusal(err)
	status := statuses[r.Kind]
	return &huma.ErrorModel{Status: status, Title: http.StatusText(status), Detail: r.Message, Type: kind(r), Instance: instance(r)}
}

func token(r *http.Request) string {
	if c, err := r.Cookie(cookieName); err == nil {
		return c.Value
	}
	return ""
}

// session finds out who is asking, once per request. A screen that only
// refreshes itself says so in a header and does not keep the session awake.
func (s *server) session(ctx huma.Context, next func(huma.Context)) {
	r := humagin.Unwrap(ctx).Request
	var in signedIn
	in.who, in.staff, in.err = s.app.Session.Who(r.Context(), token(r), r.Header.Get("X-Refresh") == "")
	if w := r.Header.Get("X-Window"); windowName.MatchString(w) {
		in.who.Window = w
	}
	if in.err != nil && !openTo[ctx.Operation().OperationID] {
		problem(humagin.Unwrap(ctx).Writer, refusal(in.err))
		return
	}
	ctx = huma.WithValue(ctx, actorKey{}, in)
	// A save has an identifier of its own, and is by far the most frequent act.
	if id := r.Header.Get("Idempotency-Key"); id != "" && in.err == nil && r.Method != http.MethodGet &&
		ctx.Operation().OperationID != "save-part" {
		s.once(ctx, in.who, id, next)
		return
	}
	next(ctx)
}

// actor returns the person of a request, or why there is none.
func actor(ctx context.Context) (act.Actor, error) {
	in, _ := ctx.Value(actorKey{}).(signedIn)
	return in.who, in.err
}

func cookie(ctx context.Context, value string, age int) http.Cookie {
	secure, _ := ctx.Value(encryptedKey{}).(bool)
	return http.Cookie{Secure: secure, Name: cookieName, Value: value, Path: "/", HttpOnly: true, SameSite: http.SameSiteStrictMode, MaxAge: age}
}

// events streams what changes, as server-sent events, while the session lasts.
func (s *server) events(c *gin.Context) {
	who, _, err := s.app.Session.Who(c, token(c.Request), false)
	if err != nil && !errors.Is(err, session.ErrLocked) {
		problem(c.Writer, refusal(err))
		return
	}
	ch, done := s.app.Hub.Subscribe(who.Role)
	defer done()
	h := c.Writer.Header()
	h.Set("Content-Type", "text/event-stream")
	h.Set("X-Accel-Buffering", "no")
	_, _ = c.Writer.WriteString("retry: 1000\nevent: open\ndata: {}\n\n")
	c.Writer.Flush()
	beat := time.NewTicker(15 * time.Second)
	defer beat.Stop()
	for {
		select {
		case <-c.Request.Context().Done():
			return
		case <-beat.C:
			if _, _, err := s.app.Session.Who(c, token(c.Request), false); errors.Is(err, session.ErrNoSession) {
				return
			}
			if _, err := c.Writer.WriteString(": still here\n\n"); err != nil {
				return
			}
		case e, ok := <-ch:
			if !ok {
				return
			}
			body, _ := json.Marshal(e)
			if _, err := c.Writer.WriteString("data: " + string(body) + "\n\n"); err != nil {
				return
			}
		}
		c.Writer.Flush()
	}
}

// fileKind is how a file is given to the browser.
type fileKind struct{ mediaType, disposition string }

var pdfFile = fileKind{"application/pdf", `inline; filename="document.pdf"`}

// attachedPath is where a file that came with a report is opened, within the page too.
const attachedPath = "/api/reports/:id/attached/:sum"

// file serves a file of one kind to a signed-in person.
func (s *server) file(kind fileKind, make func(*gin.Context, act.Actor) ([]byte, error)) gin.HandlerFunc {
	return s.fileOf(func(c *gin.Context, who act.Actor) (fileKind, []byte, error) {
		out, err := make(c, who)
		return kind, out, err
	})
}

// fileOf serves a file to a signed-in person.
func (s *server) fileOf(make func(*gin.Context, act.Actor) (fileKind, []byte, error)) gin.HandlerFunc {
	return func(c *gin.Context) {
		who, _, err := s.app.Session.Who(c, token(c.Request), true)
		var out []byte
		var kind fileKind
		if err == nil {
			kind, out, err = make(c, who)
		}
		if err != nil {
			problem(c.Writer, refusal(err))
			return
		}
		c.Header("Content-Disposition", kind.disposition)
		c.Data(http.StatusOK, kind.mediaType, out)
	}
}

// notices is where the licences of everything that ships inside the program stand.
const notices = "/notices.txt"

// static serves the built interface; every path that is no file and no API is the
// page itself, whose router takes over.
func (s *server) static(r *gin.Engine, files fs.FS) {
	page, err := fs.ReadFile(files, "index.html")
	served := http.FileServerFS(files)
	r.NoRoute(func(c *gin.Context) {
		p := c.Request.URL.Path
		switch {
		case strings.HasPrefix(p, "/api/"):
			problem(c.Writer, &act.Refusal{Kind: act.Missing, Message: "There is nothing at this address."})
		case strings.HasPrefix(p, "/fhir/"):
			writeFHIR(c, http.StatusNotFound, sharing.Outcome("not-found", "There is nothing at this address."))
		case strings.HasPrefix(p, "/assets/"):
			if _, err := fs.Stat(files, strings.TrimPrefix(p, "/")); err != nil {
				c.String(http.StatusNotFound, "There is no such file.")
				return
			}
			c.Header("Cache-Control", "public, max-age=31536000, immutable")
			c.Status(http.StatusOK)
			served.ServeHTTP(c.Writer, c.Request)
		case p == notices:
			c.Header("Content-Type", "text/plain; charset=utf-8")
			c.Status(http.StatusOK)
			served.ServeHTTP(c.Writer, c.Request)
		case c.Request.Method != http.MethodGet && c.Request.Method != http.MethodHead:
			problemAs(c.Writer, http.StatusMethodNotAllowed, &act.Refusal{Message: "This address only shows the page."})
		case err != nil:
			c.String(http.StatusServiceUnavailable, "The interface was not built into this binary. Run \"make build\".")
		default:
			raw := make([]byte, 16)
			_, _ = rand.Read(raw)
			nonce := base64.RawStdEncoding.EncodeToString(raw)
			c.Header("Cache-Control", "no-store")
			c.Header("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self' 'nonce-"+nonce+
				"'; font-src 'self'; img-src 'self' data:; connect-src 'self'; frame-src 'self'; worker-src 'self'; base-uri 'none'; form-action 'self'; "+
				"frame-ancestors 'none'")
			c.Data(http.StatusOK, "text/html; charset=utf-8", []byte(strings.Replace(string(page), "__NONCE__", nonce, 1)))
		}
	})
}
