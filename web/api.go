package web

import (
	"context"
	"encoding/base64"
	"errors"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"

	"deftledger/app"
	"deftledger/core/coding"
	"deftledger/core/note"
	"deftledger/core/order"
	"deftledger/core/result"
)

type body[T any] struct{ Body T }

// PathID is the identifier in an address.
type PathID struct {
	ID string `path:"id" maxLength:"64"`
}

type nothing struct{}

// Me is the person signed in, as the interface needs to know them.
type Me struct {
	ID           string            `json:"id"`
	Name         string            `json:"name"`
	Role         string            `json:"role"`
	Rights       []string          `json:"rights"`
	SingleKeys   bool              `json:"singleKeys"`
	DraftKey     string            `json:"draftKey" doc:"Encrypts what this browser keeps while it cannot save; only ever held in memory"`
	Locked       bool              `json:"locked"`
	IdleSeconds  int               `json:"idleSeconds"`
	Zone         string            `json:"zone"`
	Today        string            `json:"today" format:"date"`
	Told         map[string]string `json:"told" doc:"Ways in which a patient is told"`
	Stages       []string          `json:"stages"`
	SigningOpen  bool              `json:"signingOpen"`
	Laboratory   string            `json:"laboratory"`
	PracticeName string            `json:"practiceName"`
}

func init() {
	huma.DefaultArrayNullable = false // an empty list is [], never null
	// Details of validation name the field, never the submitted value: it may be patient data.
	huma.NewError = func(status int, msg string, errs ...error) huma.StatusError {
		m := &huma.ErrorModel{Status: status, Title: http.StatusText(status), Detail: msg}
		for _, e := range errs {
			var d *huma.ErrorDetail
			if errors.As(e, &d) {
				m.Errors = append(m.Errors, &huma.ErrorDetail{Message: d.Message, Location: d.Location})
			}
		}
		return m
	}
}

func describe(r *gin.Engine, s *server) huma.API {
	config := huma.DefaultConfig("Deft Ledger", "1")
	config.DocsPath, config.OpenAPIPath, config.SchemasPath = "", "/api/openapi", ""
	config.CreateHooks = nil
	api := humagin.New(r, config)
	api.UseMiddleware(s.session)

	post(api, "sign-in", "/api/session", func(ctx context.Context, in *body[struct {
		Login    string `json:"login" maxLength:"100"`
		Password string `json:"password" maxLength:"1000"`
	}]) (*struct {
		Cookie http.Cookie `header:"Set-Cookie"`
	}, error) {
		t, err := s.app.SignIn(ctx, in.Body.Login, in.Body.Password)
		if err != nil {
			return nil, answer(err)
		}
		return &struct {
			Cookie http.Cookie `header:"Set-Cookie"`
		}{cookie(t, 14*3600)}, nil
	})
	huma.Register(api, huma.Operation{OperationID: "me", Method: http.MethodGet, Path: "/api/session"}, func(ctx context.Context, _ *nothing) (*body[Me], error) {
		in, _ := ctx.Value(actorKey{}).(signedIn)
		if in.err != nil && !errors.Is(in.err, app.ErrLocked) {
			return nil, answer(in.err)
		}
		return &body[Me]{s.me(in)}, nil
	})
	post(api, "unlock", "/api/session/unlock", func(ctx context.Context, in *body[struct {
		Password string `json:"password" maxLength:"1000"`
	}]) (*nothing, error) {
		me, _ := ctx.Value(actorKey{}).(signedIn)
		if me.err != nil && !errors.Is(me.err, app.ErrLocked) {
			return nil, answer(me.err)
		}
		return nil, answer(s.app.Unlock(ctx, me.who, me.staff, in.Body.Password))
	})
	act(api, http.MethodPost, "lock", "/api/session/lock", func(ctx context.Context, who app.Actor, _ *nothing) (*nothing, error) {
		return nil, s.app.Lock(ctx, who)
	})
	huma.Register(api, huma.Operation{OperationID: "sign-out", Method: http.MethodDelete, Path: "/api/session"}, func(ctx context.Context, _ *nothing) (*struct {
		Cookie http.Cookie `header:"Set-Cookie"`
	}, error) {
		in, _ := ctx.Value(actorKey{}).(signedIn)
		if in.err == nil || errors.Is(in.err, app.ErrLocked) {
			if err := s.app.SignOut(ctx, in.who); err != nil {
				return nil, answer(err)
			}
		}
		return &struct {
			Cookie http.Cookie `header:"Set-Cookie"`
		}{cookie("", -1)}, nil
	})
	act(api, http.MethodPut, "set-single-keys", "/api/session/keys", func(ctx context.Context, who app.Actor, in *body[struct {
		On bool `json:"on"`
	}]) (*nothing, error) {
		return nil, s.app.SetSingleKeys(ctx, who, in.Body.On)
	})

	get(api, "day", "/api/day", func(ctx context.Context, who app.Actor, in *struct {
		Day string `query:"day" pattern:"^(\\d{4}-\\d{2}-\\d{2})?$"`
	}) ([]app.VisitView, error) {
		return s.app.Day(ctx, who, in.Day)
	})
	get(api, "desk", "/api/desk", func(ctx context.Context, who app.Actor, _ *nothing) (app.Desk, error) {
		return s.app.MyDesk(ctx, who)
	})
	get(api, "audit", "/api/audit", func(ctx context.Context, who app.Actor, in *struct {
		Patient string `query:"patient" maxLength:"64"`
		Before  int64  `query:"before"`
	}) ([]app.AuditView, error) {
		return s.app.ReadAudit(ctx, who, in.Patient, in.Before)
	})
	// What is searched for can be a patient's name: it travels in the body, not in the address.
	act(api, http.MethodPost, "find", "/api/find", func(ctx context.Context, who app.Actor, in *body[struct {
		Query string `json:"query" maxLength:"200"`
	}]) (*body[[]app.PatientView], error) {
		out, err := s.app.Find(ctx, who, in.Body.Query)
		return &body[[]app.PatientView]{out}, err
	})
	get(api, "chart", "/api/patients/{id}", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Refresh string `header:"X-Refresh"`
	}) (app.ChartView, error) {
		return s.app.Chart(ctx, who, in.ID, in.Refresh == "")
	})
	act(api, http.MethodPost, "add-problem", "/api/patients/{id}/problems", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			Code string `json:"code" maxLength:"10"`
		}
	}) (*nothing, error) {
		return nil, s.app.AddProblem(ctx, who, in.ID, in.Body.Code)
	})
	act(api, http.MethodPut, "describe-problem", "/api/patients/{id}/problems/{code}", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Code string `path:"code" maxLength:"10"`
		Body struct {
			Onset string `json:"onset" maxLength:"10" doc:"Year, month or day; empty for unknown"`
			State string `json:"state" maxLength:"20" doc:"active, recurrence, remission; empty for not said"`
		}
	}) (*nothing, error) {
		return nil, s.app.DescribeProblem(ctx, who, in.ID, in.Code, in.Body.Onset, in.Body.State)
	})
	act(api, http.MethodDelete, "end-problem", "/api/patients/{id}/problems/{code}", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Code string `path:"code" maxLength:"10"`
	}) (*nothing, error) {
		return nil, s.app.EndProblem(ctx, who, in.ID, in.Code)
	})

	act(api, http.MethodPost, "start-visit", "/api/visits/{id}/start", func(ctx context.Context, who app.Actor, in *PathID) (*body[Started], error) {
		n, err := s.app.StartVisit(ctx, who, in.ID)
		return &body[Started]{Started{n}}, err
	})
	act(api, http.MethodPut, "move-visit", "/api/visits/{id}/stage", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			Stage   string `json:"stage" maxLength:"20"`
			Version int    `json:"version"`
		}
	}) (*nothing, error) {
		return nil, s.app.MoveVisit(ctx, who, in.ID, in.Body.Stage, in.Body.Version)
	})
	get(api, "note", "/api/notes/{id}", func(ctx context.Context, who app.Actor, in *PathID) (app.NoteView, error) {
		return s.app.Note(ctx, who, in.ID)
	})
	act(api, http.MethodPut, "save-part", "/api/notes/{id}/parts/{part}", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Part string `path:"part" enum:"subjective,function,objective,assessment,plan,remarks"`
		Body struct {
			Text   string `json:"text"`
			Base   int    `json:"base" doc:"The version the text was written on"`
			SaveID string `json:"saveId" maxLength:"64"`
		}
	}) (*body[app.Saved], error) {
		out, err := s.app.SavePart(ctx, who, in.ID, note.Part(in.Part), in.Body.Text, in.Body.Base, in.Body.SaveID)
		return &body[app.Saved]{out}, err
	})
	act(api, http.MethodPost, "settle-conflict", "/api/notes/{id}/conflicts/{conflict}/settle", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Conflict string `path:"conflict" maxLength:"64"`
	}) (*nothing, error) {
		return nil, s.app.SettleConflict(ctx, who, in.ID, in.Conflict)
	})
	act(api, http.MethodPost, "writing", "/api/notes/{id}/writing", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			Window string `json:"window" maxLength:"64"`
			Leave  bool   `json:"leave"`
		}
	}) (*body[[]string], error) {
		others, err := s.app.Writing(ctx, who, in.ID, in.Body.Window, in.Body.Leave)
		return &body[[]string]{others}, err
	})
	act(api, http.MethodPut, "set-diagnoses", "/api/notes/{id}/diagnoses", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			Codes   []string `json:"codes" maxItems:"60"`
			Version int      `json:"version"`
		}
	}) (*nothing, error) {
		return nil, s.app.SetDiagnoses(ctx, who, in.ID, in.Body.Codes, in.Body.Version)
	})
	act(api, http.MethodPost, "sign-note", "/api/notes/{id}/sign", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			Secret      string         `json:"secret,omitempty" maxLength:"1000"`
			Versions    map[string]int `json:"versions"`
			ListVersion int            `json:"listVersion"`
			Seen        string         `json:"seen,omitempty" maxLength:"64" doc:"Fingerprint of the text the signer saw"`
		}
	}) (*body[Folio], error) {
		n, err := s.app.SignNote(ctx, who, in.ID, in.Body.Secret, in.Body.Versions, in.Body.ListVersion, in.Body.Seen)
		return &body[Folio]{Folio{n}}, err
	})
	act(api, http.MethodPost, "amend-note", "/api/notes/{id}/amendments", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			Secret string `json:"secret,omitempty" maxLength:"1000"`
			Text   string `json:"text"`
		}
	}) (*body[Folio], error) {
		n, err := s.app.Amend(ctx, who, in.ID, in.Body.Secret, in.Body.Text)
		return &body[Folio]{Folio{n}}, err
	})

	get(api, "search-codes", "/api/codes", func(ctx context.Context, who app.Actor, in *struct {
		Query string `query:"q" maxLength:"200"`
		Under string `query:"under" maxLength:"10" doc:"Open this heading instead of searching"`
	}) ([]CodeView, error) {
		return s.codes(in.Query, in.Under)
	})
	get(api, "named-codes", "/api/codes/named", func(ctx context.Context, who app.Actor, in *struct {
		Codes string `query:"codes" maxLength:"300" doc:"Codes or headings, separated by blanks"`
	}) ([]CodeView, error) {
		return s.named(strings.Fields(in.Codes))
	})
	get(api, "tests", "/api/tests", func(ctx context.Context, who app.Actor, in *struct {
		Query string `query:"q" maxLength:"200"`
	}) ([]order.Test, error) {
		return s.app.Tests(who, in.Query)
	})
	act(api, http.MethodPost, "place-order", "/api/patients/{id}/orders", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body OrderBody
	}) (*body[app.OrderView], error) {
		out, err := s.app.PlaceOrder(ctx, who, in.Body.order(in.ID))
		return &body[app.OrderView]{out}, err
	})
	act(api, http.MethodPost, "prepare-order", "/api/patients/{id}/orders/prepared", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body OrderBody
	}) (*body[app.PreparedView], error) {
		out, err := s.app.PrepareOrder(ctx, who, in.Body.order(in.ID))
		return &body[app.PreparedView]{out}, err
	})
	act(api, http.MethodPost, "sign-prepared", "/api/prepared/{id}/sign", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			Secret string `json:"secret,omitempty" maxLength:"1000"`
		}
	}) (*body[app.OrderView], error) {
		out, err := s.app.SignPrepared(ctx, who, in.ID, in.Body.Secret)
		return &body[app.OrderView]{out}, err
	})
	for name, f := range map[string]func(context.Context, app.Actor, string, string) error{"return": s.app.ReturnPrepared, "drop": s.app.DropPrepared} {
		act(api, http.MethodPost, name+"-prepared", "/api/prepared/{id}/"+name, func(ctx context.Context, who app.Actor, in *struct {
			PathID
			Body struct {
				Reason string `json:"reason" maxLength:"1000"`
			}
		}) (*nothing, error) {
			return nil, f(ctx, who, in.ID, in.Body.Reason)
		})
	}
	get(api, "compare-records", "/api/patients/{id}/compare/{other}", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Other string `path:"other" maxLength:"64"`
	}) (app.Comparison, error) {
		return s.app.Compare(ctx, who, in.ID, in.Other)
	})
	act(api, http.MethodPost, "merge-records", "/api/patients/{id}/merge", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			Other  string `json:"other" maxLength:"64"`
			Reason string `json:"reason" maxLength:"2000"`
			Secret string `json:"secret,omitempty" maxLength:"1000"`
		}
	}) (*nothing, error) {
		return nil, s.app.Merge(ctx, who, in.Body.Secret, in.ID, in.Body.Other, in.Body.Reason)
	})
	act(api, http.MethodPost, "take-apart", "/api/merges/{id}/apart", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			Reason string `json:"reason" maxLength:"2000"`
			Secret string `json:"secret,omitempty" maxLength:"1000"`
		}
	}) (*body[[]string], error) {
		out, err := s.app.TakeApart(ctx, who, in.Body.Secret, in.ID, in.Body.Reason)
		return &body[[]string]{out}, err
	})
	act(api, http.MethodPost, "cancel-order", "/api/orders/{id}/cancel", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			Reason string `json:"reason" maxLength:"1000"`
		}
	}) (*body[Cancelled], error) {
		call, err := s.app.CancelOrder(ctx, who, in.ID, in.Body.Reason)
		return &body[Cancelled]{Cancelled{call}}, err
	})
	get(api, "report", "/api/reports/{id}", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Refresh string `header:"X-Refresh"`
	}) (app.ReportView, error) {
		return s.app.Report(ctx, who, in.ID, in.Refresh == "")
	})
	act(api, http.MethodPost, "sign-report", "/api/reports/{id}/sign", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			Comment    string `json:"comment"`
			Told       string `json:"told" maxLength:"20"`
			ToldReason string `json:"toldReason,omitempty" maxLength:"2000"`
			Issue      int    `json:"issue"`
			Version    int    `json:"version"`
			Secret     string `json:"secret,omitempty" maxLength:"1000"`
		}
	}) (*nothing, error) {
		b := in.Body
		return nil, s.app.SignReport(ctx, who, app.SignedResult{ReportID: in.ID, Comment: b.Comment, Told: b.Told, ToldReason: b.ToldReason, Secret: b.Secret, Issue: b.Issue, Version: b.Version})
	})
	get(api, "held", "/api/quarantine/{number}", func(ctx context.Context, who app.Actor, in *struct {
		Number int64 `path:"number"`
	}) (app.HeldDetail, error) {
		return s.app.Held(ctx, who, in.Number)
	})
	act(api, http.MethodPost, "attach", "/api/quarantine/{number}/attach", func(ctx context.Context, who app.Actor, in *struct {
		Number int64 `path:"number"`
		Body   struct {
			Patient string `json:"patient" maxLength:"64"`
		}
	}) (*nothing, error) {
		return nil, s.app.Attach(ctx, who, in.Number, in.Body.Patient)
	})
	act(api, http.MethodPost, "set-aside", "/api/quarantine/{number}/aside", func(ctx context.Context, who app.Actor, in *struct {
		Number int64 `path:"number"`
		Body   struct {
			Reason string `json:"reason" maxLength:"1000"`
		}
	}) (*nothing, error) {
		return nil, s.app.SetAside(ctx, who, in.Number, in.Body.Reason)
	})
	describeWriting(api, s)
	describeIntake(api, s)
	return api
}

// OrderedTest is a test on an order with the diagnoses that justify it.
type OrderedTest struct {
	Code      string   `json:"code" maxLength:"40"`
	Diagnoses []string `json:"diagnoses"`
}

// OrderBody is an order to sign or to prepare.
type OrderBody struct {
	VisitID   string        `json:"visitId,omitempty" maxLength:"64"`
	Priority  string        `json:"priority" enum:"R,A,S"`
	Collected bool          `json:"collected"`
	RequestID string        `json:"requestId" maxLength:"64"`
	Secret    string        `json:"secret,omitempty" maxLength:"1000"`
	Prepared  string        `json:"prepared,omitempty" maxLength:"64" doc:"The prepared order that this one signs or replaces"`
	Tests     []OrderedTest `json:"tests" maxItems:"60"`
}

func (b OrderBody) order(patient string) app.NewOrder {
	n := app.NewOrder{PatientID: patient, VisitID: b.VisitID, Priority: b.Priority, Collected: b.Collected, RequestID: b.RequestID, Secret: b.Secret, Prepared: b.Prepared}
	for _, t := range b.Tests {
		n.Tests = append(n.Tests, order.Line{Test: t.Code, Diagnoses: t.Diagnoses})
	}
	return n
}

// Folio is the number under which something was sealed.
type Folio struct {
	Folio int `json:"folio"`
}

// Started is the note of a visit that was started.
type Started struct {
	NoteID string `json:"noteId"`
}

// Cancelled says whether the laboratory may know of a cancelled order and has to be called.
type Cancelled struct {
	CallLaboratory bool `json:"callLaboratory"`
}

// CodeView is a found code or heading.
type CodeView struct {
	Code     string   `json:"code"`
	Title    string   `json:"title"`
	Billable bool     `json:"billable"`
	Why      string   `json:"why" doc:"The everyday word through which it was found"`
	Notes    []string `json:"notes" doc:"Excludes 1, code first and use additional notes that govern it"`
}

const codeHits = 12

// codeView shows a code with the notes that govern it.
func codeView(c *coding.Catalogue, e coding.Entry, why string) CodeView {
	v := CodeView{e.Code, e.Title, e.Billable, why, []string{}}
	for _, n := range c.Notes(e.Code) {
		if n.Kind == "excludes1" || n.Kind == "code first" || n.Kind == "use additional" {
			v.Notes = append(v.Notes, n.Code+" "+n.Kind+": "+n.Text)
		}
	}
	return v
}

func (s *server) named(codes []string) ([]CodeView, error) {
	lib, _, err := s.app.Codes()
	if err != nil {
		return nil, err
	}
	c, _ := lib.On(s.app.Today())
	out := []CodeView{}
	for _, code := range codes {
		if e, ok := c.Lookup(code); ok {
			out = append(out, codeView(c, e, ""))
		}
	}
	return out, nil
}

// areas opens the list of chapters, where "under" names no heading.
const areas = "areas"

func (s *server) codes(query, under string) ([]CodeView, error) {
	lib, index, err := s.app.Codes()
	if err != nil {
		return nil, err
	}
	c, _ := lib.On(s.app.Today())
	out := []CodeView{}
	add := func(e coding.Entry, why string) { out = append(out, codeView(c, e, why)) }
	if under == areas {
		for _, e := range c.Areas() {
			add(e, "")
		}
		return out, nil
	}
	if under != "" {
		for _, e := range c.Open(under) {
			add(e, "")
		}
		return out, nil
	}
	hits := index.Search(query, codeHits)
	for _, h := range hits {
		add(h.Entry, h.Why)
	}
	former, why := s.app.FormerCodes(query, len(hits) == 0, codeHits)
	for i, e := range former {
		if !slices.ContainsFunc(hits, func(h coding.Hit) bool { return h.Code == e.Code }) {
			add(e, why[i])
		}
	}
	return out, nil
}

func (s *server) me(in signedIn) Me {
	a := s.app
	m := Me{ID: in.who.ID, Name: in.who.Name, Role: in.who.Role, Locked: in.err != nil, Rights: []string{}, Told: result.Told, Stages: app.Stages,
		IdleSeconds: int(a.IdleAfter.Seconds()), Zone: a.Location.String(), Today: a.Today(), Laboratory: a.Laboratory.Name, PracticeName: a.Practice}
	if in.err == nil {
		m.Rights, m.SingleKeys, m.DraftKey = app.RightsOf(in.who.Role), in.staff.SingleKeys, base64.StdEncoding.EncodeToString(in.staff.DraftKey)
		m.SigningOpen = a.Clock().Before(in.who.Session.SigningUntil)
	}
	return m
}

func post[I, O any](api huma.API, name, path string, f func(context.Context, *I) (*O, error)) {
	huma.Register(api, huma.Operation{OperationID: name, Method: http.MethodPost, Path: path}, f)
}

// act registers something a signed-in person does. limit is the greatest size of what is
// sent, in bytes, where it is not the usual megabyte.
func act[I, O any](api huma.API, method, name, path string, f func(context.Context, app.Actor, *I) (*O, error), limit ...int64) {
	o := huma.Operation{OperationID: name, Method: method, Path: path}
	if len(limit) > 0 {
		o.MaxBodyBytes = limit[0]
	}
	huma.Register(api, o, func(ctx context.Context, in *I) (*O, error) {
		who, err := actor(ctx)
		if err != nil {
			return nil, answer(err)
		}
		out, err := f(ctx, who, in)
		if err != nil {
			return nil, answer(err)
		}
		return out, nil
	})
}

// get registers something a signed-in person looks at.
func get[I, O any](api huma.API, name, path string, f func(context.Context, app.Actor, *I) (O, error)) {
	act(api, http.MethodGet, name, path, func(ctx context.Context, who app.Actor, in *I) (*body[O], error) {
		out, err := f(ctx, who, in)
		return &body[O]{out}, err
	})
}
