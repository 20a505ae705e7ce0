// Package app wires the rooms of the application together: one act of a user is one
// function of a room and one transaction. The rooms stand on app/act; each knows only
// rooms below it.
package app

import (
	"context"
	"errors"
	"slices"

	"deftledger/app/act"
	"deftledger/app/assess"
	charts "deftledger/app/chart"
	circles "deftledger/app/circle"
	"deftledger/app/desk"
	"deftledger/app/directory"
	"deftledger/app/forms"
	"deftledger/app/intake"
	"deftledger/app/loop"
	notes "deftledger/app/note"
	orders "deftledger/app/order"
	outsides "deftledger/app/outside"
	"deftledger/app/packet"
	"deftledger/app/pad"
	"deftledger/app/paper"
	"deftledger/app/plan"
	"deftledger/app/prescribe"
	"deftledger/app/printing"
	"deftledger/app/recall"
	"deftledger/app/record"
	"deftledger/app/referral"
	"deftledger/app/registration"
	"deftledger/app/registry"
	"deftledger/app/release"
	"deftledger/app/reminder"
	results "deftledger/app/result"
	"deftledger/app/session"
	"deftledger/app/sharing"
	"deftledger/app/visit"
	"deftledger/store"
)

// App is the application without its interface: its rooms.
type App struct {
	*act.Office
	Session      *session.Acts
	Circle       *circles.Acts
	Registration *registration.Acts
	Forms        *forms.Acts
	Visit        *visit.Acts
	Order        *orders.Acts
	Result       *results.Acts
	Assess       *assess.Acts
	Note         *notes.Acts
	Intake       *intake.Acts
	Outside      *outsides.Acts
	Record       *record.Acts
	Sharing      *sharing.Acts
	Paper        *paper.Acts
	Packet       *packet.Acts
	Printing     *printing.Acts
	Release      *release.Acts
	Loop         *loop.Acts
	Directory    *directory.Acts
	Referral     *referral.Acts
	Prescribe    *prescribe.Acts
	Pad          *pad.Acts
	Reminder     *reminder.Acts
	Recall       *recall.Acts
	Registry     *registry.Acts
	Plan         *plan.Acts
	Desk         *desk.Acts
	Chart        *charts.Acts
}

// New makes the application.
func New(c act.Config) *App {
	o := act.NewOffice(c)
	a := &App{Office: o, Session: session.New(o), Circle: circles.New(o), Forms: forms.New(o)}
	a.Order = orders.New(o, a.Forms)
	a.Registration = registration.New(o, a.Forms)
	a.Visit = visit.New(o, a.Forms)
	a.Result = results.New(o, a.Order)
	a.Assess = assess.New(o, a.Forms, a.Order)
	a.Note = notes.New(o, a.Forms, a.Visit, a.Assess)
	a.Registry = registry.New(o)
	a.Intake = intake.New(o, a.Forms, a.Visit, a.Order, a.Result, a.Note, a.Registry)
	a.Outside = outsides.New(o, a.Forms, a.Note, a.Intake)
	a.Record = record.New(o, a.Order, a.Intake, a.Result)
	a.Sharing = sharing.New(o, a.Order, a.Note, a.Result, a.Record)
	a.Record.Refused = a.Sharing.Refused
	a.Paper = paper.New(o, a.Forms, a.Note)
	a.Packet = packet.New(o, a.Result, a.Paper)
	a.Printing = printing.New(o)
	a.Loop = loop.New(o)
	a.Release = release.New(o)
	a.Result.Filed, a.Result.Released = a.Release.Filed, a.Release.Released
	a.Result.Left = func(t *act.Tx, r store.Report) error { return errors.Join(a.Packet.Left(t, r), a.Release.Left(t, r)) }
	a.Directory = directory.New(o)
	a.Referral = referral.New(o, a.Directory, a.Paper, a.Order)
	a.Prescribe = prescribe.New(o, a.Order, a.Paper)
	a.Pad = pad.New(o, a.Order, a.Prescribe, a.Referral)
	a.Reminder = reminder.New(o, a.Order)
	a.Outside.Screens = a.Reminder
	a.Recall = recall.New(o, a.Registration, a.Reminder, a.Paper)
	a.Plan = plan.New(o, a.Forms, a.Visit, a.Order, a.Note, a.Paper)
	a.Desk = desk.New(o, slices.Concat(a.Result.Lines(), a.Packet.Lines(), a.Release.Lines(), a.Record.Lines(), a.Note.Lines(), a.Order.Lines(), a.Referral.Lines(), a.Prescribe.Lines(), a.Pad.Lines(), a.Reminder.Lines(), a.Recall.Lines(), a.Registry.Lines(), a.Sharing.Lines(), a.Visit.Lines(), a.Outside.Lines(),
		a.Paper.Lines(), a.Circle.Lines())...)
	a.Chart = charts.New(o, a.Visit, a.Order, a.Result, a.Intake, a.Paper, a.Referral, a.Prescribe, a.Reminder, a.Desk)
	o.Outbox.Connect(slices.Concat(a.Order.Destinations(), a.Result.Destinations(), a.Release.Destinations(), a.Paper.Destinations(), a.Referral.Destinations(), a.Prescribe.Destinations(), a.Registry.Destinations(), a.Sharing.Destinations())...)
	return a
}

// Step sends what is due and files what is stored, once, and returns when done.
// The running application does the same continuously in the outbox and the inbox.
func (a *App) Step(ctx context.Context) error {
	if _, err := a.Order.SendDue(ctx); err != nil {
		return err
	}
	if _, err := a.Order.RaiseLate(ctx); err != nil {
		return err
	}
	if err := a.Result.Watch(ctx); err != nil {
		return err
	}
	if _, err := a.Packet.RaiseLate(ctx); err != nil {
		return err
	}
	if _, err := a.Result.RaiseLate(ctx); err != nil {
		return err
	}
	if _, err := a.Release.RaiseLate(ctx); err != nil {
		return err
	}
	if err := a.Outbox.Step(ctx); err != nil {
		return err
	}
	if err := a.Packet.Poll(ctx); err != nil {
		return err
	}
	if err := a.Referral.Given(ctx); err != nil {
		return err
	}
	if err := a.Referral.Poll(ctx); err != nil {
		return err
	}
	if _, err := a.Referral.RaiseLate(ctx); err != nil {
		return err
	}
	if err := a.Prescribe.Poll(ctx); err != nil {
		return err
	}
	if _, err := a.Prescribe.RaiseLate(ctx); err != nil {
		return err
	}
	for {
		if n, err := a.Result.FileStored(ctx); err != nil || n == 0 {
			return err
		}
	}
}
