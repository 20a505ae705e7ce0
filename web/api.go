package web

import (
	"context"
	"errors"
	"net/http"
	"reflect"

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
	api := humagin.New(r, config)
	api.UseMiddleware(s.session)
	for _, room := range []func(huma.API){
		s.describeSession,
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
		s.describePaper,
		s.describeForms,
	} {
		room(api)
	}
	// The event stream is not the API's, but the screens are typed by its description.
	api.OpenAPI().Components.Schemas.Map()["Event"] = eventSchema(api.OpenAPI().Components.Schemas)
	return api
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
