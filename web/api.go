package web

import (
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"net/http"
	"reflect"
	"regexp"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"

	"deftledger/app/act"
)

type body[T any] struct{ Body T }

// PathID is the identifier in an address.
type PathID struct {
	ID string `path:"id" maxLength:"64"`
}

type nothing struct{}

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
	config.Components.Schemas = huma.NewMapRegistry("#/components/schemas/", schemaName)
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{"session": {Type: "apiKey", In: "cookie", Name: cookieName,
		Description: "Given by sign-in; every operation but sign-in, me and sign-out needs it."}}
	config.Security = []map[string][]string{{"session": {}}}
	api := humagin.New(r, config)
	api.UseMiddleware(s.session)
	for _, room := range []func(huma.API){
		s.describeSession,
		s.describeCircle,
		s.describeDesk,
		s.describeVisit,
		s.describeChart,
		s.describeNote,
		s.describeAssess,
		s.describePlan,
		s.describeOrder,
		s.describeResult,
		s.describeIntake,
		s.describeOutside,
		s.describeReminder,
		s.describeRecall,
		s.describePacket,
		s.describePrinting, s.describeRecord, s.describeSharing,
		s.describeLoop,
		s.describeRelease,
		s.describeRegistry,
		s.describePaper, s.describeReferral, s.describePrescribe,
		s.describeForms,
		s.describeRegistration,
	} {
		room(api)
	}
	// The event stream and the files are not the API's, but they are described with it.
	schemas := api.OpenAPI().Components.Schemas
	schemas.Map()["Event"] = eventSchema(schemas)
	event := &huma.MediaType{Schema: &huma.Schema{Type: huma.TypeString,
		Description: "Server-sent events. The data of each is an Event (#/components/schemas/Event) as JSON; it carries opaque identifiers only."}}
	describeFile(api, "events", "/api/events", "The changes of what the screens show, while the session lasts", map[string]*huma.MediaType{"text/event-stream": event})
	bytes := &huma.MediaType{Schema: &huma.Schema{Type: huma.TypeString, Format: "binary"}}
	describeFile(api, "note-pdf", "/api/notes/{id}/pdf", "A signed note, or one section of a note, on paper", map[string]*huma.MediaType{"application/pdf": bytes})
	describeFile(api, "document", "/api/documents/{id}", "A filed document", map[string]*huma.MediaType{"application/pdf": bytes})
	describeFile(api, "record-file", "/api/records/{id}/files/{place}", "A file that came in a record from elsewhere", map[string]*huma.MediaType{"application/pdf": bytes, "application/octet-stream": bytes})
	describeFile(api, "attached", "/api/reports/{id}/attached/{sum}", "A file that came with a report, by its SHA-256", map[string]*huma.MediaType{"application/pdf": bytes, "image/png": bytes, "image/jpeg": bytes, "application/octet-stream": bytes})
	describeFile(api, "requisition", "/api/orders/{id}/requisition.pdf", "The requisition of an order", map[string]*huma.MediaType{"application/pdf": bytes})
	describeFile(api, "labels", "/api/orders/{id}/labels.pdf", "The labels of the containers of an order", map[string]*huma.MediaType{"application/pdf": bytes})
	describeFile(api, "prescription-paper", "/api/prescriptions/{id}/paper.pdf", "A prescription on paper", map[string]*huma.MediaType{"application/pdf": bytes})
	describeFile(api, "referral-sheet", "/api/referrals/{id}/sheet.pdf", "The sheet for the patient: where, how to prepare", map[string]*huma.MediaType{"application/pdf": bytes})
	describeFile(api, "referral-letter", "/api/referrals/{id}/letter.pdf", "The letter of a referral", map[string]*huma.MediaType{"application/pdf": bytes})
	describeFile(api, "card", "/api/cards/{id}", "The picture of an insurance card", map[string]*huma.MediaType{"application/pdf": bytes})
	describeFile(api, "rule-file", "/api/rulebook/{rule}/file", "A rule as a file", map[string]*huma.MediaType{"application/yaml": bytes})
	describeFile(api, "recall-list", "/api/practice/runs/{id}/csv", "Who is due, as a table", map[string]*huma.MediaType{"text/csv": bytes})
	describeFile(api, "reminder-leaflet", "/api/patients/{id}/reminders/{rule}/leaflet.pdf", "What a rule says to the patient", map[string]*huma.MediaType{"application/pdf": bytes})
	describeFile(api, "immunizations-hl7", "/api/patients/{id}/immunizations.hl7", "Vaccines given here, VXU^V04", map[string]*huma.MediaType{"text/plain": bytes})
	describeFile(api, "reminders-fhir", "/api/patients/{id}/reminders.json", "Reminders and vaccines of a patient, FHIR R4", map[string]*huma.MediaType{"application/fhir+json": bytes})
	describeFile(api, "plan-fhir", "/api/rulebook/{rule}/plan.json", "A rule as FHIR R4 with its CQL library", map[string]*huma.MediaType{"application/fhir+json": bytes})
	describeFile(api, "result-letters", "/api/tellings/{id}/letter.pdf", "Letters with results for window envelopes: one, or all of whoever asks under the name all", map[string]*huma.MediaType{"application/pdf": bytes})
	describeFile(api, "printing-pdf", "/api/printings/{id}/results.pdf", "A batch of results on paper: a cover list and each report", map[string]*huma.MediaType{"application/pdf": bytes})
	describeFile(api, "printing-fhir", "/api/printings/{id}/results.json", "A batch of results, FHIR R4", map[string]*huma.MediaType{"application/fhir+json": bytes})
	describeFile(api, "printing-csv", "/api/printings/{id}/results.csv", "A batch of results as a table", map[string]*huma.MediaType{"text/csv": bytes})
	describeFile(api, "recall-letters", "/api/practice/recalls/{id}/letters.pdf", "Letters that remind, for window envelopes", map[string]*huma.MediaType{"application/pdf": bytes})
	describeFile(api, "claim-json", "/api/notes/{id}/claim.json", "The claim handed to billing, FHIR R4", map[string]*huma.MediaType{"application/fhir+json": bytes})
	describeFile(api, "claim-csv", "/api/notes/{id}/claim.csv", "The claim handed to billing, as a table", map[string]*huma.MediaType{"text/csv": bytes})
	return api
}

// describeFile describes what is served beside the API.
func describeFile(api huma.API, name, path, says string, content map[string]*huma.MediaType) {
	o := &huma.Operation{OperationID: name, Method: http.MethodGet, Path: path, Summary: says, Responses: map[string]*huma.Response{
		"200":     {Description: says, Content: content},
		"default": {Description: "What is wrong (RFC 9457)", Content: map[string]*huma.MediaType{"application/problem+json": {Schema: &huma.Schema{Ref: "#/components/schemas/ErrorModel"}}}},
	}}
	for _, p := range []string{"id", "rule", "sum"} {
		if strings.Contains(path, "{"+p+"}") {
			o.Parameters = append(o.Parameters, &huma.Param{Name: p, In: "path", Required: true, Schema: &huma.Schema{Type: huma.TypeString}})
		}
	}
	if name == "note-pdf" {
		o.Parameters = append(o.Parameters, &huma.Param{Name: "section", In: "query", Schema: &huma.Schema{Type: huma.TypeString}})
	}
	api.OpenAPI().AddOperation(o)
}

var plainName = regexp.MustCompile(`^[a-zA-Z0-9._-]+$`)

// schemaName names a schema by its type, and one without a name by where it stands: the
// names of OpenAPI hold letters, digits and . _ - only.
func schemaName(t reflect.Type, hint string) string {
	if name := huma.DefaultSchemaNamer(t, hint); plainName.MatchString(name) {
		return name
	}
	if plainName.MatchString(hint) {
		return hint
	}
	return fmt.Sprintf("Body%x", fnv32(t.String()))
}

func fnv32(s string) uint32 {
	h := fnv.New32a()
	_, _ = h.Write([]byte(s))
	return h.Sum32()
}

// right is a right as the description knows it: one of those there are.
type right act.Right

// Schema names all rights.
func (right) Schema(huma.Registry) *huma.Schema { return oneOf(act.Rights()) }

// oneOf describes a word that is one of those there are.
func oneOf[T ~string](all []T) *huma.Schema {
	s := &huma.Schema{Type: huma.TypeString}
	for _, x := range all {
		s.Enum = append(s.Enum, string(x))
	}
	s.PrecomputeMessages()
	return s
}

func eventSchema(r huma.Registry) *huma.Schema {
	s := huma.SchemaFromType(r, reflect.TypeFor[act.Event]())
	s.Properties["kind"] = oneOf(act.EventKinds)
	return s
}

// post registers an operation of whoever is not signed in yet.
func post[I, O any](api huma.API, name, path string, f func(context.Context, *I) (*O, error)) {
	huma.Register(api, huma.Operation{OperationID: name, Method: http.MethodPost, Path: path, MaxBodyBytes: secretBody}, f)
}

// does registers something a signed-in person does. limit is the greatest size of what is
// sent, in bytes, where it is not the usual one.
func does[I, O any](api huma.API, method, name, path string, f func(context.Context, act.Actor, *I) (*O, error), limit ...int64) {
	o := huma.Operation{OperationID: name, Method: method, Path: path, MaxBodyBytes: usualBody}
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
func get[I, O any](api huma.API, name, path string, f func(context.Context, act.Actor, *I) (O, error)) {
	does(api, http.MethodGet, name, path, func(ctx context.Context, who act.Actor, in *I) (*body[O], error) {
		out, err := f(ctx, who, in)
		return &body[O]{out}, err
	})
}
