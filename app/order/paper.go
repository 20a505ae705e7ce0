package order

import (
	"cmp"
	"context"
	"fmt"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/order"
	"deftledger/exchange/pdf"
	"deftledger/store"
)

// requisition writes an order, or that it is called off, on paper.
func (a *Acts) requisition(q *store.Q, o store.Order, cancel bool) ([]byte, error) {
	lab := a.Config.Laboratory(o.Party)
	p, err := q.PatientByID(o.PatientID)
	if err != nil {
		return nil, err
	}
	reg, _, err := q.Registration(o.PatientID)
	if err != nil {
		return nil, err
	}
	r := pdf.Requisition{Practice: a.Practice, Laboratory: lab.Name, Address: lab.Address, Fax: lab.Fax, Title: "Laboratory requisition", Placer: o.Placer,
		Signed: fmt.Sprintf("Signed electronically by %s, %s", o.Clinician, pdf.Moment(a.Say(o.SignedAt)))}
	if cancel {
		r.Title = "Called off: laboratory requisition"
	}
	address := joinSaid(", ", reg.Address.Street, reg.Address.City, chart.Tidy(reg.Address.State+" "+reg.Address.Zip))
	r.Fields = []pdf.Field{{Name: "Patient", Says: chart.Tidy(p.Name.Given + " " + p.Name.Middle + " " + p.Name.Family)}, {Name: "Born, sex", Says: born(p) + ", " + cmp.Or(chart.Sexes[p.Sex], chart.Sexes["U"])}, {Name: "Record", Says: p.Record},
		{Name: "Address", Says: address}, {Name: "Telephone", Says: p.Phone}, {Name: "Ordered by", Says: act.By(o.Clinician, o.Detail.Phone) + ", " + a.Practice},
		{Name: "Priority", Says: order.Priorities[o.Priority]}}
	if cancel {
		r.Fields = append(r.Fields, pdf.Field{Name: "Called off", Says: o.Reason})
	}
	if o.Due != "" {
		r.Fields = append(r.Fields, pdf.Field{Name: "To be done on", Says: chart.SayDay(o.Due)})
	}
	r.Fields = append(r.Fields, pdf.Field{Name: "Specimen", Says: a.specimenWords(lab, o)})
	for _, x := range o.Tests {
		t := pdf.RequisitionTest{Code: x.Code, Name: x.Name}
		if x.Specimen != "" {
			t.Lines = append(t.Lines, "Specimen: "+x.Specimen+", "+x.Tube)
		}
		for _, d := range x.Diagnoses {
			t.Lines = append(t.Lines, "For "+d.Code+" "+d.Title)
		}
		for _, y := range x.Detail.Answers {
			t.Lines = append(t.Lines, chart.Tidy(y.Words+": "+strings.Replace(y.Answer, "T", " ", strings.Count(string(y.Kind), "datetime"))+" "+y.Unit))
		}
		if says := NoticeWords(x.Detail.Notice); says != "" {
			t.Lines = append(t.Lines, says)
		}
		if x.Detail.Remark != "" {
			t.Lines = append(t.Lines, "Remark: "+x.Detail.Remark)
		}
		r.Tests = append(r.Tests, t)
	}
	payer := PayerWords(o.Detail.Payer)
	if o.Detail.Payer.Who == order.InsurerPays {
		var all []string
		for _, c := range order.Covers(reg, a.Today()) {
			all = append(all, joinSaid(", ", c.Rank+": "+c.Payer, c.Plan, "number "+c.Number, c.Group))
		}
		payer = strings.Join(all, "; ")
	}
	var copies []string
	for _, c := range o.Detail.Copies {
		copies = append(copies, c.Says())
	}
	r.Below = []pdf.Field{{Name: "Who pays", Says: payer}, {Name: "Copies to", Says: strings.Join(copies, "; ")}}
	return r.Render()
}

// specimenWords says where and when the specimens are taken.
func (a *Acts) specimenWords(lab *order.Laboratory, o store.Order) string {
	switch {
	case !o.CollectedAt.IsZero():
		return "taken at the practice, " + pdf.Moment(a.Say(o.CollectedAt))
	case o.Drawing == order.AtSite:
		for _, s := range lab.Sites {
			if s.Code == o.Site {
				return "to be taken at " + joinSaid(", ", s.Name, s.Address, s.Phone, s.Hours)
			}
		}
		return "to be taken at a site of the laboratory"
	}
	return "to be taken at the practice"
}

// born writes a birth date as people read it.
func born(p chart.Patient) string {
	if p.BirthDate == "" {
		return "birth date not known"
	}
	return chart.SayDay(p.BirthDate)
}

func joinSaid(with string, parts ...string) string {
	var out []string
	for _, p := range parts {
		if p = strings.TrimSpace(p); p != "" {
			out = append(out, p)
		}
	}
	return strings.Join(out, with)
}

// Requisition prints the requisition of an order: always possible, whatever became of its
// sending.
func (a *Acts) Requisition(ctx context.Context, who act.Actor, id string) (out []byte, err error) {
	patient := ""
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		o, err := q.OrderByID(id)
		if err != nil {
			return act.NotFound(err, "order")
		}
		patient = o.PatientID
		out, err = a.requisition(q, o, o.State == order.Cancelled)
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "print requisition", patient, id)
	}
	return out, err
}

// Labels prints the labels of the containers of an order, one for each.
func (a *Acts) Labels(ctx context.Context, who act.Actor, id string) (out []byte, err error) {
	patient := ""
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		o, err := q.OrderByID(id)
		if err != nil {
			return act.NotFound(err, "order")
		}
		patient = o.PatientID
		p, err := q.PatientByID(o.PatientID)
		if err != nil {
			return err
		}
		drawn := ""
		if !o.CollectedAt.IsZero() {
			drawn = "Drawn " + pdf.Moment(a.Say(o.CollectedAt))
		}
		var all []pdf.Label
		for _, tube := range o.Detail.Tubes {
			for range tube.Count {
				all = append(all, pdf.Label{Patient: p.Name.Family + ", " + chart.Tidy(p.Name.Given+" "+p.Name.Middle), Identity: "born " + born(p) + " · " + p.Record,
					Container: joinSaid(", ", tube.Name, tube.Keep), Tests: strings.Join(tube.Codes, " "), Drawn: drawn,
					Code: fmt.Sprintf("%s-%d", o.Placer, len(all)+1)})
			}
		}
		if len(all) == 0 {
			return act.Refuse(act.Conflict, "The tubes of this order were not computed; it has no labels.")
		}
		out, err = pdf.Labels(all)
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "print labels", patient, id)
	}
	return out, err
}
