package result

import (
	"context"
	"strings"

	"deftledger/app/act"
	"deftledger/store"
)

// AddendumView is what was added to a review after it was signed.
type AddendumView struct {
	Says  string `json:"says"`
	By    string `json:"by"`
	At    string `json:"at"`
	Folio int    `json:"folio"`
}

// Addition is what is added to a signed review.
type Addition struct {
	ID     string `json:"id" pattern:"^[A-Za-z0-9-]{8,64}$" doc:"Of the browser's making: the same again is one"`
	Issue  int    `json:"issue" doc:"Which issue's review it is added to"`
	Says   string `json:"says" maxLength:"20000"`
	Secret string `json:"secret,omitempty" maxLength:"1000"`
}

type sealedAddendum struct {
	Report string `json:"report"`
	Title  string `json:"title"`
	Issue  int    `json:"issue"`
	Says   string `json:"says"`
}

// AddToReview adds words to a review that is signed. The review stays as it was: what was written cannot be taken back, only added to.
func (a *Acts) AddToReview(ctx context.Context, who act.Actor, report string, x Addition) error {
	if err := act.Allow(who, act.SignResult); err != nil {
		return err
	}
	x.Says = strings.TrimSpace(x.Says)
	if x.Says == "" {
		return act.Refuse(act.Invalid, "Write what is added.")
	}
	if err := a.OpenSigning(ctx, &who, x.Secret); err != nil {
		return err
	}
	return a.Act(ctx, who, act.SignResult, func(t *act.Tx) error {
		r, err := t.ReportByID(report)
		if err != nil {
			return act.NotFound(err, "report")
		}
		added, err := t.ReviewAddenda([]string{r.ID})
		if err != nil {
			return err
		}
		for _, y := range added[r.ID] {
			if y.ID == x.ID {
				return nil // the same act again
			}
		}
		reviews, err := t.Reviews(r.ID)
		if err != nil {
			return err
		}
		there := false
		for _, w := range reviews {
			there = there || w.Issue == x.Issue
		}
		if !there {
			return act.Refuse(act.Conflict, "That issue of the report is not signed: write it with the signature.")
		}
		e, err := t.Seal(r.PatientID, "result review addendum", r.ID, 0, sealedAddendum{r.ID, r.Title, x.Issue, x.Says})
		if err != nil {
			return err
		}
		if err := t.AddReviewAddendum(store.ReviewAddendum{ID: x.ID, ReportID: r.ID, Issue: x.Issue, Says: x.Says, ByID: who.ID, At: t.Now, Folio: e.Folio}); err != nil {
			return err
		}
		t.Tell(act.ReportEvent, r.ID, r.PatientID)
		return t.Audit("add to a signed review", r.PatientID, r.ID, "")
	})
}
