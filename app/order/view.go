package order

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/core/order"
	"deftledger/store"
)

// OrderTestView is one test of an order.
type OrderTestView struct {
	Code      string              `json:"code"`
	Name      string              `json:"name"`
	LOINC     string              `json:"loinc"`
	Specimen  string              `json:"specimen"`
	Tube      string              `json:"tube"`
	Diagnoses []store.CodedTitle  `json:"diagnoses"`
	ReportID  string              `json:"reportId"`
	Status    string              `json:"status"`
	Signed    bool                `json:"signed"`
	Answers   []order.EntryAnswer `json:"answers" doc:"To the questions of the laboratory"`
	Remark    string              `json:"remark"`
	Notice    string              `json:"notice" doc:"What Original Medicare was expected to pay and what the patient chose, in words; empty where it is not to pay"`
}

// OrderView is an order with its tests and where it stands.
type OrderView struct {
	ID         string          `json:"id"`
	PatientID  string          `json:"patientId"`
	VisitID    string          `json:"visitId"`
	Placer     string          `json:"placer"`
	Laboratory string          `json:"laboratory"`
	Party      string          `json:"party" doc:"The laboratory by its id"`
	Paper      bool            `json:"paper" doc:"It takes orders on paper and by fax only"`
	Together   string          `json:"together" doc:"Orders of one signing have one"`
	Due        string          `json:"due" doc:"The day it is for, YYYY-MM-DD; empty for the day it was signed"`
	Standing   string          `json:"standing" doc:"3 of 12, of a standing order"`
	Drawing    order.Drawing   `json:"drawing" enum:",now,here,site"`
	Site       string          `json:"site"`
	Payer      string          `json:"payer" doc:"In words"`
	Copies     []string        `json:"copies"`
	Tubes      []order.Tube    `json:"tubes"`
	Collected  string          `json:"collected" doc:"When the specimens were taken; empty for not yet, or elsewhere"`
	Priority   string          `json:"priority"`
	State      string          `json:"state"`
	Reason     string          `json:"reason"`
	Cancelling string          `json:"cancelling" doc:"What the laboratory says to its cancelling, in words; empty when it need not know"`
	NotDone    bool            `json:"notDone" doc:"It could not be cancelled, and somebody has to speak with the laboratory"`
	SignedAt   string          `json:"signedAt"`
	Clinician  string          `json:"clinician"`
	Taker      string          `json:"taker" doc:"Who took it down, of one given by telephone"`
	Tests      []OrderTestView `json:"tests"`
}

// OrdersAt lists the orders of a visit, newest first.
func (a *Acts) OrdersAt(ctx context.Context, who act.Actor, visit string) (out []OrderView, err error) {
	out = []OrderView{}
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		all, err := q.OrdersAt(visit)
		for _, o := range all {
			out = append(out, a.View(o))
		}
		return err
	})
	if err == nil && len(out) > 0 {
		err = a.Saw(ctx, who, "open visit", out[0].PatientID, visit)
	}
	return out, err
}

// asAsked says whether the orders of one signing are what is asked for again: the same tests
// at the same laboratories for the same days, paid and copied alike. main is the laboratory
// of orders that name none.
func asAsked(had []store.Order, sheets []order.Sheet, n NewOrder, main string) bool {
	return len(had) == len(sheets) && !slices.ContainsFunc(sheets, func(s order.Sheet) bool {
		return !slices.ContainsFunc(had, func(o store.Order) bool {
			return cmp.Or(o.Party, main) == s.Laboratory && o.Due == s.Due && o.Detail.Nth == s.Nth && o.Priority == n.Priority && o.Detail.Payer == n.Payer &&
				slices.Equal(o.Detail.Copies, n.Copies) && slices.EqualFunc(o.Tests, s.Lines, sameTest)
		})
	})
}

func sameTest(t store.OrderTest, l order.Line) bool {
	return t.Code == l.Test && slices.EqualFunc(t.Diagnoses, l.Diagnoses, func(d store.CodedTitle, code string) bool { return strings.EqualFold(d.Code, code) })
}

// View writes an order as every screen shows it.
func (a *Acts) View(o store.Order) OrderView {
	v := OrderView{ID: o.ID, PatientID: o.PatientID, VisitID: o.VisitID, Placer: o.Placer, Laboratory: o.Laboratory,
		Priority: order.Priorities[o.Priority], State: string(o.State), Reason: o.Reason, SignedAt: a.Say(o.SignedAt), Clinician: o.Clinician, Taker: o.Detail.Phone,
		Party: o.Party, Together: o.Together, Due: o.Due, Drawing: o.Drawing, Payer: PayerWords(o.Detail.Payer), Copies: []string{}, Tubes: o.Detail.Tubes,
		Collected: a.Say(o.CollectedAt), Tests: []OrderTestView{}}
	lab := a.Config.Laboratory(o.Party)
	v.Paper = lab.Takes == order.TakesPaper
	if o.Detail.Of > 0 {
		v.Standing = fmt.Sprintf("%d of %d", o.Detail.Nth, o.Detail.Of)
	}
	for _, s := range lab.Sites {
		if s.Code == o.Site && o.Site != "" {
			v.Site = s.Name
		}
	}
	for _, c := range o.Detail.Copies {
		v.Copies = append(v.Copies, c.Says())
	}
	if v.Tubes == nil {
		v.Tubes = []order.Tube{}
	}
	switch o.Cancelling {
	case "":
	case store.CancellingWaits:
		v.Cancelling = "The laboratory may know of it: it is told to cancel it, and has not answered yet."
	case store.CancellingDone:
		v.Cancelling = "The laboratory has cancelled it."
	case store.CancellingTold:
		v.Cancelling, v.NotDone = "The laboratory was told by fax to cancel it, and a fax is not answered. Call it, and say what they said.", true
	default:
		v.Cancelling, v.NotDone = "The laboratory could not cancel it: "+o.Cancelling+" Call it; results may still come.", true
	}
	for _, t := range o.Tests {
		v.Tests = append(v.Tests, OrderTestView{Code: t.Code, Name: t.Name, LOINC: t.LOINC, Specimen: t.Specimen, Tube: t.Tube,
			Diagnoses: t.Diagnoses, ReportID: t.ReportID, Status: t.ReportStatus, Signed: t.Signed, Answers: t.Detail.Answers, Remark: t.Detail.Remark, Notice: NoticeWords(t.Detail.Notice)})
	}
	return v
}

// PayerWords says who pays.
func PayerWords(p order.Payer) string {
	return map[string]string{"": "not said", order.PracticePays: "the practice", order.PatientPays: "the patient", order.InsurerPays: "the insurer"}[p.Who]
}
