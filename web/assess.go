package web

import (
	"context"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/assess"
	"deftledger/core/coding"
	"deftledger/core/reminder"
)

// describeAssess registers what the room assess does and shows.
func (s *server) describeAssess(api huma.API) {
	get(api, "search-codes", "/api/codes", func(ctx context.Context, who act.Actor, in *struct {
		Query string `query:"q" maxLength:"200"`
		Under string `query:"under" maxLength:"10" doc:"Open this heading instead of searching"`
	}) ([]CodeView, error) {
		return s.codes(in.Query, in.Under)
	})
	get(api, "named-codes", "/api/codes/named", func(ctx context.Context, who act.Actor, in *struct {
		Codes string `query:"codes" maxLength:"300" doc:"Codes or headings, separated by blanks"`
	}) ([]CodeView, error) {
		return s.named(strings.Fields(in.Codes))
	})
	get(api, "charges", "/api/notes/{id}/charges", func(ctx context.Context, who act.Actor, in *PathID) (assess.ChargesView, error) {
		return s.app.Assess.Charges(ctx, who, in.ID)
	})
	does(api, http.MethodPut, "set-charges", "/api/notes/{id}/charges", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Lines []coding.Charge `json:"lines" maxItems:"50"`
			Facts coding.Facts    `json:"facts"`
			Was   int             `json:"was"`
		}
	}) (*body[assess.ChargesView], error) {
		out, err := s.app.Assess.SetCharges(ctx, who, in.ID, in.Body.Lines, in.Body.Facts, in.Body.Was)
		return &body[assess.ChargesView]{out}, err
	})
	does(api, http.MethodPost, "add-charge", "/api/notes/{id}/charges", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Code string `json:"code" maxLength:"10"`
			Was  int    `json:"was"`
		}
	}) (*body[assess.ChargesView], error) {
		out, err := s.app.Assess.AddCharge(ctx, who, in.ID, in.Body.Code, in.Body.Was)
		return &body[assess.ChargesView]{out}, err
	})
	get(api, "services", "/api/services", func(_ context.Context, who act.Actor, in *struct {
		Query string `query:"q" maxLength:"100"`
	}) ([]coding.Service, error) {
		return s.app.Assess.FindServices(who, in.Query)
	})
	get(api, "measures", "/api/notes/{id}/measures", func(ctx context.Context, who act.Actor, in *PathID) ([]reminder.Outcome, error) {
		return s.app.Assess.MeasuresOf(ctx, who, in.ID)
	})
	get(api, "pins", "/api/pins", func(ctx context.Context, who act.Actor, _ *nothing) ([]assess.PinView, error) {
		return s.app.Assess.Pins(ctx, who)
	})
	does(api, http.MethodPost, "pin", "/api/pins", func(ctx context.Context, who act.Actor, in *body[struct {
		Code   string `json:"code" maxLength:"10"`
		Clinic bool   `json:"clinic,omitempty"`
		Off    bool   `json:"off,omitempty"`
	}]) (*nothing, error) {
		return nil, s.app.Assess.Pin(ctx, who, in.Body.Code, in.Body.Clinic, in.Body.Off)
	})
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
	v := CodeView{Code: e.Code, Title: e.Title, Billable: e.Billable, Why: why, Notes: []string{}}
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
	former, why := s.app.Assess.FormerCodes(query, len(hits) == 0, codeHits)
	for i, e := range former {
		if !slices.ContainsFunc(hits, func(h coding.Hit) bool { return h.Code == e.Code }) {
			add(e, why[i])
		}
	}
	return out, nil
}
